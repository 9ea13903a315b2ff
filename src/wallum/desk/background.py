"""What is worked out beside the window for the level that is shown: its sky grid, and its
packing anew when the project wants it otherwise."""

from PyQt6.QtCore import QObject, QThread, QTimer, pyqtSignal

from wallum.desk.loading import LoadedLevel
from wallum.desk.part_tools import Rebundler
from wallum.desk.session import Session
from wallum.desk.sky_grids import SkyGridThread
from wallum.level.dressing import Dress, dress_of
from wallum.realtime.bundle import ProbeGrid
from wallum.transport.sky_grid import SkyGrid

__all__ = ["Background", "probe_grid"]

# The hand rests after this long without a word from it.
REST_MS = 250


def probe_grid(grid: SkyGrid) -> ProbeGrid:
    """A grid as the renderer takes it."""
    low, step = (tuple(float(v) for v in part) for part in (grid.low, grid.step))
    return ProbeGrid(grid.values, low, step)  # type: ignore[arg-type]


class Background(QObject):
    """Follows the session; everything it gives fits the level that is on the desk."""

    grid_ready = pyqtSignal(object)  # a ProbeGrid, or None
    repacked = pyqtSignal(object)  # a LoadedLevel
    progressed = pyqtSignal(float)

    def __init__(self, session: Session, parent: QObject | None = None) -> None:
        super().__init__(parent)
        self._session = session
        self._threads: list[QThread] = []
        self._grid: SkyGridThread | None = None
        self._asked: tuple[dict[str, str], Dress] = ({}, Dress())
        self._packing = False
        self._ended = False  # what threads have said before they ended may still come after
        self._rest = QTimer(self)
        self._rest.setSingleShot(True)
        self._rest.setInterval(REST_MS)
        self._rest.timeout.connect(self._rested)
        session.changed.connect(self._look_at_level)

    def level_loaded(self, loaded: LoadedLevel) -> None:
        """Find or make the grid of a level."""
        if self._ended:
            return
        if self._grid is not None:
            self._grid.give_up()
        self._asked = (loaded.follows, loaded.dress)
        self._grid = SkyGridThread(loaded, self._session.file, self)
        self._grid.made.connect(self._take_grid)
        self._grid.progressed.connect(self.progressed)
        self._keep(self._grid)
        self._look_at_level()

    def _keep(self, thread: QThread) -> None:
        self._threads = [one for one in self._threads if one.isRunning()] + [thread]
        thread.start()

    def _take_grid(self, loaded: LoadedLevel, grid: SkyGrid | None) -> None:
        present = self._session.level
        if present is not None and present.lasting is loaded.lasting and not self._ended:
            self.grid_ready.emit(None if grid is None else probe_grid(grid))

    def hand_moves(self) -> None:
        """Rays wait while the picture is asked for again and again."""
        if self._grid is not None:
            self._grid.pause(True)
        self._rest.start()

    def _rested(self) -> None:
        if self._grid is not None:
            self._grid.pause(False)

    def _look_at_level(self) -> None:
        """See whether the level is still as the project wants it; one packing at a time."""
        loaded = self._session.level
        present = self._session.history.present
        wanted = (present.follows, dress_of(present))
        if loaded is None or self._packing or self._ended or wanted == self._asked:
            return
        self._asked, self._packing = wanted, True
        packer = Rebundler(loaded, *wanted, self)
        packer.ready.connect(self._take_packed)
        packer.failed.connect(self._packing_failed)
        self._keep(packer)

    def _packing_failed(self) -> None:
        self._packing = False

    def _take_packed(self, packed: LoadedLevel) -> None:
        self._packing = False
        present = self._session.level
        if self._ended or present is None or present.plain is not packed.plain:
            packed.block.close()
            self._look_at_level()
            return
        self._session.level = packed
        self.repacked.emit(packed)
        self._look_at_level()

    def dispose(self) -> None:
        """Stop what still works."""
        self._ended = True
        self._rest.stop()
        if self._grid is not None:
            self._grid.give_up()
        for thread in self._threads:
            thread.wait()
