"""Baked light on the desk: worked out behind the window, kept beside the project, shown, cleared."""

import shutil
import time
from collections.abc import Callable
from pathlib import Path
from typing import Final

from PyQt6.QtCore import QObject, pyqtSignal

from wallum.desk.jobs.loading import LoadedLevel
from wallum.desk.jobs.render_link import RenderLink
from wallum.desk.jobs.work_thread import ThreadGroup, WorkThread
from wallum.desk.session.background import Background
from wallum.desk.session.session import Session
from wallum.document.lanes import format_clock
from wallum.moment.baked import baked_state, changed_since, still_alone
from wallum.moment.evaluate import evaluate
from wallum.moment.static_sources import still_ids
from wallum.realtime.level.baked_set import BakedSet, baked_set
from wallum.transport.field.baked_light import BakedLight
from wallum.transport.lightmaps.bake import BakeRequest, bake
from wallum.transport.lightmaps.bake_cache import bake_file, baked_key, load_bake, part_file, save_bake

__all__ = ["LightBaking"]

PAUSE_S: Final = 0.1
# Shares of the work that are told.
TOLD: Final = 0.005


class _LoadThread(WorkThread):
    """Finds what was baked of a level."""

    found = pyqtSignal(object, str, object, object)  # the level, its key, a BakedLight, a BakedSet or None
    doing = "reading the baked light"
    behind = True

    def __init__(self, loaded: LoadedLevel, file: Path) -> None:
        super().__init__()
        self._loaded, self._file = loaded, file

    def work(self) -> None:
        loaded = self._loaded
        key = baked_key(loaded.lasting, loaded.level)
        baked = load_bake(self._file)
        shown = None
        if baked is not None and baked.level == key:
            shown = baked_set(baked, loaded.lasting.triangles)
        self.found.emit(loaded, key, baked, shown)


class _BakeThread(WorkThread):
    """Bakes, and keeps what was baked."""

    progressed = pyqtSignal(float)
    baked = pyqtSignal(object, object, object)  # the level, a BakedLight, a BakedSet
    doing = "baking light"
    behind = True

    def __init__(self, loaded: LoadedLevel, make: Callable[[], BakeRequest], file: Path, part: Path) -> None:
        super().__init__()
        self._loaded, self._make, self._file, self._part = loaded, make, file, part
        self._told, self.paused, self.gives_way = -1.0, False, False

    def _go_on(self, done: float) -> bool:
        while (self.paused or self.gives_way) and not self.given_up:
            time.sleep(PAUSE_S)
        if abs(done - self._told) >= TOLD:
            self._told = done
            self.progressed.emit(done)
        return not self.given_up

    def work(self) -> None:
        baked = bake(self._make(), self._part, self._go_on)
        if baked is None or self.given_up:
            return
        save_bake(baked, self._file)
        self._part.unlink(missing_ok=True)
        self.baked.emit(self._loaded, baked, baked_set(baked, self._loaded.lasting.triangles))


class LightBaking(QObject):
    """What is baked of the level on the desk, and the baking of it.

    share : of the work that is done; None while nothing is baked
    """

    changed = pyqtSignal()
    began = pyqtSignal()

    def __init__(
        self, session: Session, background: Background, link: RenderLink, ask: Callable[[], None]
    ) -> None:
        super().__init__(background)
        self._session, self._background, self._link, self._ask = session, background, link, ask
        self._crew = ThreadGroup(self)
        self._thread: _BakeThread | None = None
        self.baked: BakedLight | None = None
        self.key = ""  # of the level
        self.share: float | None = None
        self._path: Path | None = None  # of what is shown
        background.probes_ready.connect(self._look)
        background.bounce_settled.connect(self._tell_field)
        background.moves.connect(lambda: self._give_way(True))
        background.rested.connect(lambda: self._give_way(False))
        session.changed.connect(self._file_may_be_another)

    # -- what there is -------------------------------------------------------------------

    @property
    def paused(self) -> bool:
        return self._thread is not None and self._thread.paused

    @property
    def text(self) -> str:
        """How far it is, for the status line; empty while nothing is baked."""
        if self.share is None:
            return ""
        return f", baking {self.share:.0%}" + (" (paused)" if self.paused else "")

    @property
    def fits(self) -> bool:
        """Whether what was baked belongs to the level as it is."""
        return self.baked is not None and self.baked.level == self.key

    @property
    def cleared(self) -> Path:
        """Where baked light that was cleared is kept until other is baked."""
        path = self._file()
        return path.with_name(f"{path.stem}-cleared.npz")

    def changes(self) -> list[str]:
        """Names of the sources that are not as they were baked, at the hour that is shown."""
        if self.baked is None:
            return []
        project, moment = self._session.now, self._session.playhead.moment
        scene = still_alone(evaluate(self._session.project, moment), still_ids(project))
        ids = changed_since(self.baked.state, baked_state(scene))
        names = [source.name for source in project.sources if source.id in ids]
        return names + (["glow"] if any(project.source(item) is None for item in ids) else [])

    def told(self) -> list[str]:
        """What is baked, and whether it is as things are now, a line each."""
        if self.baked is None:
            return ["No light is baked."]
        pages, current = self.baked.pages, self.baked.held_bytes / 2**20
        size = f"{pages.shape[0]} pages of {pages.shape[2]} x {pages.shape[1]}, {current:.0f} MB"
        holds = "all light" if self.baked.straight else "light from around"
        lines = [f"Baked as at {self.baked.when}: {holds}, {size}."]
        if not self.fits:
            return [*lines, "Stale: the level is another one now. It is not shown; bake it anew."]
        changed = self.changes()
        if changed:
            more = f" and {len(changed) - 3} more" if len(changed) > 3 else ""
            lines.append(f"Stale: {', '.join(changed[:3])}{more} changed since. Bake it anew.")
        return lines

    def _file(self) -> Path:
        return bake_file(self._session.project, self._session.keeping.file)

    # -- finding and showing -------------------------------------------------------------

    def _look(self, probes: object) -> None:
        """Probes of a level are there: what was baked of it can be shown."""
        loaded = self._session.level
        if loaded is None or probes is None:
            return
        self._path = self._file()
        thread = _LoadThread(loaded, self._path)
        thread.found.connect(self._take_found)
        thread.failed.connect(self._session.failed)
        self._crew.start(thread)

    def _take_found(
        self, loaded: LoadedLevel, key: str, baked: BakedLight | None, shown: BakedSet | None
    ) -> None:
        present = self._session.level
        if present is not None and present.lasting is loaded.lasting:
            self.key = key
            self._show(baked, shown)

    def _show(self, baked: BakedLight | None, shown: BakedSet | None) -> None:
        self.baked = baked
        self._tell_field()
        self._link.set_baked(shown)
        self._ask()
        self.changed.emit()

    def _tell_field(self) -> None:
        """Let shares, cost and ways know of what is baked: the field may come after it."""
        field = self._background.bounce
        if field is not None:
            field.baked = self.baked if self.fits else None

    def _file_may_be_another(self) -> None:
        """A project that is saved under another name takes its baked light along."""
        before, now = self._path, self._file()
        if before is None or before == now or self._session.level is None:
            return
        self._path = now
        if self.baked is not None and before.exists() and not now.exists():
            try:
                now.parent.mkdir(parents=True, exist_ok=True)
                shutil.copyfile(before, now)
            except OSError as error:
                self._session.failed.emit(f"The baked light could not be kept beside the project: {error}")

    # -- baking --------------------------------------------------------------------------

    def begin(self) -> None:
        """Bake the still sources as they are at the hour that is shown."""
        self.began.emit()
        loaded, field = self._session.level, self._background.bounce
        if self._thread is not None:
            self._session.told.emit("Light is being baked already")
            return
        if loaded is None or not loaded.whole or field is None:
            self._session.failed.emit("Nothing can be baked yet: the probes of the level are not there.")
            return
        project, moment = self._session.project, self._session.playhead.moment
        built = field.made

        def order() -> BakeRequest:
            scene = still_alone(evaluate(project, moment), still_ids(project))
            key = baked_key(loaded.lasting, loaded.level)
            when, follows = format_clock(moment.clock), loaded.follows
            return BakeRequest(loaded.lasting, loaded.level, built, scene, project.baking, key, when, follows)

        file = self._session.keeping.file
        thread = self._thread = _BakeThread(loaded, order, self._file(), part_file(project, file))
        thread.progressed.connect(self._progress)
        thread.baked.connect(self._take_baked)
        thread.failed.connect(self._session.failed)
        thread.finished.connect(lambda: self._ended(thread))
        self.share = 0.0
        self._crew.start(thread)
        self._session.told.emit("Baking light behind the window")
        self.changed.emit()

    def pause(self) -> None:
        """Wait, or go on."""
        if self._thread is not None:
            self._thread.paused = not self._thread.paused
            self.changed.emit()

    def cancel(self) -> None:
        """Bake no further; what is done is kept, and gone on with when the same is baked again."""
        if self._thread is not None:
            self._thread.give_up()
            self._session.told.emit("Baking was ended; what is done is kept for the next time")

    def _give_way(self, on: bool) -> None:
        """While a hand moves the processor is the picture's."""
        if self._thread is not None:
            self._thread.gives_way = on

    def _progress(self, done: float) -> None:
        if self._thread is not None:
            self.share = done
            self.changed.emit()

    def _take_baked(self, loaded: LoadedLevel, baked: BakedLight, shown: BakedSet) -> None:
        present = self._session.level
        if present is not None and present.lasting is loaded.lasting:
            self.key = baked.level
            self._show(baked, shown)
            self.cleared.unlink(missing_ok=True)
            self._session.told.emit("Light is baked; Shown puts it into the picture")

    def _ended(self, thread: _BakeThread) -> None:
        if self._thread is thread:
            self._thread, self.share = None, None
            self.changed.emit()

    # -- showing and clearing ------------------------------------------------------------

    @property
    def shown(self) -> bool:
        """Whether the picture is lit by it."""
        return self._session.project.look.indirect == "lightmaps"

    def swap_shown(self) -> None:
        """Show light from all around as it was baked, or by probes."""
        way = "probes" if self.shown else "lightmaps"
        self._session.set_value(f"light around: {way}", "look/indirect", way)

    def clear(self) -> None:
        """Take the baked light away; it can be put back until other is baked."""
        self._swap_files(self._file(), self.cleared, "Baked light is cleared; Put back brings it again")

    def put_back(self) -> None:
        """Bring back what was cleared."""
        self._swap_files(self.cleared, self._file(), "Baked light is back")

    def _swap_files(self, source: Path, target: Path, told: str) -> None:
        try:
            source.replace(target)
        except OSError as error:
            self._session.failed.emit(f"The baked light could not be moved: {error}")
            return
        self._session.told.emit(told)
        if target == self.cleared:
            self._show(None, None)
        else:
            self._look(True)

    def dispose(self) -> None:
        """Stop for good; what is done of a bake is kept."""
        self._crew.wait()
