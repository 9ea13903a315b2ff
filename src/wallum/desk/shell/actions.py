"""Every command of the desk: its words, its key, what it does in a sentence. One list, from which
the buttons, the menu, the tooltips and the overlay of keys are made."""

from collections.abc import Callable, Mapping
from dataclasses import dataclass
from typing import Final

from PyQt6.QtGui import QAction, QKeySequence
from PyQt6.QtWidgets import QMenu, QWidget

from wallum.desk.session.lamp_looks import LAMP_LOOKS
from wallum.desk.widgets.sheet import Line

__all__ = [
    "BAR_FILES",
    "BAR_TOOLS",
    "COMMANDS",
    "GESTURES",
    "GROUPS",
    "Command",
    "command_menu",
    "key_lines",
    "make_actions",
    "silence",
]


@dataclass(frozen=True)
class Command:
    """One command. `stays` : it is a switch that stays on."""

    name: str
    group: str
    text: str
    key: str
    tip: str
    stays: bool = False


COMMANDS: Final = (
    Command("open", "Files", "Open", "Ctrl+O", "Open a project or a level"),
    Command("save", "Files", "Save", "Ctrl+S", "Save the project"),
    Command("save_as", "Files", "Save as", "Ctrl+Shift+S", "Save under another name"),
    Command("undo", "Files", "Undo", "Ctrl+Z", "Take the last step back"),
    Command("redo", "Files", "Redo", "Ctrl+Shift+Z", "Do again what was undone"),
    *(Command(kind, "Put and aim", look.text, look.key, look.tip) for kind, look in LAMP_LOOKS.items()),
    Command("pocket", "Put and aim", "Pocket of air", "Shift+O", "Put a pocket of fog, dust or smoke here"),
    Command("room", "Put and aim", "Room", "Shift+R", "Put a box with a light or a mirror image of its own"),
    Command("zone", "Put and aim", "Zone", "Shift+L", "Put a part of the level that has a look of its own"),
    Command("card", "Put and aim", "Card of shafts", "Shift+C", "Fit one to the chosen lamp, or an opening"),
    Command("veil", "Put and aim", "Veil", "Shift+V", "Put a drifting veil of near fog here"),
    Command("aim", "Put and aim", "Aim", "A", "Aim the selected lamp at what is under the pointer"),
    Command("kick", "Put and aim", "Kick", "K", "Move the selected lamp so that its highlight sits here"),
    Command("pull", "Put and aim", "Pull", "X", "Pull a shadow, or that of a stick stood anywhere", True),
    Command("align", "Put and aim", "Align to the shot", "J", "The selected source shines from the camera"),
    Command("meter", "Put and aim", "Meter", "M", "Read the light under the pointer"),
    Command("grey", "Put and aim", "Grey here", "Shift+K", "What is under the pointer is grey from here on"),
    Command("focus", "Put and aim", "Focus here", "Ctrl+F", "What is under the pointer is sharp"),
    Command("figure", "Put and aim", "Figure", "I", "Stand a figure with a grey and a mirror ball here"),
    Command("select_all", "Sources", "Select all lamps", "Ctrl+A", "Select every lamp that shows a mark"),
    Command("duplicate", "Sources", "Duplicate", "Ctrl+D", "Copy the selected lamps, a step aside"),
    Command("only", "Sources", "See only", "U", "See the selected source alone, or all again"),
    Command("hide", "Sources", "Hide the mark", "N", "Hide the marks of the selected lamps, or show them"),
    Command("lock", "Sources", "Lock", "L", "Keep the selected sources from being changed, or free them"),
    Command("remove", "Sources", "Remove", "Ctrl+Delete", "Take the selected sources out of the project"),
    Command("hero", "Parts", "Hero", "H", "Make the part under the pointer a hero, or one no more"),
    Command("follow", "Parts", "Glow follows", "G", "The glow under the pointer follows the selected lamp"),
    Command("body", "Parts", "Glow is the lamp", "Shift+G", "The glow under the pointer is its lamp's light"),
    Command("uncast", "Parts", "Casts nothing", "Shift+H", "Let the part under the pointer cast no shadow"),
    Command("water", "Parts", "Water", "Shift+A", "Make the surface of the part under the pointer water"),
    Command("ignore", "Parts", "Leave out", "Ctrl+H", "Leave the part under the pointer out altogether"),
    Command("sun_there", "Sky", "Sun to the picture", "", "Stand the sun where the picture has its own"),
    Command("sky_there", "Sky", "Picture to the sun", "", "Turn the picture until its sun is under ours"),
    Command("ground_there", "Sky", "Ground as the level", "", "Far ground reflects as the level's floors do"),
    Command("three_ways", "Shafts", "Three ways", "Shift+X", "True, screen and card shafts in one picture"),
    Command("to_true", "Shafts", "Turn into true shafts", "", "Show shafts of the chosen source in the air"),
    Command("to_screen", "Shafts", "Turn into screen shafts", "", "Draw them out from sun or moon"),
    Command("to_card", "Shafts", "Turn into cards", "", "Show shafts of the chosen source by cards"),
    Command("strip", "Level", "What lights this level", "Ctrl+L", "List all that gives light, and strip it"),
    Command("check", "Level", "Check", "Ctrl+K", "Look for what is wrong with the light, and for remedies"),
    Command("bake", "Level", "Bake light", "Ctrl+Shift+B", "Bake the still sources as they are at this hour"),
    Command("receive", "Level", "Receive again", "F5", "Read the level's file anew; all sources stay"),
    Command("receive_from", "Level", "Receive from", "Shift+F5", "Choose the level anew; all sources stay"),
    Command("shot", "Shots and views", "Keep shot", "C", "Keep this camera as a shot"),
    Command("frame", "Shots and views", "Frame", "Home", "Bring the selected into view, or all"),
    Command("view", "Shots and views", "Next view", "V", "Show the next view of the picture"),
    Command("play", "Shots and views", "Play", "T", "Play the day, or stop it"),
    Command("walk", "Shots and views", "Walk", "Shift+T", "Walk through the level, or stop where one is"),
    Command("wall", "Shots and views", "Wall of shots", "Q", "Swap the picture for all shots, and back"),
    Command("hours", "Shots and views", "Shot by hours", "Shift+Q", "The shot at every hour, and back"),
    Command("bench", "Shots and views", "Day bench", "Ctrl+B", "Lanes of the day, or the balance"),
    Command("frame_lines", "Shots and views", "Target's frame", "Y", "What the target's picture holds", True),
    Command("scopes", "Comparing", "Scopes", "Ctrl+U", "Light, signal and colours of the picture, and back"),
    Command("copy_look", "Comparing", "Copy the look", "Ctrl+Shift+C", "Of the chosen zone, or the picture"),
    Command("paste_look", "Comparing", "Paste a look", "Ctrl+Shift+V", "In the chosen zone, or the picture"),
    Command("delivered", "Comparing", "As delivered", "Shift+Y", "Pictures as the target draws them", True),
    Command("flip", "Comparing", "Flip", "B", "Flip to the variant, and back"),
    Command("wipe", "Comparing", "Wipe", "Z", "Wipe between the variant and the present"),
    Command("wipe_pinned", "Comparing", "Wipe the pinned", "Shift+Z", "Wipe against the pinned picture"),
    Command("wipe_look", "Comparing", "Wipe the look", "Alt+Z", "With the look, and without it"),
    Command("around", "Comparing", "Light around, ways", "Shift+B", "Probes, lightmaps, sky, flat, none"),
    Command("pin", "Comparing", "Pin a picture", "Ctrl+P", "Choose a picture to compare with"),
    Command("keys", "Help", "Every key", "F1", "Show every key in one sheet"),
    Command("path", "Help", "First steps", "", "The short path through the desk for the first day"),
)  # fmt: skip

# What stands at the top of the window: files, and tools.
BAR_FILES: Final = ("undo", "redo", "open", "save")
BAR_TOOLS: Final = (
    *(kind for kind, look in LAMP_LOOKS.items() if look.in_bar),
    "aim",
    "kick",
    "pull",
    "meter",
    "shot",
    "frame",
)
GROUPS: Final = tuple(dict.fromkeys(command.group for command in COMMANDS))

# What the hand does in the picture without a command.
GESTURES: Final = (
    ("Drag", "turn about that place"),
    ("Right drag", "look around"),
    ("Middle drag", "slide"),
    ("Wheel", "approach that place"),
    ("E D S F R W", "fly on, back, aside, up, down"),
    ("Drag a ring or handle", "move a lamp; Shift is fine"),
    ("Ctrl, click or drag", "add lamps to the selection"),
    ("Hold , or .", "without the look; its last effect alone"),
    ("Escape", "give back, or lead back"),
)


def key_lines() -> list[Line]:
    """Every command with its key, and what the hand does without one."""
    out = []
    for group in GROUPS:
        keyed = [
            Line(command.text, command.key) for command in COMMANDS if command.group == group and command.key
        ]
        out += [Line(group, heading=True), *keyed] if keyed else []
    out.append(Line("In the picture", heading=True))
    return out + [Line(hand, does) for hand, does in GESTURES]


def make_actions(owner: QWidget, slots: Mapping[str, Callable[[], object]]) -> dict[str, QAction]:
    """The commands that there are slots for, by name; keys work anywhere in the window."""
    built = {}
    for command in COMMANDS:
        if command.name not in slots:
            continue
        action = QAction(command.text, owner)
        action.setShortcut(QKeySequence(command.key))
        action.setToolTip(f"{command.tip} ({command.key})" if command.key else command.tip)
        action.setCheckable(command.stays)
        slot = slots[command.name]
        action.triggered.connect(lambda _, slot=slot: slot())
        owner.addAction(action)
        built[command.name] = action
    return built


def silence(actions: Mapping[str, QAction]) -> None:
    """Let no key reach a window that is going."""
    for action in actions.values():
        action.setEnabled(False)


def command_menu(owner: QWidget, actions: Mapping[str, QAction]) -> QMenu:
    """All commands by group, with their keys."""
    menu = QMenu(owner)
    for group in GROUPS:
        menu.addSection(group)
        for command in COMMANDS:
            if command.group == group and command.name in actions:
                menu.addAction(actions[command.name])
    return menu
