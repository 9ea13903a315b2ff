"""Projects and levels as files: opening, saving, what was left unsaved by a crash."""

from pathlib import Path

from PyQt6.QtCore import QObject, pyqtSignal
from PyQt6.QtWidgets import QFileDialog, QMessageBox, QWidget

from wallum.desk.jobs.loading import LevelLoader, LoadedLevel
from wallum.desk.jobs.work_thread import ThreadGroup
from wallum.desk.session.session import Session
from wallum.document.autosave import Recovery, recoverable
from wallum.document.project import Project
from wallum.document.storage import SUFFIX, load_stored
from wallum.errors import WallumError
from wallum.level.opening import (
    DEMOS,
    LEVEL_SUFFIXES,
    MADE,
    choose_level,
    file_of,
    may_read_level,
    named_project,
    reference_to,
    same_level,
)

__all__ = ["ProjectFiles"]


class ProjectFiles(QObject):
    """Brings projects onto the desk and puts them away."""

    level_opening = pyqtSignal(str)
    level_ready = pyqtSignal(object)  # a LoadedLevel that can be drawn
    level_whole = pyqtSignal(object)  # the same with its rays
    level_failed = pyqtSignal(str)
    level_elsewhere = pyqtSignal(object)  # a level that the project may not have read as it is
    recovery_found = pyqtSignal(object)  # unsaved work of others' sittings; none: nothing waits any more
    opened = pyqtSignal(str)  # a file that was opened or saved

    def __init__(self, session: Session, window: QWidget) -> None:
        super().__init__(window)
        self._session, self._window = session, window
        self._crew = ThreadGroup(self)
        self._loader: LevelLoader | None = None
        self._left: Project | None = None  # what was on the desk when a level file was asked for
        self._ended = False
        # The level that is on the desk, or on its way there, and the project file it was named in.
        self._shown: tuple[str, Path | None] = ("", None)
        session.changed.connect(self._look_at_level)

    # -- opening -----------------------------------------------------------------------

    def open_reference(self, reference: str) -> bool:
        """Open a project file, a level file or a demo, or nothing; False where it was refused.

        What is on the desk stays until a level file has been read.
        """
        if not reference:
            self._look_for_unsaved()
            return True
        if reference not in DEMOS and Path(reference).suffix.lower() in LEVEL_SUFFIXES:
            self._begin_on_level(reference)
            return True
        try:
            if reference in DEMOS:
                project, mark, file = named_project(reference), None, None
            else:
                stored, file = load_stored(Path(reference)), Path(reference)
                project, mark = stored.project, stored.mark
        except WallumError as error:
            self._session.failed.emit(str(error))
            return False
        self._take_over(project, file, mark)
        self._look_for_unsaved()
        if file is not None:
            self.opened.emit(reference)
        return True

    def ask_open(self) -> None:
        """Open what the artist chooses."""
        kinds = f"Projects and levels (*{SUFFIX} *.glb *.gltf)"
        name, _ = QFileDialog.getOpenFileName(self._window, "Open", "", kinds)
        if name and self.may_leave():
            self.open_reference(name)

    def _take_over(self, project: Project, file: Path | None, mark: str | None = None) -> None:
        self._session.camera = None
        self.recovery_found.emit([])
        self._session.replace(project, file, mark)
        self._load_level()

    def _begin_on_level(self, reference: str) -> None:
        named = reference_to(Path(reference), None)
        self._left = self._session.history.present
        self.level_opening.emit(Path(reference).name)
        self._load(LevelLoader(named, None, None))

    def _load_level(self) -> None:
        self._session.level = None
        project, file = self._session.project, self._session.keeping.file
        reference = project.level
        self.level_is(reference)
        self.level_opening.emit(Path(reference).name)
        if not may_read_level(project, file):
            self.level_elsewhere.emit(file_of(reference, file))
        self._load(LevelLoader(reference, self._session.keeping.file, self._session.project))

    def _load(self, loader: LevelLoader) -> None:
        if self._loader is not None:
            self._loader.give_up()
        self._loader = loader
        loader.drawn.connect(self._take_level)
        loader.whole.connect(self._take_whole)
        loader.failed.connect(self._loading_failed)
        self._crew.start(loader)

    def _loading_failed(self, text: str) -> None:
        if self.sender() is self._loader:
            self.level_failed.emit(text)

    def _take_level(self, loaded: LoadedLevel, begun: Project | None) -> None:
        late = self.sender() is not self._loader  # another was asked for meanwhile
        # Work that was done while the level was read is not left unasked.
        new_work = begun is not None and self._session.history.present is not self._left
        if self._ended or late or (new_work and not self.may_leave()):
            loaded.block.close()
            if not (self._ended or late):
                self._loader = None  # what else it says is not for the desk
                self.level_failed.emit("What is on the desk stays, as you chose.")
            return
        if begun is not None:
            choose_level(begun, None)
            self._session.camera = None
            self.recovery_found.emit([])
            self._session.level = None
            self._session.replace(begun, None)
            self.level_is(begun.level)
        self._session.take_level(loaded)
        self.level_ready.emit(loaded)
        if begun is not None:
            self._look_for_unsaved()
            self.opened.emit(begun.level)

    def _take_whole(self, loaded: LoadedLevel) -> None:
        present = self._session.level
        if self._ended or self.sender() is not self._loader or present is None:
            return
        if present.plain is loaded.plain:
            self._session.level = loaded
            self.level_whole.emit(loaded)

    def read_from_there(self) -> None:
        """The level that the project names is the artist's choice, wherever it lies."""
        choose_level(self._session.project, self._session.keeping.file)
        self._load_level()

    def level_is(self, reference: str) -> None:
        """A level comes onto the desk."""
        self._shown = (reference, self._session.keeping.file)

    def _look_at_level(self) -> None:
        """A step of undo may bring another level back."""
        if self._ended:
            return
        now = (self._session.history.present.level, self._session.keeping.file)
        if self._session.level is not None and now != self._shown:
            if not same_level(now, self._shown):
                self._load_level()
            self._shown = now

    # -- after a crash -----------------------------------------------------------------

    def _look_for_unsaved(self) -> None:
        result = recoverable(self._session.keeping.file)
        own = self._session.project.level
        if own.startswith(MADE):  # a demo is looked at, and not begun anew: only work on it is its own
            result = [item for item in result if item.project.level == own]
        if result:
            self.recovery_found.emit(result)

    def recover(self, found: Recovery) -> None:
        """Go on with unsaved work; its level is opened where another is on the desk."""
        project = found.project
        if project.level != self._session.project.level:
            if not self.may_leave():
                return
            self._take_over(Project(name=project.name, level=project.level), None)
        self._session.keeping.recover(found)

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
        # What was kept of it goes when it has really been left.
        return answer == buttons.Discard

    def save(self) -> bool:
        """Save, asking for a name where there is none."""
        if self._session.keeping.file is None:
            return self.ask_save()
        return self.save_to(self._session.keeping.file)

    def ask_save(self) -> bool:
        """Save under a name that the artist chooses."""
        plain = f"{self._session.project.name.lower().replace(' ', '-')}{SUFFIX}"
        kinds = f"Projects (*{SUFFIX})"
        suggested = str(self._session.keeping.file or plain)
        name, _ = QFileDialog.getSaveFileName(self._window, "Save", suggested, kinds)
        if not name:
            return False
        # The dialog takes a name that is long, or has dots in it, as it is.
        return self.save_to(Path(name if name.lower().endswith(SUFFIX) else f"{name}{SUFFIX}"))

    def save_to(self, file: Path, over: bool = False) -> bool:
        """Save to a file; False where it was not, and said why.

        over : whether it may go over what another has written since it was read
        """
        done = self._session.keeping.save_to(file, over)
        if done:
            if self._session.level is not None:  # it is on the desk: it was chosen
                choose_level(self._session.project, file)
            self.opened.emit(str(file))
        return done

    def save_beside(self, file: Path) -> bool:
        """Save under a free name beside a file that another has changed."""
        tries = (file.with_name(f"{file.stem}-mine{n}{SUFFIX}") for n in ("", *range(2, 1000)))
        free = next(try_ for try_ in tries if not try_.exists())
        return self.save_to(free)

    def take_theirs(self, file: Path) -> None:
        """Go on with what another has written to the project's file."""
        try:
            stored = load_stored(file)
        except WallumError as error:
            self._session.failed.emit(str(error))
            return
        self._session.keeping.take_theirs(stored.project, stored.mark)

    def dispose(self) -> None:
        """Stop what still loads."""
        self._ended = True
        self._crew.wait()
