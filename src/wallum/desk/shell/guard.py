"""What happens to a fault of ours: it is logged and told, the work is kept, and the desk goes on.

Without this, Qt ends the program at the first exception that leaves a slot.
"""

import sys
import threading
import traceback
from collections import Counter
from collections.abc import Iterator
from contextlib import contextmanager
from types import TracebackType
from typing import Any, Final

from PyQt6.QtCore import QObject, pyqtSignal

from wallum.faults import fault_of

__all__ = ["Guard"]

# The same fault is told and logged this often; a slot that is called at every move would flood both.
TOLD_AT_MAX: Final = 3


class Guard(QObject):
    """Takes the exceptions that no one caught, of whatever thread."""

    caught = pyqtSignal(str)  # a sentence; comes on the thread that the guard was made on

    def __init__(self, parent: QObject | None = None) -> None:
        super().__init__(parent)
        self._met: Counter[tuple[type[BaseException], str, int]] = Counter()
        self._lock = threading.Lock()

    def take(self, kind: type[BaseException], error: BaseException, at: TracebackType | None) -> None:
        """Log and tell an exception. Ctrl+C stays what it is."""
        if issubclass(kind, KeyboardInterrupt | SystemExit):
            sys.__excepthook__(kind, error, at)
            return
        where = traceback.extract_tb(at)[-1] if at is not None else None
        place = (kind, where.filename if where else "", (where.lineno or 0) if where else 0)
        with self._lock:
            self._met[place] += 1
            often = self._met[place]
        if often <= TOLD_AT_MAX:
            doing = f"what was just done ({where.name})" if where else "what was just done"
            self.caught.emit(f"{fault_of(error.with_traceback(at), doing)}. Your work is kept.")

    def _of_thread(self, args: Any) -> None:
        if args.exc_type is not SystemExit:
            self.take(args.exc_type, args.exc_value or args.exc_type(), args.exc_traceback)

    @contextmanager
    def installed(self) -> Iterator[None]:
        """Stand where Python and Qt bring what no one caught."""
        before = sys.excepthook, threading.excepthook
        sys.excepthook, threading.excepthook = self.take, self._of_thread
        try:
            yield
        finally:
            sys.excepthook, threading.excepthook = before
