"""Works out the ways of showing light from all around behind the window: newest wins."""

from collections.abc import Callable

from PyQt6.QtCore import pyqtSignal

from wallum.desk.jobs.work_thread import WorkThread
from wallum.judge.indirect_methods import Surroundings, of_ways, surface_truth

__all__ = ["IndirectThread"]


class IndirectThread(WorkThread):
    """One comparison; `make` gives what is compared, as that takes rays."""

    found = pyqtSignal(object)  # an IndirectWay
    traced = pyqtSignal(object)  # what paths say of the surfaces
    doing = "comparing ways of light from all around"
    behind = True

    def __init__(self, make: Callable[[], Surroundings]) -> None:
        super().__init__()
        self._make = make

    def work(self) -> None:
        surroundings = self._make()
        for way in of_ways(surroundings):
            if self.given_up:
                return
            self.found.emit(way)
        truth = surface_truth(surroundings, lambda: not self.given_up)
        if not self.given_up:
            self.traced.emit(truth)
