"""Making the sky grid in the background: at low priority, paused while the hand moves."""

import logging
import os
import threading
from pathlib import Path

from PyQt6.QtCore import QObject, QThread, pyqtSignal

from wallum.desk.loading import LoadedLevel
from wallum.transport.kept_grid import kept_grid

__all__ = ["SkyGridThread"]

log = logging.getLogger("wallum.sky-grid")
LOW_PRIORITY = 10
# While the hand moves, work waits for this long and looks again [s].
PAUSE_S = 0.1


class SkyGridThread(QThread):
    """One grid being found or made."""

    made = pyqtSignal(object, object)  # the level, the SkyGrid or None
    progressed = pyqtSignal(float)

    def __init__(self, loaded: LoadedLevel, file: Path | None, parent: QObject | None = None) -> None:
        super().__init__(parent)
        self._loaded, self._file = loaded, file
        self._given_up = threading.Event()
        self._free = threading.Event()
        self._free.set()
        self._told = 0.0

    def give_up(self) -> None:
        """Its answer is not wanted any more."""
        self._given_up.set()
        self._free.set()

    def pause(self, paused: bool) -> None:
        """Wait while the hand moves."""
        if paused:
            self._free.clear()
        else:
            self._free.set()

    def _go_on(self, done: float) -> bool:
        while not self._free.wait(PAUSE_S) and not self._given_up.is_set():
            pass
        if done - self._told >= 0.05:
            self._told = done
            self.progressed.emit(done)
        return not self._given_up.is_set()

    def run(self) -> None:
        try:
            # On Linux a thread has a priority of its own.
            os.setpriority(os.PRIO_PROCESS, threading.get_native_id(), LOW_PRIORITY)
            loaded = self._loaded
            grid = kept_grid(loaded.lasting, loaded.plain.bounds, self._file, self._go_on)
        except Exception:
            # The picture goes on without: it must not wait for a grid that does not come.
            log.exception("making the sky grid failed")
            grid = None
        if not self._given_up.is_set():
            self.made.emit(self._loaded, grid)
