"""What the desk works on: a project with its file, and the level it lights."""

import math
from collections.abc import Iterable
from pathlib import Path
from typing import Any, Final, TypeVar

import numpy as np
from PyQt6.QtCore import QObject, pyqtSignal

from wallum.desk.jobs.loading import LoadedLevel
from wallum.desk.session.playhead import Playhead
from wallum.desk.session.project_store import ProjectStore
from wallum.desk.session.selection import Selection
from wallum.document.fields import Vector, declared, unchecked
from wallum.document.history import History
from wallum.document.lanes import Peg, PegTime
from wallum.document.look import Look
from wallum.document.paths import look_up, put, put_text
from wallum.document.pegging import pegged, unpegged, without_lane
from wallum.document.project import Project, base_light
from wallum.document.quantities import format_quantity
from wallum.document.shot_look import shot_at, with_look_of_shot
from wallum.document.sources import (
    GROUPS,
    LAMP_KINDS,
    AmbientBoxSource,
    Coloured,
    Lamp,
    PocketSource,
    ZoneSource,
    new_id,
)
from wallum.errors import ValueProblem, WallumError
from wallum.judge.findings import Remedy
from wallum.moment.aiming import aimed_at
from wallum.moment.at_moment import at_moment, put_at
from wallum.moment.camera import Camera
from wallum.moment.moment import Moment, own_moment
from wallum.physics.exposure import grey_luminance
from wallum.transport.scene.placing import place_around, place_toward

__all__ = ["Session", "fitting_intensity", "names_of"]

# A new lamp's light on a mid grey surface at its distance: this much above mid grey.
NEW_LAMP_STOPS = 0.5
Box = TypeVar("Box", PocketSource, AmbientBoxSource, ZoneSource)
FREE_WHEN_LOCKED = frozenset({"locked", "name", "on", "hidden", "role"})


def fitting_intensity(ev100: float, distance_m: float) -> float:
    """Intensity that shows well on grey at a distance under an exposure, two digits [cd]."""
    wanted = grey_luminance(ev100) * 2.0**NEW_LAMP_STOPS
    exact = wanted * math.pi / 0.18 * distance_m**2
    scale = 10.0 ** (math.floor(math.log10(max(exact, 1e-6))) - 1)
    return min(max(round(exact / scale) * scale, 0.001), 1e6)


def names_of(sources: Iterable[Coloured]) -> str:
    """Sources as a step's name has them."""
    names = [source.name for source in sources]
    return names[0] if len(names) == 1 else f"{len(names)} sources"


def refuse_where_locked(project: Project, path: str) -> None:
    """Raises ValueProblem for a value of a source that is locked."""
    head, *rest = path.split("/")
    if head != "sources" or len(rest) < 2 or rest[1] in FREE_WHEN_LOCKED:
        return
    source = project.source(rest[0].removeprefix("@"))
    if source is not None and source.locked:
        raise ValueProblem(f"{source.name} is locked", rest[1], "unlock it first")


LIGHT_GROUPS: Final = ("sources", "balance", "air", "mist", "screen_shafts")
# Of every lamp, beside the one that says how strong it is.
STRENGTHS: Final = ("trim", "kelvin", "tint", "colour", "colour_by")


class Session(QObject):
    """Every edit goes through here, and from here through the history. What is selected, where the playhead
    stands and how the work is kept are its parts."""

    changed = pyqtSignal()
    told = pyqtSignal(str)  # a sentence for the status line
    failed = pyqtSignal(str)  # a sentence for the bar

    def __init__(self, project: Project | None = None, file: Path | None = None) -> None:
        super().__init__()
        self.history = History(project or Project(sources=base_light()))
        self._end_listening = self.history.listen(self.changed.emit)
        self.level: LoadedLevel | None = None
        self.active: frozenset[str] = frozenset()  # sources under the hand
        self.hand_holds = False  # whether a value is being dragged
        self.hand_needs_rays = True  # whether light may fall elsewhere by what the hand does
        self.light_dragged = False  # whether the hand changes light: exposure then holds still
        self.camera: Camera | None = None
        self.shown_ev = self.history.present.look.ev100  # exposure of the last picture
        self._now: tuple[Project, Moment, Project] | None = None  # found last, and for what
        self.touched = ""  # path of the value that was changed last
        self.selection = Selection(lambda: self.project)
        self.playhead = Playhead(own_moment(self.history.present))
        self.keeping = ProjectStore(self, file)

    @property
    def project(self) -> Project:
        """What is shown now, previews included."""
        return self.history.shown

    def replace(self, project: Project, file: Path | None, mark: str | None = None) -> None:
        """Work on another project; `mark` stands for what its file holds. What was here is left."""
        self.keeping.leave()
        self._end_listening()
        self.history = History(project)
        self._end_listening = self.history.listen(self.changed.emit)
        self.keeping.begin(project, file, mark)
        self._hand_off()
        self.shown_ev = project.look.ev100
        self.playhead.moment = own_moment(project)
        self.selection.forget()
        self.changed.emit()
        self.playhead.put(own_moment(project))

    def take_level(self, loaded: LoadedLevel) -> None:
        """A level is there. What its floors are is found, not edited: no step, and every step knows it."""

        def known(project: Project) -> Project:
            same = project.floors == loaded.floors
            return project if same else unchecked(project, {"floors": loaded.floors})

        selected = self.keeping.is_kept
        self.history.restate(known)
        if selected:  # nothing of the artist's is new: work that was found after a crash stays where it is
            self.keeping.still_kept()
        self.level = loaded

    @property
    def now(self) -> Project:
        """What is shown, with the values that the day's lanes give at this hour."""
        selected = self._now
        if selected is None or selected[0] is not self.project or selected[1] != self.playhead.moment:
            project = at_moment(self.project, self.playhead.moment)
            setting = unchecked(project.setting, {"clock": self.playhead.hour})
            selected = self._now = (
                self.project,
                self.playhead.moment,
                unchecked(project, {"setting": setting}),
            )
        return selected[2]

    def peg(self, label: str, path: str, at: PegTime, easing: str | None = None) -> None:
        """Peg a value as it is at this hour."""
        # Looked up within the edit: a button may be pressed whose source has just gone.
        self._edit(label, lambda: pegged(self.history.present, path, at, look_up(self.now, path), easing))

    def take_peg(self, label: str, path: str, peg: Peg) -> None:
        """Take one peg out."""
        self._edit(label, lambda: unpegged(self.history.present, path, peg))

    def take_lane(self, label: str, path: str) -> None:
        """Take all pegs of a value out; what it is now stays."""
        self._edit(
            label, lambda: put(without_lane(self.history.present, path), path, look_up(self.now, path))
        )

    def _with(self, project: Project, path: str, value: Any) -> Project:
        """A project with a value: in its lane, at this hour, where it has one."""
        refuse_where_locked(project, path)
        return put_at(project, path, value, self.playhead.moment)

    # -- edits -------------------------------------------------------------------------

    def preview(self, path: str, value: Any) -> None:
        """Show a value while a drag lasts. Sources are addressed by @ and their id."""
        self.preview_all({path: value})

    def preview_all(self, values: dict[str, Any]) -> None:
        """Show several values, by their paths, while a drag lasts."""
        try:
            shown = self._with_all(self.history.present, values)
        except WallumError as error:
            self.told.emit(str(error))
            return
        self.touched = next(iter(values), self.touched)
        heads = [path.split("/") for path in values]
        self.active = frozenset().union(*map(self._held_by, heads))
        self.light_dragged = any(head[0] in LIGHT_GROUPS for head in heads)
        self.hand_holds = True
        self.hand_needs_rays = any(head[0] == "sources" and not self._is_strength(head) for head in heads)
        self.history.preview(shown)

    def _held_by(self, head: list[str]) -> frozenset[str]:
        """Ids of the sources whose light a path changes."""
        if head[0] == "sources":
            return frozenset({head[1].removeprefix("@")})
        of_group = self.history.present.sources if head[0] == "balance" else ()
        return frozenset(item.id for item in of_group if GROUPS[item.role] == head[1])

    def _is_strength(self, head: list[str]) -> bool:
        """Whether a path of a source changes how strong its light is, or its colour, and no more."""
        source = self.history.present.source(head[1].removeprefix("@"))
        return isinstance(source, Lamp) and head[2] in (source.STRENGTH, *STRENGTHS)

    def preview_values(self, source_id: str, changes: dict[str, Any]) -> None:
        """Show several values of one source while a drag lasts."""
        self.preview_all({f"sources/@{source_id}/{name}": value for name, value in changes.items()})

    def set_values(self, label: str, source_id: str, changes: dict[str, Any]) -> bool:
        """Change several values of one source, as one step; False where one was refused."""
        return self.set_all(label, {f"sources/@{source_id}/{name}": v for name, v in changes.items()})

    def set_all(self, label: str, values: dict[str, Any]) -> bool:
        """Change several values, by their paths, as one step; False where one was refused."""
        self.touched = next(iter(values), self.touched)
        return self._edit(label, lambda: self._with_all(self.history.present, values))

    def apply(self, label: str, remedies: Iterable[Remedy]) -> bool:
        """Apply remedies as one step, each at its own hour; False where one was refused."""

        def remedied() -> Project:
            project = self.history.present
            for remedy in remedies:
                for path in remedy.values:
                    refuse_where_locked(project, path)
                project = remedy.applied(project)
            return project

        return self._edit(label, remedied)

    def _with_all(self, project: Project, values: dict[str, Any]) -> Project:
        for path, value in values.items():
            project = self._with(project, path, value)
        return project

    def _hand_off(self) -> None:
        self.active, self.light_dragged = frozenset(), False
        self.hand_holds, self.hand_needs_rays = False, True

    def commit(self, label: str) -> None:
        """End a drag as one step."""
        self._hand_off()
        self.history.commit(label)

    def cancel(self) -> None:
        """End a drag and forget it."""
        self._hand_off()
        self.history.cancel()

    def set_value(self, label: str, path: str, value: Any) -> bool:
        """Change one value, as one step; False where it was refused, and said why."""
        self.touched = path
        done = self._edit(label, lambda: self._with(self.history.present, path, value))
        if done and path == "setting/clock":
            self.playhead.set_hour(self.project.setting.clock)
        return done

    def set_text(self, label: str, path: str, text: str) -> bool:
        """Change one value as typed; False where it was refused, and said why."""
        self.touched = path
        done = self._edit(label, lambda: self._with_text(self.history.present, path, text))
        if done and path == "setting/clock":
            self.playhead.set_hour(self.project.setting.clock)
        return done

    def set_text_all(self, label: str, paths: list[str], text: str) -> bool:
        """Type the same into several values, as one step; False where one refused it."""
        self.touched = next(iter(paths), self.touched)

        def typed() -> Project:
            project = self.history.present
            for path in paths:
                project = self._with_text(project, path, text)
            return project

        return self._edit(label, typed)

    def _with_text(self, project: Project, path: str, text: str) -> Project:
        typed = put_text(self.now, path, text)
        return self._with(project, path, look_up(typed, path))

    def _edit(self, label: str, make: Any) -> bool:
        try:
            project = make()
        except WallumError as error:
            self.failed.emit(str(error))
            return False
        self._hand_off()
        self.history.edit(label, project)
        return True

    def add_lamp(self, kind: str, at: Vector, normal: Vector) -> Lamp:
        """Put a lamp at a surface of the level where one would be, as strong as the exposure asks, and
        select it."""
        project, loaded = self.history.present, self.level
        assert loaded is not None
        find = place_toward if LAMP_KINDS[kind].AIMED else place_around
        placed = find(loaded.rays, np.array(at), np.array(normal))
        number = 1 + sum(source.kind == kind for source in project.resolved_sources)
        lamp = LAMP_KINDS[kind](
            id=new_id("source"), name=f"{kind.capitalize()} {number}", position=placed.position, shadow=True
        )
        lamp = lamp.with_strength(lamp.strength_toward(fitting_intensity(self.shown_ev, placed.distance)))
        lamp = aimed_at(lamp, np.array(at))
        self.history.edit(f"put {lamp.name}", project.with_source(lamp))
        self.selection.select(lamp.id)
        strength = format_quantity(lamp.strength, declared(lamp)[lamp.STRENGTH].unit)
        self.told.emit(f"{lamp.name}: {strength}, so that it shows at EV {self.shown_ev:.1f}")
        return lamp

    def _put_box(self, kind: type[Box], at: Vector, sunk: float = 0.0) -> Box:
        """Stand a box on the ground at a place, sunk into it so far [m], and select it."""
        project, word = self.history.present, str(kind.model_fields["kind"].default)
        number = 1 + sum(source.kind == word for source in project.resolved_sources)
        box = kind(id=new_id("source"), name=f"{word.capitalize()} {number}")
        x, y, z = at
        box = box.revised(position=(round(x, 3), round(y + 0.5 * box.size[1] - sunk, 3), round(z, 3)))
        self.history.edit(f"put {box.name}", project.with_source(box))
        self.selection.select(box.id)
        return box

    def add_pocket(self, at: Vector) -> PocketSource:
        """Put a pocket of air on the ground at a place, and select it."""
        pocket = self._put_box(PocketSource, at)
        self.told.emit(f"{pocket.name}: pull its sides; how far one sees in it is at the right")
        return pocket

    def add_room(self, at: Vector) -> AmbientBoxSource:
        """Put a room of one's own on the ground at a place, and select it."""
        room = self._put_box(AmbientBoxSource, at, sunk=0.05)
        self.told.emit(f"{room.name}: pull its sides to the walls; its light is at the right")
        return room

    def add_zone(self, at: Vector) -> ZoneSource:
        """Put a zone on the ground at a place, and select it."""
        zone = self._put_box(ZoneSource, at, sunk=0.05)
        self.told.emit(f"{zone.name}: pull its sides; what the picture is like in it is at the right")
        return zone

    def take_look_for_shot(self, look: Look, effects: tuple[str, ...]) -> None:
        """Let the shot that the camera stands at, and no other, have a look, as one step."""
        project = self.history.present
        shot = None if self.camera is None else shot_at(project, self.camera.eye)
        if shot is None:
            self.told.emit("Look through a shot first: the camera stands at none")
        elif self._edit(f"look of {shot.name}", lambda: with_look_of_shot(project, shot, look, effects)):
            self.told.emit(f"{shot.name} alone has it, by the zone Look of {shot.name}")

    def remove_selected(self) -> None:
        """Take the selected sources out of the project; locked ones stay."""
        gone = [source for source in self.selection.sources if not source.locked]
        if gone:
            label = f"remove {names_of(gone)}"
            self.history.edit(label, self.history.present.without([item.id for item in gone]))
            self.selection.select("")
        elif self.selection.ids:
            self.told.emit("What is selected is locked: unlock it first")

    def undo(self) -> None:
        self._hand_off()
        label = self.history.undo()
        self.told.emit(f"Undone: {label}" if label else "Nothing to undo")

    def redo(self) -> None:
        self._hand_off()
        label = self.history.redo()
        self.told.emit(f"Done again: {label}" if label else "Nothing to do again")
