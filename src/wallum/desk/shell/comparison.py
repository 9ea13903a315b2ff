"""Comparing: the wipe against a variant or a pinned picture, ways of shafts and of light from all around."""

from collections.abc import Callable
from functools import partial
from pathlib import Path

from PyQt6.QtCore import QObject
from PyQt6.QtGui import QImageReader
from PyQt6.QtWidgets import QFileDialog, QWidget

from wallum.desk.panes.variant_bar import VariantBar
from wallum.desk.session.session import Session
from wallum.desk.viewport.indirect_comparison import IndirectWays
from wallum.desk.viewport.pointer_tools import PointerTools
from wallum.desk.viewport.shaft_comparison import ThreeWays
from wallum.desk.viewport.view import PictureView
from wallum.desk.viewport.wipe import Wipe
from wallum.level.opening import reference_to

__all__ = ["PICTURE_SUFFIXES", "ComparisonController"]

PICTURE_SUFFIXES = (".png", ".jpg", ".jpeg", ".webp", ".bmp", ".tif", ".tiff")


class ComparisonController(QObject):
    """One thing is compared at a time; the same command again ends it."""

    def __init__(
        self,
        session: Session,
        picture: PictureView,
        wipe: Wipe,
        variants: VariantBar,
        pointer: PointerTools,
        window: QWidget,
    ) -> None:
        super().__init__(window)
        self._session, self._wipe, self._variants, self._window = session, wipe, variants, window
        self._pointer, self.ways = pointer, ThreeWays(session, picture, pointer.shafts)
        self.around = IndirectWays(session, picture)

    @property
    def commands(self) -> dict[str, Callable[[], object]]:
        """What begins or ends a comparison, and what it leads to, by the names of the commands."""
        turn = self._pointer.shafts.turn_into
        return {
            "wipe": self.wipe_variant,
            "wipe_pinned": self.wipe_pinned,
            "wipe_look": self.wipe_look,
            "pin": self.pin,
            "around": self.around.swap,
            "three_ways": lambda: self._pointer.at_pointer(self.ways.toggle),
            "to_true": partial(turn, "true"),
            "to_screen": partial(turn, "screen"),
            "to_card": lambda: self._pointer.at_pointer(partial(self._pointer.shafts.turn_into_card)),
        }

    def dispose(self) -> None:
        """Stop what is being worked out."""
        self.ways.dispose()
        self.around.dispose()

    def wipe_variant(self) -> None:
        """Wipe against the chosen variant, or end that."""
        variant = self._variants.choice.currentData()
        if self._wipe.against == "variant":
            self._wipe.begin("")
        elif variant is None:
            self._session.told.emit("Keep a variant first, to wipe against it")
        else:
            self._wipe.begin("variant", variant)
            self._session.told.emit("Drag the line; Escape ends it")

    def wipe_pinned(self) -> None:
        """Wipe against the pinned picture, or end that."""
        if self._wipe.against == "pinned":
            self._wipe.begin("")
        elif self._session.project.pinned:
            self._wipe.begin("pinned")
        else:
            self.pin()

    def wipe_look(self) -> None:
        """Wipe between the picture without its look and with it, or end that."""
        self._wipe.begin("" if self._wipe.against == "look" else "look")

    def pin(self) -> None:
        """Choose a picture to compare with, and show it."""
        kinds = f"Pictures ({' '.join('*' + suffix for suffix in PICTURE_SUFFIXES)})"
        name, _ = QFileDialog.getOpenFileName(self._window, "Pin a picture to compare with", "", kinds)
        if name:
            self.pin_picture(name)

    def pin_picture(self, name: str) -> None:
        """Pin a picture, and wipe against it."""
        if not Path(name).is_file() or not QImageReader(name).canRead():
            text = f"{Path(name).name} cannot be read as a picture (expected PNG, JPEG, WebP or TIFF)"
            self._session.failed.emit(text)
            return
        pinned = reference_to(Path(name), self._session.keeping.file)
        present = self._session.history.present
        self._session.history.edit(f"pin {Path(name).name}", present.revised(pinned=pinned))
        self._wipe.begin("pinned")
