"""A random artist at the real desk: every key, drags, wheel, sizes from tiny to huge, files opened
while others load, renderers killed. Seeded, so that what it met can be met again.

Run as `python -m wallum_dev.soak.hand FOLDER --seconds S --seed N`; what happened is FOLDER/hand.json.
"""

import argparse
import json
import os
import random
import signal
import sys
import time
from collections.abc import Callable
from dataclasses import asdict, dataclass, field
from pathlib import Path
from typing import Any, Final

from PyQt6 import sip
from PyQt6.QtCore import QPoint, Qt, QTimer, QtMsgType, qInstallMessageHandler
from PyQt6.QtGui import QWheelEvent
from PyQt6.QtTest import QTest
from PyQt6.QtWidgets import QAbstractSlider, QApplication, QFileDialog, QMessageBox, QWidget

from wallum.desk.shell.actions import COMMANDS
from wallum.desk.shell.app import application
from wallum.desk.shell.guard import Guard
from wallum.desk.shell.window import DeskWindow
from wallum.document.storage import save
from wallum.errors import WallumError
from wallum.faults import keep_log
from wallum.level.demos.pale_room import pale_room, pale_room_project
from wallum.level.model.generated_sheets import rolling_sheets, write_level
from wallum_dev.tours.memory_watch import resident_mb
from wallum_dev.tours.stopwatch import Heartbeat

__all__ = ["Hand", "HandReport", "main"]

PLAIN_KEYS: Final = (
    "E",
    "D",
    "S",
    "F",
    "R",
    "W",
    "Escape",
    "Left",
    "Right",
    "Tab",
    "Space",
    "Delete",
    "Return",
)
SIZES: Final = ((1, 1), (90, 60), (400, 300), (900, 560), (1280, 800), (2200, 1300), (3000, 200))
LATE_MS: Final = 500.0
POPUP_MS: Final = 120
BUTTONS: Final = (Qt.MouseButton.LeftButton, Qt.MouseButton.RightButton, Qt.MouseButton.MiddleButton)
HELD: Final = (
    Qt.KeyboardModifier.NoModifier,
    Qt.KeyboardModifier.NoModifier,
    Qt.KeyboardModifier.ShiftModifier,
    Qt.KeyboardModifier.ControlModifier,
)


@dataclass
class HandReport:
    """What a hand met."""

    seed: int
    actions: int = 0
    opened: int = 0
    closed: int = 0
    renderer_kills: int = 0
    faults: list[str] = field(default_factory=list)
    messages: list[str] = field(default_factory=list)  # of Qt, that are no advice of its own
    late: list[str] = field(default_factory=list)
    worst_late_ms: float = 0.0
    memory_mb: list[float] = field(default_factory=list)  # of desk and renderer, at the start and the end

    @property
    def clean(self) -> bool:
        """Whether nothing was met that must not be."""
        return not self.faults and not self.messages


class Hand:
    """Does random things to a window, and notes what came of it."""

    def __init__(self, folder: Path, seed: int) -> None:
        self.met = HandReport(seed)
        self._rng = random.Random(seed)
        self._folder = folder
        self._log: list[str] = []
        self._files = self._some_files()
        self._guard = Guard()
        self._guard.caught.connect(self._fault)
        self._window = self._fresh()
        self._heart = Heartbeat()
        self._popups = QTimer()  # a menu that is open waits for an answer, and so would the hand
        self._popups.timeout.connect(self._answer)
        self._popups.start(POPUP_MS)
        self._acts: tuple[tuple[int, Callable[[], str]], ...] = (
            (10, self._key),
            (10, self._drag),
            (4, self._wheel),
            (4, self._click),
            (2, self._resize),
            (2, self._open),
            (1, self._close),
            (1, self._kill_renderer),
            (2, self._save),
            (3, self._undo),
            (3, self._wait),
        )

    def _some_files(self) -> list[str]:
        folder = self._folder / "files"
        folder.mkdir(parents=True, exist_ok=True)
        room = write_level(pale_room(), folder / "room.glb")
        ground = write_level(rolling_sheets(4, 40), folder / "ground.glb")
        project = folder / "room.wallum"
        save(pale_room_project().revised(level="room.glb"), project)
        (folder / "broken.glb").write_bytes(b"glTF nonsense")
        (folder / "broken.wallum").write_text("{")
        # The demos that are quick to make.
        names = ["demo:pale-room", "demo:jar-yard", room, ground, project, folder / "broken.glb"]
        return [str(item) for item in (*names, folder / "broken.wallum", folder / "gone.wallum")]

    # -- what it notes -------------------------------------------------------------------

    def _fault(self, text: str) -> None:
        self.met.faults.append(f"after {self._log[-3:]}: {text}")

    def note_message(self, kind: QtMsgType, text: str) -> None:
        """A message of Qt's."""
        advice = "This plugin does not support" in text or kind in (QtMsgType.QtDebugMsg, QtMsgType.QtInfoMsg)
        if not advice:
            self.met.messages.append(f"after {self._log[-3:]}: {text}")

    def _note_late(self) -> None:
        late = max(self._heart.late_ms, default=0.0)
        self._heart.late_ms.clear()
        self.met.worst_late_ms = max(self.met.worst_late_ms, late)
        if late > LATE_MS:
            self.met.late.append(f"{late:.0f} ms after {self._log[-2:]}")

    # -- what it does --------------------------------------------------------------------

    def _fresh(self) -> DeskWindow:
        window = DeskWindow()
        self._guard.caught.connect(window.fault)
        window.resize(900, 560)
        window.show()
        window.open_reference(self._files[0])
        self.met.opened += 1
        return window

    def _widget(self) -> QWidget:
        """Where the next act falls: mostly the picture."""
        window = self._window
        if self._rng.random() < 0.5:
            return window.picture
        result = [item for item in window.findChildren(QWidget) if item.isVisible() and item.width() > 4]
        return self._rng.choice(result) if result else window.picture

    def _place(self, widget: QWidget) -> QPoint:
        return QPoint(
            self._rng.randrange(max(widget.width(), 1)), self._rng.randrange(max(widget.height(), 1))
        )

    def _key(self) -> str:
        words = [command.key for command in COMMANDS if command.key] + list(PLAIN_KEYS)
        key = self._rng.choice(words)
        *current, last = key.split("+")
        modifiers = Qt.KeyboardModifier.NoModifier
        for word in current:
            modifiers |= Qt.KeyboardModifier[f"{'Control' if word == 'Ctrl' else word}Modifier"]
        widget = QApplication.focusWidget() or self._window.picture
        QTest.keyClick(widget, Qt.Key[f"Key_{last}"], modifiers)  # type: ignore[call-overload]
        return f"key {key}"

    def _drag(self) -> str:
        widget, button, current = self._widget(), self._rng.choice(BUTTONS), self._rng.choice(HELD)
        start = self._place(widget)
        QTest.mousePress(widget, button, current, start)  # type: ignore[call-overload]
        for _ in range(self._rng.randrange(1, 12)):
            QTest.mouseMove(widget, self._place(widget))  # type: ignore[call-overload]
            self._turn(self._rng.choice((0.0, 0.0, 0.02)))
            if sip.isdeleted(widget):  # a level that came, or a list made anew, took it away
                return f"drag of {type(widget).__name__}, which went"
        if self._rng.random() < 0.1:
            QTest.keyClick(widget, Qt.Key.Key_Escape)  # type: ignore[call-overload]
        if sip.isdeleted(widget):
            return f"drag of {type(widget).__name__}, which went"
        QTest.mouseRelease(widget, button, current, self._place(widget))  # type: ignore[call-overload]
        return f"drag {type(widget).__name__} {button.name}"

    def _click(self) -> str:
        widget, current = self._widget(), self._rng.choice(HELD)
        at = self._place(widget)
        double = self._rng.random() < 0.3
        act: Any = QTest.mouseDClick if double else QTest.mouseClick
        act(widget, Qt.MouseButton.LeftButton, current, at)
        return f"{'double ' if double else ''}click {type(widget).__name__}"

    def _wheel(self) -> str:
        widget = self._widget()
        at = self._place(widget)
        turn = QPoint(0, self._rng.choice((-1200, -120, 120, 1200)))
        current, phase = self._rng.choice(HELD), Qt.ScrollPhase.NoScrollPhase
        place = widget.mapToGlobal(at)
        event = QWheelEvent(
            at.toPointF(), place.toPointF(), QPoint(), turn, Qt.MouseButton.NoButton, current, phase, False
        )
        QApplication.sendEvent(widget, event)
        for bar in widget.findChildren(QAbstractSlider)[:1]:
            bar.setValue(self._rng.randrange(bar.maximum() + 1))
        return f"wheel {type(widget).__name__}"

    def _answer(self) -> None:
        popup = QApplication.activePopupWidget() or QApplication.activeModalWidget()
        if popup is not None:
            keys = (Qt.Key.Key_Down, Qt.Key.Key_Return, Qt.Key.Key_Escape, Qt.Key.Key_Escape)
            QTest.keyClick(popup, self._rng.choice(keys))  # type: ignore[call-overload]

    def _resize(self) -> str:
        size = self._rng.choice(SIZES)
        self._window.resize(*size)
        return f"resize {size}"

    def _open(self) -> str:
        name = self._rng.choice(self._files)
        self._window.open_reference(name)
        self.met.opened += 1
        if self._rng.random() < 0.3:  # another while it loads
            self._turn(self._rng.choice((0.0, 0.01, 0.1)))
            self._window.open_reference(self._rng.choice(self._files))
        return f"open {Path(name).name}"

    def _close(self) -> str:
        self._window.session.history.mark_saved(self._window.session.history.present)
        self._window.close()
        self._window.deleteLater()
        self._turn(0.01)
        self.met.closed += 1
        self._window = self._fresh()
        return "close and open again"

    def _kill_renderer(self) -> str:
        pid = self._window.link.client.pid
        if pid:
            os.kill(pid, signal.SIGKILL)
            self.met.renderer_kills += 1
        return "kill the renderer"

    def _save(self) -> str:
        self._window.save_to(self._folder / "files" / f"kept-{self._rng.randrange(3)}.wallum")
        return "save"

    def _undo(self) -> str:
        session = self._window.session
        if self._rng.random() < 0.7:
            session.undo()
        else:
            session.redo()
        return "undo or redo"

    def _wait(self) -> str:
        self._turn(self._rng.choice((0.05, 0.3, 1.0)))
        return "wait"

    def _turn(self, seconds: float) -> None:
        """Let the window work for a while."""
        end = time.monotonic() + seconds
        while True:
            QApplication.processEvents()
            if time.monotonic() >= end:
                return
            time.sleep(0.002)

    # -- the session ---------------------------------------------------------------------

    def _held_mb(self) -> list[float]:
        return [resident_mb(os.getpid()), resident_mb(self._window.link.client.pid)]

    def run(self, seconds: float) -> HandReport:
        """Act at random for so long."""
        weights = [item[0] for item in self._acts]
        end = time.monotonic() + seconds
        with self._guard.installed():
            self._turn(min(3.0, seconds / 4))
            self.met.memory_mb = [round(item) for item in self._held_mb()]
            while time.monotonic() < end:
                act = self._rng.choices(self._acts, weights)[0][1]
                self._log = [*self._log[-20:], act.__name__.strip("_")]
                self._log[-1] = act()
                self.met.actions += 1
                self._turn(self._rng.choice((0.0, 0.0, 0.01, 0.05)))
                self._note_late()
            self._turn(1.0)
            self.met.memory_mb += [round(item) for item in self._held_mb()]
            self._heart.stop()
            self._popups.stop()
            self._window.session.history.mark_saved(self._window.session.history.present)
            self._window.close()
        return self.met


def _answer_dialogs(rng: random.Random, folder: Path) -> None:
    """What would wait for an answer is answered at once."""
    buttons = QMessageBox.StandardButton
    answers = (buttons.Discard, buttons.Discard, buttons.Save, buttons.Cancel)
    QMessageBox.question = lambda *_: rng.choice(answers)  # type: ignore[method-assign]
    names = ["", str(folder / "files" / "room.glb"), str(folder / "files" / "kept-0.wallum")]
    QFileDialog.getOpenFileName = lambda *_: (rng.choice(names), "")  # type: ignore[method-assign]
    QFileDialog.getSaveFileName = lambda *_: (names[2], "")  # type: ignore[method-assign]


def main() -> int:
    """Let a hand act, and write down what it met. Status 1 where that must not be."""
    options = argparse.ArgumentParser(description=__doc__)
    options.add_argument("folder", type=Path)
    options.add_argument("--seconds", type=float, default=60.0)
    options.add_argument("--seed", type=int, default=1)
    args = options.parse_args()
    args.folder.mkdir(parents=True, exist_ok=True)
    for name in ("XDG_CONFIG_HOME", "XDG_STATE_HOME"):
        os.environ[name] = str(args.folder)
    keep_log()
    application()
    _answer_dialogs(random.Random(args.seed), args.folder)
    try:
        hand = Hand(args.folder, args.seed)
    except WallumError as error:
        print(error, file=sys.stderr)
        return error.exit_status
    qInstallMessageHandler(lambda kind, _, text: hand.note_message(kind, text or ""))
    met = hand.run(args.seconds)
    qInstallMessageHandler(None)
    (args.folder / "hand.json").write_text(json.dumps(asdict(met), indent=1))
    return 0 if met.clean else 1


if __name__ == "__main__":
    sys.exit(main())
