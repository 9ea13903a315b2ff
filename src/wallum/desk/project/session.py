"""What the desk works on: a project with its file, and the level it lights."""

import math
from collections.abc import Iterable
from pathlib import Path
from typing import Any

import numpy as np
from PyQt6.QtCore import QObject, QThreadPool, QTimer, pyqtSignal

from wallum.desk.project.loading import LoadedLevel
from wallum.document.autosave import Recovery, Sitting, forget
from wallum.document.fields import Vector, declared, unchecked
from wallum.document.history import History
from wallum.document.lanes import Peg, PegTime
from wallum.document.paths import look_up, put, put_text
from wallum.document.pegging import pegged, unpegged, without_lane
from wallum.document.project import Project, Shot, base_light
from wallum.document.quantities import format_quantity
from wallum.document.sources import LAMP_KINDS, Coloured, Lamp, Source, new_id
from wallum.document.storage import as_project_file, save
from wallum.errors import ChangedProblem, ProjectProblem, ValueProblem, WallumError
from wallum.judge.findings import Remedy
from wallum.level.opening import moved_beside
from wallum.moment.aiming import aimed_at
from wallum.moment.at_moment import at_moment, put_at
from wallum.moment.camera import Camera
from wallum.moment.moment import Moment, own_moment
from wallum.physics.exposure import grey_luminance
from wallum.transport.placing import place_around, place_toward

__all__ = ["Session", "fitting_intensity", "names_of"]

AUTOSAVE_MS = 1500
# A new lamp's light on a mid grey surface at its distance: this much above mid grey.
NEW_LAMP_STOPS = 0.5
FREE_WHEN_LOCKED = frozenset({"locked", "name", "on", "hidden", "role"})


def fitting_intensity(ev100: float, distance_m: float) -> float:
    """Intensity that shows well on grey at a distance under an exposure, two digits [cd]."""
    wanted = grey_luminance(ev100) * 2.0**NEW_LAMP_STOPS
    exact = wanted * math.pi / 0.18 * distance_m**2
    scale = 10.0 ** (math.floor(math.log10(max(exact, 1e-6))) - 1)
    return min(max(round(exact / scale) * scale, 0.001), 1e6)


def names_of(sources: Iterable[Coloured]) -> str:
    """Sources as a step's name has them."""
    names = [one.name for one in sources]
    return names[0] if len(names) == 1 else f"{len(names)} sources"


def refuse_where_locked(project: Project, path: str) -> None:
    """Raises ValueProblem for a value of a source that is locked."""
    head, *rest = path.split("/")
    if head != "sources" or len(rest) < 2 or rest[1] in FREE_WHEN_LOCKED:
        return
    source = project.source(rest[0].removeprefix("@"))
    if source is not None and source.locked:
        raise ValueProblem(f"{source.name} is locked", rest[1], "unlock it first")


class Session(QObject):
    """Every edit goes through here, and from here through the history."""

    changed = pyqtSignal()
    selection_changed = pyqtSignal()
    hour_changed = pyqtSignal()
    told = pyqtSignal(str)  # a sentence for the status line
    failed = pyqtSignal(str)  # a sentence for the bar
    other_writer = pyqtSignal(object)  # the file that was not saved: another has changed it

    def __init__(self, project: Project | None = None, file: Path | None = None) -> None:
        super().__init__()
        self.history = History(project or Project(sources=base_light()))
        self._end_listening = self.history.listen(self.changed.emit)
        self.file = file
        self.mark: str | None = None  # what the file held when it was read or written last
        self._sitting = Sitting(file)
        self.level: LoadedLevel | None = None
        self.selection: tuple[str, ...] = ()  # ids of sources; the last one chosen leads
        self._chosen: tuple[tuple[str, ...], frozenset[str]] = ((), frozenset())
        self.active: frozenset[str] = frozenset()  # sources under the hand
        self.light_dragged = False  # whether the hand changes light: exposure then holds still
        self.camera: Camera | None = None
        self.moment = own_moment(self.history.present)  # where the playhead stands
        self.scrubbing = False  # whether the hand moves the hour
        self.shown_ev = self.history.present.look.ev100  # exposure of the last picture
        self._now: tuple[Project, Moment, Project] | None = None  # found last, and for what
        self._kept: Project = self.history.present
        self._autosave = QTimer(self)
        self._autosave.setInterval(AUTOSAVE_MS)
        self._autosave.setSingleShot(True)
        self._autosave.timeout.connect(self.keep)
        self.changed.connect(self._plan_autosave)
        self._pool = QThreadPool(self)
        self._pool.setMaxThreadCount(1)

    @property
    def project(self) -> Project:
        """What is shown now, previews included."""
        return self.history.shown

    def replace(self, project: Project, file: Path | None, mark: str | None = None) -> None:
        """Work on another project; `mark` stands for what its file holds. What was here is left."""
        self._autosave.stop()
        self.drop_kept()
        self._end_listening()
        self.history = History(project)
        self._end_listening = self.history.listen(self.changed.emit)
        self.file, self.mark, self._kept = file, mark, project
        self._sitting = Sitting(file)
        self.selection = ()
        self._hand_off()
        self.moment, self.shown_ev = own_moment(project), project.look.ev100
        self.selection_changed.emit()
        self.changed.emit()
        self.hour_changed.emit()

    def take_level(self, loaded: LoadedLevel) -> None:
        """A level is there. What its floors are is found, not edited: no step, and every step knows it."""

        def known(project: Project) -> Project:
            same = project.floors == loaded.floors
            return project if same else unchecked(project, {"floors": loaded.floors})

        kept = self._kept is self.history.present
        self.history.restate(known)
        if kept:  # nothing of the artist's is new: work that was found after a crash stays where it is
            self._kept = self.history.present
        self.level = loaded

    def recover(self, found: Recovery) -> bool:
        """Go on with unsaved work that was found; it counts as unsaved. What was found goes once it
        is kept as the work of now; False where the disk refuses that, and it stays."""
        floors = found.project.floors if self.level is None else self.level.floors
        self.history.edit("recovered work", unchecked(found.project, {"floors": floors}))
        self._pool.waitForDone()
        self._kept = self.history.present
        if not self._write(self.with_viewpoint(self._kept), self._sitting, self.history.steps):
            return False
        forget(found)
        return True

    # -- the hour ----------------------------------------------------------------------

    def set_hour(self, hour: float) -> None:
        """Move the playhead [h]. Where it stands is kept with the project, but is no step."""
        hour = min(max(hour, 0.0), 24.0)
        if hour != self.hour:
            self.moment = self.moment.at(hour)
            self.hour_changed.emit()

    def scrub(self, hour: float) -> None:
        """Move the playhead by hand [h]; see `rest_at`."""
        self.scrubbing = True
        self.set_hour(hour)

    def rest_at(self, hour: float) -> None:
        """The hand lets the playhead go [h]."""
        moved, self.scrubbing = self.scrubbing, False
        if moved and hour == self.hour:
            self.hour_changed.emit()
        self.set_hour(hour)

    @property
    def hour(self) -> float:
        """Where the playhead stands [h]."""
        return self.moment.clock

    @property
    def now(self) -> Project:
        """What is shown, with the values that the day's lanes give at this hour."""
        kept = self._now
        if kept is None or kept[0] is not self.project or kept[1] != self.moment:
            project = at_moment(self.project, self.moment)
            setting = unchecked(project.setting, {"clock": self.hour})
            kept = self._now = (self.project, self.moment, unchecked(project, {"setting": setting}))
        return kept[2]

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
        return put_at(project, path, value, self.moment)

    # -- selection ---------------------------------------------------------------------

    @property
    def selected(self) -> str:
        """Id of the source that was selected last; empty for none."""
        return self.selection[-1] if self.selection else ""

    def select(self, *source_ids: str) -> None:
        """Select sources, the last one leading; nothing or an empty id for none."""
        chosen = tuple(dict.fromkeys(one for one in source_ids if one))
        if chosen != self.selection:
            self.selection = chosen
            self.selection_changed.emit()

    def select_also(self, source_id: str) -> None:
        """Add a source to the selection, or take it out."""
        others = tuple(one for one in self.selection if one != source_id)
        self.select(*(others if source_id in self.selection else (*others, source_id)))

    @property
    def chosen(self) -> frozenset[str]:
        """Ids of all selected sources, to look one up among thousands."""
        if self._chosen[0] is not self.selection:
            self._chosen = (self.selection, frozenset(self.selection))
        return self._chosen[1]

    @property
    def selected_source(self) -> Source | None:
        return self.project.source(self.selected)

    @property
    def selected_sources(self) -> tuple[Source, ...]:
        """All selected sources, as they are in the project."""
        found = (self.project.source(one) for one in self.selection)
        return tuple(one for one in found if one is not None)

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
        heads = [path.split("/") for path in values]
        self.active = frozenset(one[1].removeprefix("@") for one in heads if one[0] == "sources")
        self.light_dragged = any(one[0] in ("sources", "air") for one in heads)
        self.history.preview(shown)

    def preview_values(self, source_id: str, changes: dict[str, Any]) -> None:
        """Show several values of one source while a drag lasts."""
        self.preview_all({f"sources/@{source_id}/{name}": value for name, value in changes.items()})

    def set_values(self, label: str, source_id: str, changes: dict[str, Any]) -> bool:
        """Change several values of one source, as one step; False where one was refused."""
        return self.set_all(label, {f"sources/@{source_id}/{name}": v for name, v in changes.items()})

    def set_all(self, label: str, values: dict[str, Any]) -> bool:
        """Change several values, by their paths, as one step; False where one was refused."""
        return self._edit(label, lambda: self._with_all(self.history.present, values))

    def apply(self, label: str, remedies: Iterable[Remedy]) -> bool:
        """Apply remedies as one step, each at its own hour; False where one was refused."""

        def remedied() -> Project:
            project = self.history.present
            for one in remedies:
                for path in one.values:
                    refuse_where_locked(project, path)
                project = one.applied(project)
            return project

        return self._edit(label, remedied)

    def _with_all(self, project: Project, values: dict[str, Any]) -> Project:
        for path, value in values.items():
            project = self._with(project, path, value)
        return project

    def _hand_off(self) -> None:
        self.active, self.light_dragged = frozenset(), False

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
        done = self._edit(label, lambda: self._with(self.history.present, path, value))
        if done and path == "setting/clock":
            self.set_hour(self.project.setting.clock)
        return done

    def set_text(self, label: str, path: str, text: str) -> bool:
        """Change one value as typed; False where it was refused, and said why."""
        done = self._edit(label, lambda: self._with_text(self.history.present, path, text))
        if done and path == "setting/clock":
            self.set_hour(self.project.setting.clock)
        return done

    def set_text_all(self, label: str, paths: list[str], text: str) -> bool:
        """Type the same into several values, as one step; False where one refused it."""

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
        number = 1 + sum(one.kind == kind for one in project.resolved_sources)
        lamp = LAMP_KINDS[kind](
            id=new_id("source"), name=f"{kind.capitalize()} {number}", position=placed.position, shadow=True
        )
        lamp = lamp.with_strength(lamp.strength_toward(fitting_intensity(self.shown_ev, placed.distance)))
        lamp = aimed_at(lamp, np.array(at))
        self.history.edit(f"put {lamp.name}", project.with_source(lamp))
        self.select(lamp.id)
        strength = format_quantity(lamp.strength, declared(lamp)[lamp.STRENGTH].unit)
        self.told.emit(f"{lamp.name}: {strength}, so that it shows at EV {self.shown_ev:.1f}")
        return lamp

    def remove_selected(self) -> None:
        """Take the selected sources out of the project; locked ones stay."""
        gone = [one for one in self.selected_sources if not one.locked]
        if gone:
            label = f"remove {names_of(gone)}"
            self.history.edit(label, self.history.present.without([one.id for one in gone]))
            self.select("")
        elif self.selection:
            self.told.emit("What is selected is locked: unlock it first")

    def undo(self) -> None:
        self._hand_off()
        label = self.history.undo()
        self.told.emit(f"Undone: {label}" if label else "Nothing to undo")

    def redo(self) -> None:
        self._hand_off()
        label = self.history.redo()
        self.told.emit(f"Done again: {label}" if label else "Nothing to do again")

    # -- files -------------------------------------------------------------------------

    def with_viewpoint(self, project: Project) -> Project:
        """The project with the present camera as its viewpoint."""
        clock = round(self.hour * 60.0) / 60.0
        if project.setting.clock != clock:
            project = project.revised(setting=project.setting.revised(clock=clock))
        if self.camera is None:
            return project
        here = Shot(
            id="viewpoint",
            name="Viewpoint",
            eye=self.camera.eye,
            direction=self.camera.direction,
            fov=self.camera.fov,
        )
        return project if project.viewpoint == here else project.revised(viewpoint=here)

    def save_to(self, file: Path, over: bool = False) -> bool:
        """Write the project; False where it could not be, and said why.

        over : whether it may go over what another has written since it was read
        """
        present = self.history.present
        before = self.file
        written = present if file == before else moved_beside(present, before, file)
        seen = self.mark if file == before and not over else None
        try:
            mark = save(self.with_viewpoint(written), as_project_file(file), seen)
        except ChangedProblem:
            self.other_writer.emit(file)
            return False
        except ProjectProblem as error:
            self.failed.emit(str(error))
            return False
        self.file, self.mark = file, mark
        if file != before:
            self.history.restate(lambda project: moved_beside(project, before, file))
        self.history.mark_saved(self.history.present)
        self.drop_kept()
        self._kept = self.history.present
        self.told.emit(f"Saved {file.name}")
        return True

    def take_theirs(self, project: Project, mark: str) -> None:
        """Go on with what another has written to the file; undo brings back what was here."""
        floors = project.floors if self.level is None else self.level.floors
        self.history.edit("take what the file holds", unchecked(project, {"floors": floors}))
        self.mark = mark
        self.history.mark_saved(self.history.present)

    def drop_kept(self) -> None:
        """What was kept of this sitting is saved, or given up; what others left stays."""
        self._pool.waitForDone()
        self._sitting.clear()
        self._sitting = Sitting(self.file)

    def _plan_autosave(self) -> None:
        if self.history.present is not self._kept and not self._autosave.isActive():
            self._autosave.start()

    def keep(self) -> None:
        """Keep unsaved work beside the project, in the background."""
        present, sitting = self.history.present, self._sitting
        if present is self._kept:
            return
        self._kept = present
        if not self.history.dirty:
            self._pool.start(sitting.clear)
            return
        kept, steps = self.with_viewpoint(present), self.history.steps

        def write() -> None:
            self._write(kept, sitting, steps)

        self._pool.start(write)

    def _write(self, project: Project, sitting: Sitting, steps: int) -> bool:
        try:
            sitting.keep(project, steps)
        except ProjectProblem as error:
            self.failed.emit(str(error))
            return False
        return True

    def finish(self) -> None:
        """The window closes in order: nothing unsaved is left behind that was given up."""
        self._autosave.stop()
        self._pool.waitForDone()
