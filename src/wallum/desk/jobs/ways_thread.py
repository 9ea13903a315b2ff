"""Works out the three ways of showing shafts behind the window: newest wins."""

from collections.abc import Callable

from PyQt6.QtCore import pyqtSignal

from wallum.desk.jobs.work_thread import WorkThread
from wallum.judge.shaft_methods import Subject, compare_ways

__all__ = ["WaysThread"]


class WaysThread(WorkThread):
    """One comparison; `make` gives what is compared, as that takes rays."""

    found = pyqtSignal(object)  # a ShaftWay
    doing = "comparing ways of shafts"
    behind = True

    def __init__(self, make: Callable[[], Subject]) -> None:
        super().__init__()
        self._make = make

    def work(self) -> None:
        for way in compare_ways(self._make()):
            if self.given_up:
                return
            self.found.emit(way)
