"""What the picture area shows, one thing at a time: the picture, or one source alone, the reference
picture, the wall of shots, the hours, a wipe, three ways of shafts, ways of light from all around, a walk.

Views of the picture (grey, false colour, ...) are no such thing: a wipe or a walk goes on in them.
Escape leads back from whatever there is to the picture, and from a view to the picture as it is seen.
"""

from collections.abc import Callable
from typing import Final

from PyQt6.QtCore import QObject, pyqtSignal

__all__ = ["KINDS", "ViewState"]

KINDS: Final = ("alone", "truth", "wall", "hours", "wipe", "ways", "around", "walk")


class ViewState(QObject):
    """Knows what is shown, and how to leave it. Empty stands for the picture."""

    changed = pyqtSignal(str)

    def __init__(self) -> None:
        super().__init__()
        self.shown = ""
        self._ways_out: dict[str, Callable[[], object]] = {}

    def way_out(self, kind: str, leave: Callable[[], object]) -> None:
        """How one of KINDS is left."""
        assert kind in KINDS
        self._ways_out[kind] = leave

    def tell(self, kind: str, there: bool) -> None:
        """One of KINDS has begun, and what was there before is left; or it has ended."""
        if there and kind != self.shown:
            before, self.shown = self.shown, kind
            if before:
                self._ways_out[before]()
            self.changed.emit(kind)
        elif not there and kind == self.shown:
            self.shown = ""
            self.changed.emit("")

    def back(self) -> bool:
        """Lead back to the picture; False where that is what is shown."""
        if not self.shown:
            return False
        before, self.shown = self.shown, ""
        self._ways_out[before]()
        self.changed.emit("")
        return True
