"""What the desk works on: a project with its file, and the level it lights."""

import math
from pathlib import Path
from typing import Any

from PyQt6.QtCore import QObject, QThreadPool, QTimer, pyqtSignal

from wallum.desk.loading import LoadedLevel
from wallum.document import autosave
from wallum.document.fields import Vector
from wallum.document.history import History
from wallum.document.paths import put, put_text
from wallum.document.project import Project, Shot, base_light
from wallum.document.sources import PointSource, Source, SpotSource, new_id
from wallum.document.storage import save
from wallum.errors import ProjectProblem, WallumError
from wallum.level.opening import reference_to
from wallum.moment.camera import Camera
from wallum.physics.exposure import grey_luminance

__all__ = ["Session", "fitting_intensity"]

AUTOSAVE_MS = 1500
# A new lamp's light on a mid grey surface at its distance: this much above mid grey.
NEW_LAMP_STOPS = 0.5
SPOT_DISTANCE_M, POINT_DISTANCE_M = 2.2, 0.8


def fitting_intensity(ev100: float, distance_m: float) -> float:
    """Intensity that shows well on grey at a distance under an exposure, two digits [cd]."""
    wanted = grey_luminance(ev100) * 2.0**NEW_LAMP_STOPS
    exact = wanted * math.pi / 0.18 * distance_m**2
    scale = 10.0 ** (math.floor(math.log10(max(exact, 1e-6))) - 1)
    return min(max(round(exact / scale) * scale, 0.001), 1e6)


class Session(QObject):
    """Every edit goes through here, and from here through the history."""

    changed = pyqtSignal()
    selection_changed = pyqtSignal()
    told = pyqtSignal(str)  # a sentence for the status line
    failed = pyqtSignal(str)  # a sentence for the bar

    def __init__(self, project: Project | None = None, file: Path | None = None) -> None:
        super().__init__()
        self.history = History(project or Project(sources=base_light()))
        self._end_listening = self.history.listen(self.changed.emit)
        self.file = file
        self.level: LoadedLevel | None = None
        self.selected: str = ""
        self.active: frozenset[str] = frozenset()  # sources under the hand
        self.camera: Camera | None = None
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

    def replace(self, project: Project, file: Path | None) -> None:
        """Work on another project."""
        self._autosave.stop()
        self._pool.waitForDone()
        self._end_listening()
        self.history = History(project)
        self._end_listening = self.history.listen(self.changed.emit)
        self.file, self._kept = file, project
        self.selected, self.active = "", frozenset()
        self.selection_changed.emit()
        self.changed.emit()

    def recover(self, project: Project) -> None:
        """Go on with unsaved work that was found; it counts as unsaved."""
        self.history.edit("recovered work", project)

    # -- selection ---------------------------------------------------------------------

    def select(self, source_id: str) -> None:
        """Select a source; empty for none."""
        if source_id != self.selected:
            self.selected = source_id
            self.selection_changed.emit()

    @property
    def selected_source(self) -> Source | None:
        return self.project.source(self.selected)

    # -- edits -------------------------------------------------------------------------

    def preview(self, path: str, value: Any) -> None:
        """Show a value while a drag lasts. Sources are addressed by @ and their id."""
        try:
            shown = put(self.history.present, path, value)
        except WallumError as error:
            self.told.emit(str(error))
            return
        head, *rest = path.split("/")
        self.active = frozenset({rest[0].removeprefix("@")}) if head == "sources" else frozenset()
        self.history.preview(shown)

    def commit(self, label: str) -> None:
        """End a drag as one step."""
        self.active = frozenset()
        self.history.commit(label)

    def cancel(self) -> None:
        """End a drag and forget it."""
        self.active = frozenset()
        self.history.cancel()

    def set_value(self, label: str, path: str, value: Any) -> None:
        """Change one value, as one step."""
        self._edit(label, lambda: put(self.history.present, path, value))

    def set_text(self, label: str, path: str, text: str) -> bool:
        """Change one value as typed; False where it was refused, and said why."""
        return self._edit(label, lambda: put_text(self.history.present, path, text))

    def _edit(self, label: str, make: Any) -> bool:
        try:
            project = make()
        except WallumError as error:
            self.failed.emit(str(error))
            return False
        self.active = frozenset()
        self.history.edit(label, project)
        return True

    def add_lamp(self, kind: str, at: Vector, normal: Vector) -> PointSource | SpotSource:
        """Put a lamp off a surface, as strong as the exposure asks, and select it."""
        project = self.history.present
        distance = SPOT_DISTANCE_M if kind == "spot" else POINT_DISTANCE_M
        place = tuple(p + n * distance for p, n in zip(at, normal, strict=True))
        number = 1 + sum(one.kind == kind for one in project.sources)
        common: dict[str, Any] = {
            "id": new_id("source"),
            "name": f"{kind.capitalize()} {number}",
            "position": place,
            "intensity": fitting_intensity(project.look.ev100, distance),
            "shadow": True,
            "range": 0.0,
        }
        lamp: PointSource | SpotSource = PointSource(**common)
        if kind == "spot":
            lamp = SpotSource(**common, direction=(-normal[0], -normal[1], -normal[2]))
        self.history.edit(f"put {lamp.name}", project.with_source(lamp))
        self.select(lamp.id)
        self.told.emit(
            f"{lamp.name}: {lamp.intensity:,.0f} cd, so that it shows at EV {project.look.ev100:g}"
        )
        return lamp

    def remove_selected(self) -> None:
        """Take the selected source out of the project."""
        source = self.selected_source
        if source is not None:
            self.history.edit(f"remove {source.name}", self.history.present.without([source.id]))
            self.select("")

    def undo(self) -> None:
        self.active = frozenset()
        label = self.history.undo()
        self.told.emit(f"Undone: {label}" if label else "Nothing to undo")

    def redo(self) -> None:
        self.active = frozenset()
        label = self.history.redo()
        self.told.emit(f"Done again: {label}" if label else "Nothing to do again")

    # -- files -------------------------------------------------------------------------

    def with_viewpoint(self, project: Project) -> Project:
        """The project with the present camera as its viewpoint."""
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

    def save_to(self, file: Path) -> bool:
        """Write the project; False where the disk refused, and said why."""
        present = self.history.present
        written = present
        if file != self.file and present.level and not present.level.startswith("builtin:"):
            origin = self.file.parent if self.file else Path()
            written = present.revised(level=reference_to(origin / present.level, file))
        try:
            save(self.with_viewpoint(written), file)
        except ProjectProblem as error:
            self.failed.emit(str(error))
            return False
        before, self.file = self.file, file
        if written is not present:
            self.history.edit("save under a new name", written)
        self.history.mark_saved(self.history.present)
        self._pool.waitForDone()
        autosave.clear(before)
        autosave.clear(file)
        self._kept = self.history.present
        self.told.emit(f"Saved {file.name}")
        return True

    def _plan_autosave(self) -> None:
        if self.history.present is not self._kept and not self._autosave.isActive():
            self._autosave.start()

    def keep(self) -> None:
        """Keep unsaved work beside the project, in the background."""
        present, file = self.history.present, self.file
        if present is self._kept:
            return
        self._kept = present
        if not self.history.dirty:
            self._pool.start(lambda: autosave.clear(file))
            return
        kept = self.with_viewpoint(present)
        self._pool.start(lambda: self._write(kept, file))

    def _write(self, project: Project, file: Path | None) -> None:
        try:
            autosave.autosave(project, file)
        except ProjectProblem as error:
            self.failed.emit(str(error))

    def finish(self) -> None:
        """The window closes in order: nothing unsaved is left behind that was given up."""
        self._autosave.stop()
        self._pool.waitForDone()
