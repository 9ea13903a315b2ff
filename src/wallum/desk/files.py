"""Projects and levels as files: opening, saving, what was left unsaved by a crash."""

from pathlib import Path

from PyQt6.QtCore import QObject, pyqtSignal
from PyQt6.QtWidgets import QFileDialog, QMessageBox, QWidget

from wallum.desk.loading import LevelLoader, LoadedLevel
from wallum.desk.session import Session
from wallum.document import autosave
from wallum.document.autosave import Recovery
from wallum.document.project import Project
from wallum.document.storage import SUFFIX
from wallum.errors import WallumError
from wallum.level.opening import DEMOS, open_project, same_level

__all__ = ["ProjectFiles"]


class ProjectFiles(QObject):
    """Brings projects onto the desk and puts them away."""

    level_opening = pyqtSignal(str)
    level_ready = pyqtSignal(object)
    level_failed = pyqtSignal(str)
    recovery_found = pyqtSignal(object)
    opened = pyqtSignal(str)  # a file that was opened or saved

    def __init__(self, session: Session, window: QWidget) -> None:
        super().__init__(window)
        self._session, self._window = session, window
        self._loaders: list[LevelLoader] = []
        self._ended = False
        # The level that is on the desk, or on its way there, and the project file it was named in.
        self._shown: tuple[str, Path | None] = ("", None)
        session.changed.connect(self._look_at_level)

    # -- opening -----------------------------------------------------------------------

    def open_reference(self, reference: str) -> bool:
        """Open a project file, a level file or a demo, or nothing; False where it was refused."""
        if not reference:
            self._look_for_unsaved(None)
            return True
        try:
            project, file = open_project(reference)
        except WallumError as error:
            self._session.failed.emit(str(error))
            return False
        self._take_over(project, file)
        if reference not in DEMOS:
            self._look_for_unsaved(file)
            self.opened.emit(reference)
        return True

    def ask_open(self) -> None:
        """Open what the artist chooses."""
        kinds = f"Projects and levels (*{SUFFIX} *.glb *.gltf)"
        name, _ = QFileDialog.getOpenFileName(self._window, "Open", "", kinds)
        if name and self.may_leave():
            self.open_reference(name)

    def _take_over(self, project: Project, file: Path | None) -> None:
        self._session.camera = None
        self._session.replace(project, file)
        self._load_level()

    def _load_level(self) -> None:
        for loader in self._loaders:
            loader.give_up()
        self._session.level = None
        reference = self._session.project.level
        self.level_is(reference)
        self.level_opening.emit(Path(reference).name)
        loader = LevelLoader(reference, self._session.file, self._session.project, self)
        loader.loaded.connect(self._take_level)
        loader.failed.connect(self.level_failed)
        self._loaders = [one for one in self._loaders if one.isRunning()] + [loader]
        loader.start()

    def _take_level(self, loaded: LoadedLevel) -> None:
        if self._ended:  # it was said just before the end
            loaded.block.close()
            return
        self._session.take_level(loaded)
        self.level_ready.emit(loaded)

    def level_is(self, reference: str) -> None:
        """A level comes onto the desk."""
        self._shown = (reference, self._session.file)

    def _look_at_level(self) -> None:
        """A step of undo may bring another level back."""
        if self._ended:
            return
        now = (self._session.history.present.level, self._session.file)
        if self._session.level is not None and now != self._shown:
            if not same_level(now, self._shown):
                self._load_level()
            self._shown = now

    # -- after a crash -----------------------------------------------------------------

    def _look_for_unsaved(self, file: Path | None) -> None:
        found = autosave.recoverable(file)
        own = self._session.project.level
        if found is not None and (file is not None or not own or found.project.level == own):
            self.recovery_found.emit(found)

    def recover(self, project: Project) -> None:
        """Go on with unsaved work; its level is opened where another is on the desk."""
        if project.level != self._session.project.level:
            self._take_over(Project(name=project.name, level=project.level), None)
        self._session.recover(project)

    def forget(self, found: Recovery) -> None:
        """Unsaved work is not wanted."""
        autosave.clear(found.file)

    # -- saving ------------------------------------------------------------------------

    def may_leave(self) -> bool:
        """Ask before unsaved work is left."""
        if not self._session.history.dirty:
            return True
        buttons = QMessageBox.StandardButton
        choices = buttons.Save | buttons.Discard | buttons.Cancel
        answer = QMessageBox.question(self._window, "Unsaved work", "Save the changes first?", choices)
        if answer == buttons.Save:
            return self.save()
        if answer == buttons.Discard:
            autosave.clear(self._session.file)
        return answer == buttons.Discard

    def save(self) -> bool:
        """Save, asking for a name where there is none."""
        if self._session.file is None:
            return self.ask_save()
        return self.save_to(self._session.file)

    def ask_save(self) -> bool:
        """Save under a name that the artist chooses."""
        plain = f"{self._session.project.name.lower().replace(' ', '-')}{SUFFIX}"
        kinds = f"Projects (*{SUFFIX})"
        suggested = str(self._session.file or plain)
        name, _ = QFileDialog.getSaveFileName(self._window, "Save", suggested, kinds)
        return self.save_to(Path(name).with_suffix(SUFFIX)) if name else False

    def save_to(self, file: Path) -> bool:
        """Save to a file; False where it was refused, and said why."""
        done = self._session.save_to(file)
        if done:
            self.opened.emit(str(file))
        return done

    def dispose(self) -> None:
        """Stop what still loads."""
        self._ended = True
        for loader in self._loaders:
            loader.give_up()
            loader.wait()
