"""Making the sky grid in the background: at low priority, paused while the hand moves."""

import threading
from pathlib import Path

from PyQt6.QtCore import pyqtSignal

from wallum.desk.project.loading import LoadedLevel
from wallum.desk.project.work_thread import WorkThread
from wallum.faults import fault_of
from wallum.transport.kept_grid import kept_grid

__all__ = ["SkyGridThread"]

# While the hand moves, work waits for this long and looks again [s].
PAUSE_S = 0.1


class SkyGridThread(WorkThread):
    """One grid being found or made."""

    made = pyqtSignal(object, object)  # the level, the SkyGrid or None
    progressed = pyqtSignal(float)

    doing = "making the sky grid"
    behind = True

    def __init__(self, loaded: LoadedLevel, file: Path | None) -> None:
        super().__init__()
        self._loaded, self._file = loaded, file
        self._free = threading.Event()
        self._free.set()
        self._told = 0.0

    def give_up(self) -> None:
        """Its answer is not wanted any more."""
        super().give_up()
        self._free.set()

    def pause(self, paused: bool) -> None:
        """Wait while the hand moves."""
        if paused:
            self._free.clear()
        else:
            self._free.set()

    def _go_on(self, done: float) -> bool:
        while not self._free.wait(PAUSE_S) and not self.given_up:
            pass
        if done - self._told >= 0.05:
            self._told = done
            self.progressed.emit(done)
        return not self.given_up

    def work(self) -> None:
        loaded = self._loaded
        try:
            grid = kept_grid(loaded.lasting, loaded.bounds, self._file, self._go_on)
        except Exception as error:
            # The picture goes on without: it must not wait for a grid that does not come.
            self.failed.emit(str(fault_of(error, self.doing)))
            grid = None
        if not self.given_up:
            self.made.emit(self._loaded, grid)
