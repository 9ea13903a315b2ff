"""A level received again: its file changed on disk, or another was chosen. All sources stay."""

import os
from dataclasses import dataclass
from pathlib import Path

import numpy as np
from PyQt6.QtCore import QFileSystemWatcher, QObject, QTimer, pyqtSignal
from PyQt6.QtWidgets import QFileDialog, QWidget

from wallum.desk.jobs.loading import LoadedLevel, load_now
from wallum.desk.jobs.work_thread import ThreadGroup, WorkThread
from wallum.desk.session.session import Session
from wallum.desk.widgets.sheet import Line
from wallum.document.project import PartMarks, Project
from wallum.document.sources import Lamp
from wallum.level.model.matching import Matching, match_parts
from wallum.level.opening import choose_level, file_of, reference_to
from wallum.transport.scene.inside import inside_solids

__all__ = ["Received", "Receiver", "report_lines"]

# Files are often written in pieces: wait until nothing more comes.
QUIET_MS = 400
# A shot is blocked where something stands this near before it, or about it [m].
BLOCKED_M = 0.3
SHOWN_NAMES = 6


@dataclass(frozen=True)
class Received:
    """What came: the level made ready, the project that goes with it, and what to say of it."""

    loaded: LoadedLevel
    project: Project
    matching: Matching
    lost: tuple[str, ...]
    inside: tuple[str, ...]
    blocked: tuple[str, ...]


def _marks(project: Project, matching: Matching) -> tuple[tuple[PartMarks, ...], tuple[str, ...]]:
    """Marks on the parts as they are now, and the parts whose marks are lost."""
    selected = tuple(
        mark.revised(part=matching.same[mark.part]) for mark in project.marks if mark.part in matching.same
    )
    return selected, tuple(mark.part for mark in project.marks if mark.part not in matching.same)


def _blocked(loaded: LoadedLevel, project: Project) -> tuple[str, ...]:
    shots = project.shots
    if not shots:
        return ()
    eyes, directions = np.array([shot.eye for shot in shots]), np.array([shot.direction for shot in shots])
    near = loaded.rays.first_hit(eyes, directions).distance < BLOCKED_M
    shut = near | inside_solids(loaded.rays, eyes)
    return tuple(shot.name for shot, bad in zip(shots, shut, strict=True) if bad)


def receive(reference: str, beside: Path | None, project: Project, before: LoadedLevel) -> Received:
    """Read a level anew and see what became of the one before. Raises LevelProblem."""
    fresh = load_now(reference, beside, project)
    matching = match_parts(before.plain, fresh.plain)
    marks, lost = _marks(project, matching)
    moved = project.revised(marks=marks, level=reference)
    lamps = [source for source in project.resolved_sources if isinstance(source, Lamp)]
    inside = inside_solids(fresh.rays, np.array([lamp.position for lamp in lamps]).reshape(-1, 3))
    names = tuple(lamp.name for lamp, bad in zip(lamps, inside, strict=True) if bad)
    return Received(fresh, moved, matching, lost, names, _blocked(fresh, project))


def _some(names: tuple[str, ...]) -> str:
    more = f" and {len(names) - SHOWN_NAMES} more" if len(names) > SHOWN_NAMES else ""
    return ", ".join(names[:SHOWN_NAMES]) + more


def report_lines(received: Received) -> list[Line]:
    """What to say of a level that was received again."""
    result, out = received.matching, []
    for word, names in (("Added", result.added), ("Removed", result.removed), ("Moved", result.moved)):
        if names:
            out.append(Line(f"{word}: {len(names)}", _some(names)))
    if result.renamed:
        names = tuple(f"{old} is {new}" for old, new in result.renamed)
        out.append(Line(f"Known by shape: {len(names)}", _some(names)))
    if not out:
        out.append(Line("Every part is where it was"))
    out.append(Line("All sources are kept"))
    for word, names in (
        ("Marks lost, for their parts are gone", received.lost),
        ("Sources now inside solids", received.inside),
        ("Shots now blocked", received.blocked),
    ):
        if names:
            out.append(Line(f"{word}: {len(names)}", _some(names)))
    return out


class _ReceiveThread(WorkThread):
    """One level being received."""

    received = pyqtSignal(object)
    doing = "receiving the level"

    def __init__(self, reference: str, beside: Path | None, project: Project, before: LoadedLevel) -> None:
        super().__init__()
        self._work = (reference, beside, project, before)

    def work(self) -> None:
        self.received.emit(receive(*self._work))


class Receiver(QObject):
    """Watches the level's file; receives it again as one step of undo."""

    changed_on_disk = pyqtSignal(str)
    arriving = pyqtSignal(str)  # the level's reference, just before it is on the desk
    received = pyqtSignal(object)  # Received
    failed = pyqtSignal(str)

    def __init__(self, session: Session, parent: QObject) -> None:
        super().__init__(parent)
        self._session = session
        self._watcher = QFileSystemWatcher(self)
        self._path: Path | None = None
        self._stamp: tuple[int, int] | None = None
        self._crew = ThreadGroup(self)
        self._thread: _ReceiveThread | None = None
        self._quiet = QTimer(self)
        self._quiet.setSingleShot(True)
        self._quiet.setInterval(QUIET_MS)
        self._quiet.timeout.connect(self._look)
        self._watcher.fileChanged.connect(self._something_changed)
        self._watcher.directoryChanged.connect(self._something_changed)

    def _something_changed(self, _: str) -> None:
        self._quiet.start()

    def _watch_nothing(self) -> None:
        watched = self._watcher.files() + self._watcher.directories()
        if watched:
            self._watcher.removePaths(watched)

    def watch(self) -> None:
        """Watch the file of the level that is on the desk."""
        self._watch_nothing()
        reference, file = self._session.project.level, self._session.keeping.file
        self._path = None
        if reference and not reference.startswith("builtin:"):
            self._path = file_of(reference, file)
            self._stamp = _stamp(self._path)
            # The folder too: many programs write a new file and put it in the old one's place.
            self._watcher.addPaths([str(self._path), str(self._path.resolve().parent)])

    def choose(self) -> None:
        """Choose the level anew, and receive it."""
        window = self.parent()
        shown = window if isinstance(window, QWidget) else None
        name, _ = QFileDialog.getOpenFileName(shown, "Receive a level", "", "Levels (*.glb *.gltf)")
        if name:
            file = self._session.keeping.file
            wanted = reference_to(Path(name), file)
            choose_level(self._session.project.revised(level=wanted), file)
            self.receive(wanted)

    def _look(self) -> None:
        if self._path is None:
            return
        stamp = _stamp(self._path)
        if str(self._path) not in self._watcher.files() and self._path.exists():
            self._watcher.addPath(str(self._path))
        if stamp is not None and stamp != self._stamp:
            self._stamp = stamp
            self.changed_on_disk.emit(self._path.name)

    def receive(self, reference: str = "") -> None:
        """Receive the level again, from its own file or from another that was chosen."""
        loaded = self._session.level
        wanted = reference or self._session.project.level
        if loaded is None or self._thread is not None:
            return
        if not wanted or wanted.startswith("builtin:"):
            self._session.told.emit("This level is made by Wallum itself: there is no file to receive")
            return
        self._session.told.emit(f"Receiving {Path(wanted).name} ...")
        present = self._session.history.present
        thread = _ReceiveThread(wanted, self._session.keeping.file, present, loaded)
        thread.received.connect(self._take)
        thread.failed.connect(self._failed)
        self._thread = thread
        self._crew.start(thread)

    def _failed(self, text: str) -> None:
        self._thread = None
        self.failed.emit(f"The level was not received; the one before stays. {text}")

    def _take(self, received: Received) -> None:
        if self._thread is None:  # it said so before it was ended
            received.loaded.block.close()
            return
        self._thread = None
        session = self._session
        # What was edited while the file was read stays: only level and marks are taken.
        present = session.history.present
        marks, _ = _marks(present, received.matching)
        self.arriving.emit(received.project.level)
        session.level = received.loaded
        project = present.revised(level=received.project.level, marks=marks, floors=received.loaded.floors)
        session.history.edit(f"receive {Path(received.project.level).name} again", project)
        self.watch()
        self.received.emit(received)

    def dispose(self) -> None:
        """Stop what still reads."""
        self._watch_nothing()
        self._quiet.stop()
        self._thread = None
        self._crew.wait()


def _stamp(path: Path) -> tuple[int, int] | None:
    try:
        stat = os.stat(path)
    except OSError:
        return None
    return stat.st_mtime_ns, stat.st_size
