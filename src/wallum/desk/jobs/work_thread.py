"""Work behind the window: one way to run it, to hear of its failures, and to let go of it."""

import os
import threading
from functools import partial
from typing import Any

from PyQt6.QtCore import QObject, QThread, QThreadPool, QTimer, pyqtSignal

from wallum.errors import WallumError
from wallum.faults import fault_of
from wallum.realtime.process.memory import give_memory_back

__all__ = ["NewestThread", "ThreadGroup", "WorkThread"]

LOW_PRIORITY = 10
# Once nothing has ended for so long, memory that was freed goes back to the system.
TIDY_MS = 700


class WorkThread(QThread):
    """One piece of work. Whatever it raises is told in one sentence and ends nothing else."""

    failed = pyqtSignal(str)
    doing = "the work"  # what it does, as a sentence of a failure begins
    behind = False  # whether it stands behind everything else for the processor

    def __init__(self) -> None:
        # Without a parent: a parent would keep it, and all that it holds, for as long as itself.
        super().__init__()
        self._given_up = threading.Event()

    @property
    def given_up(self) -> bool:
        return self._given_up.is_set()

    def give_up(self) -> None:
        """Its answer is not wanted any more."""
        self._given_up.set()

    def work(self) -> None:
        """What is to be done."""
        raise NotImplementedError

    def run(self) -> None:
        if self.behind:
            # On Linux a thread has a priority of its own; those it starts have it too.
            os.setpriority(os.PRIO_PROCESS, threading.get_native_id(), LOW_PRIORITY)
        text = ""
        try:
            self.work()
        except WallumError as error:
            text = str(error)
        except Exception as error:
            text = str(fault_of(error, self.doing))
        if text and not self.given_up:
            self.failed.emit(text)


class NewestThread(WorkThread):
    """Works on one request at a time, for as long as the desk is open; newest wins."""

    behind = True

    def __init__(self) -> None:
        super().__init__()
        self._lock = threading.Condition()
        self._wanted: Any = None
        self._ended = self._stopped = False

    def ask(self, wanted: Any) -> None:
        """Work on something; what was asked for before, and has not begun, is given up."""
        with self._lock:
            self._wanted = wanted
            self._lock.notify()
        if not self.isRunning():
            self.start()

    def give_up(self) -> None:
        """What is being worked out is not wanted any more: the hand moves."""
        self._stopped = True

    @property
    def overtaken(self) -> bool:
        """Whether what is being worked out is not wanted any more."""
        return self._stopped or self._wanted is not None or self._ended

    def end(self) -> None:
        """Stop for good."""
        with self._lock:
            self._ended = True
            self._lock.notify()
        self.wait()

    def work_on(self, wanted: Any) -> None:
        """One request; what it raises is told, and the next may fare better."""
        raise NotImplementedError

    def work(self) -> None:
        while True:
            with self._lock:
                while self._wanted is None and not self._ended:
                    self._lock.wait()
                if self._ended or self._wanted is None:
                    return
                wanted, self._wanted = self._wanted, None
                self._stopped = False
            try:
                self.work_on(wanted)
            except Exception as error:
                self.failed.emit(str(fault_of(error, self.doing)))
            # While it waits it holds nothing, such as a level: that may be long gone from the desk.
            del wanted


class ThreadGroup(QObject):
    """Threads that work now. One that has ended is let go of, with the levels that it holds."""

    def __init__(self, parent: QObject | None = None) -> None:
        super().__init__(parent)
        self._working: set[WorkThread] = set()
        self._tidy = QTimer(self)
        self._tidy.setSingleShot(True)
        self._tidy.setInterval(TIDY_MS)
        self._tidy.timeout.connect(self._give_back)

    def _give_back(self) -> None:
        pool = QThreadPool.globalInstance()
        if not self._working and pool is not None:
            pool.start(give_memory_back)

    def start(self, thread: WorkThread) -> None:
        """Start a thread and hold it while it runs."""
        self._working.add(thread)
        thread.finished.connect(partial(self._ended, thread))
        thread.start()

    def _ended(self, thread: WorkThread) -> None:
        if thread in self._working:
            self._working.discard(thread)
            # `finished` comes a moment before the thread itself is over.
            thread.wait()
            thread.deleteLater()
            self._tidy.start()

    def wait(self) -> None:
        """Give up all that works, and wait until it has ended."""
        for thread in tuple(self._working):
            thread.give_up()
            self._ended(thread)
        self._tidy.stop()
