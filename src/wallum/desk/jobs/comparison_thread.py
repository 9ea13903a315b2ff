"""A comparison of methods beside the window: one job, whose results are shown as they come."""

from collections.abc import Callable, Iterator

from PyQt6.QtCore import pyqtSignal

from wallum.desk.jobs.work_thread import WorkThread

__all__ = ["ComparisonThread"]

KeepGoing = Callable[[], bool]


class ComparisonThread(WorkThread):
    """Runs one comparison at low priority.

    doing   : what it does, for the sentence of a failure
    compare : yields one result after another; it is given a function that says whether to go on
    """

    found = pyqtSignal(object)  # one result
    behind = True

    def __init__(self, doing: str, compare: Callable[[KeepGoing], Iterator[object]]) -> None:
        super().__init__()
        self.doing = doing
        self._compare = compare

    def work(self) -> None:
        for result in self._compare(lambda: not self.given_up):
            if self.given_up:
                return
            self.found.emit(result)
