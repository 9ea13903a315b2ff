"""Keeping: the project's file, and what of a sitting is kept beside it until it is saved."""

from pathlib import Path
from typing import TYPE_CHECKING

from PyQt6.QtCore import QObject, QThreadPool, QTimer, pyqtSignal

from wallum.document.autosave import Recovery, RecoveryFile, forget
from wallum.document.fields import unchecked
from wallum.document.project import Project, Shot
from wallum.document.storage import as_project_file, save
from wallum.errors import ChangedProblem, ProjectProblem
from wallum.level.opening import moved_beside

if TYPE_CHECKING:
    from wallum.desk.session.session import Session

__all__ = ["ProjectStore"]

AUTOSAVE_MS = 1500


class ProjectStore(QObject):
    """Nothing of the work is lost: it is written on demand, and kept in the background meanwhile.

    file : of the project; None for one that has none yet
    mark : what the file held when it was read or written last
    """

    other_writer = pyqtSignal(object)  # the file that was not saved: another has changed it

    def __init__(self, session: "Session", file: Path | None) -> None:
        super().__init__()
        self._session, self.file = session, file
        self.mark: str | None = None
        self._sitting = RecoveryFile(file)
        self._kept: Project = session.history.present
        self._autosave = QTimer(self)
        self._autosave.setInterval(AUTOSAVE_MS)
        self._autosave.setSingleShot(True)
        self._autosave.timeout.connect(self.keep)
        session.changed.connect(self._plan_autosave)
        self._pool = QThreadPool(self)
        self._pool.setMaxThreadCount(1)

    def leave(self) -> None:
        """Another project comes: what is kept of this one is given up."""
        self._autosave.stop()
        self.drop()

    def begin(self, project: Project, file: Path | None, mark: str | None) -> None:
        """Keep another project; `mark` stands for what its file holds."""
        self.file, self.mark, self._kept = file, mark, project
        self._sitting = RecoveryFile(file)

    @property
    def is_kept(self) -> bool:
        """Whether nothing has come since it was kept last."""
        return self._kept is self._session.history.present

    def still_kept(self) -> None:
        """What has come since is nothing of the artist's."""
        self._kept = self._session.history.present

    def recover(self, found: Recovery) -> bool:
        """Go on with unsaved work that was found; it counts as unsaved. What was found goes once it
        is kept as the work of now; False where the disk refuses that, and it stays."""
        floors = found.project.floors if self._session.level is None else self._session.level.floors
        self._session.history.edit("recovered work", unchecked(found.project, {"floors": floors}))
        self._pool.waitForDone()
        self._kept = self._session.history.present
        if not self._write(self.with_viewpoint(self._kept), self._sitting, self._session.history.steps):
            return False
        forget(found)
        return True

    def with_viewpoint(self, project: Project) -> Project:
        """The project with the present camera as its viewpoint."""
        clock = round(self._session.playhead.hour * 60.0) / 60.0
        if project.setting.clock != clock:
            project = project.revised(setting=project.setting.revised(clock=clock))
        if self._session.camera is None:
            return project
        here = Shot(
            id="viewpoint",
            name="Viewpoint",
            eye=self._session.camera.eye,
            direction=self._session.camera.direction,
            fov=self._session.camera.fov,
        )
        return project if project.viewpoint == here else project.revised(viewpoint=here)

    def save_to(self, file: Path, over: bool = False) -> bool:
        """Write the project; False where it could not be, and said why.

        over : whether it may go over what another has written since it was read
        """
        present = self._session.history.present
        before = self.file
        written = present if file == before else moved_beside(present, before, file)
        seen = self.mark if file == before and not over else None
        try:
            mark = save(self.with_viewpoint(written), as_project_file(file), seen)
        except ChangedProblem:
            self.other_writer.emit(file)
            return False
        except ProjectProblem as error:
            self._session.failed.emit(str(error))
            return False
        self.file, self.mark = file, mark
        if file != before:
            self._session.history.restate(lambda project: moved_beside(project, before, file))
        self._session.history.mark_saved(self._session.history.present)
        self.drop()
        self._kept = self._session.history.present
        self._session.told.emit(f"Saved {file.name}")
        return True

    def take_theirs(self, project: Project, mark: str) -> None:
        """Go on with what another has written to the file; undo brings back what was here."""
        floors = project.floors if self._session.level is None else self._session.level.floors
        self._session.history.edit("take what the file holds", unchecked(project, {"floors": floors}))
        self.mark = mark
        self._session.history.mark_saved(self._session.history.present)

    def drop(self) -> None:
        """What was kept of this sitting is saved, or given up; what others left stays."""
        self._pool.waitForDone()
        self._sitting.clear()
        self._sitting = RecoveryFile(self.file)

    def _plan_autosave(self) -> None:
        if self._session.history.present is not self._kept and not self._autosave.isActive():
            self._autosave.start()

    def keep(self) -> None:
        """Keep unsaved work beside the project, in the background."""
        present, sitting = self._session.history.present, self._sitting
        if present is self._kept:
            return
        self._kept = present
        if not self._session.history.dirty:
            self._pool.start(sitting.clear)
            return
        selected, steps = self.with_viewpoint(present), self._session.history.steps

        def write() -> None:
            self._write(selected, sitting, steps)

        self._pool.start(write)

    def _write(self, project: Project, sitting: RecoveryFile, steps: int) -> bool:
        try:
            sitting.keep(project, steps)
        except ProjectProblem as error:
            self._session.failed.emit(str(error))
            return False
        return True

    def finish(self) -> None:
        """The window closes in order: nothing unsaved is left behind that was given up."""
        self._autosave.stop()
        self._pool.waitForDone()
