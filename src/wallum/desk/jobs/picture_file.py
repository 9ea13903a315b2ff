"""A button that names a picture for the sky, or a table of colours: read beside the desk first, and taken
once it is read."""

from collections.abc import Callable
from pathlib import Path
from typing import Final

from PyQt6.QtCore import QObject, Qt, QThreadPool, pyqtSignal
from PyQt6.QtWidgets import QFileDialog, QPushButton

from wallum.errors import WallumError
from wallum.level.importers.images.cube_file import read_cube
from wallum.level.importers.images.panorama_file import panorama_sun, small_panorama

__all__ = ["PictureFileButton"]

FILE_PX = 100


def _panorama(path: Path) -> None:
    """Read a picture and look for its sun; both are kept, so that no one waits for them later."""
    small_panorama(path)
    panorama_sun(path)


# What files are called where one is chosen, and what reads one. Raises WallumError.
KINDS: Final[dict[str, tuple[str, Callable[[Path], object]]]] = {
    "picture": ("Pictures (*.hdr *.exr *.png)", _panorama),
    "table": ("Tables of colours (*.cube)", read_cube),
}


class _Reading(QObject):
    """Reads a file. It belongs to no widget: one that goes away meanwhile is only not told."""

    done = pyqtSignal(str, str)  # the file, and what is wrong with it

    def __init__(self, look: Callable[[Path], object]) -> None:
        super().__init__()
        self._look = look

    def read(self, name: str) -> None:
        """To be run in a thread."""
        problem = ""
        try:
            self._look(Path(name))
        except WallumError as error:
            problem = str(error)
        self.done.emit(name, problem)


class PictureFileButton(QPushButton):
    """Shows the file's name; a click chooses another."""

    refused = pyqtSignal(str)  # a sentence: the picture before stays

    def __init__(self, label: str, take: Callable[[str], None], kind: str = "picture") -> None:
        super().__init__()
        self._label, self._take, self._kind = label, take, kind
        self._reading: _Reading | None = None
        self._before = ""
        self.setAccessibleName(label)
        self.clicked.connect(self._choose)

    def show_name(self, name: str) -> None:
        """A file's name, or a word."""
        if self._reading is None:
            room = Qt.TextElideMode.ElideMiddle
            self.setText(self.fontMetrics().elidedText(name, room, FILE_PX))

    def _choose(self) -> None:
        name, _ = QFileDialog.getOpenFileName(self, self._label, "", KINDS[self._kind][0])
        if name:
            self.read(name)

    def read(self, name: str) -> None:
        """Read a picture and take it, unless another one is being read."""
        if self._reading is not None:
            return
        self._before = self.text()
        self.setText("Reading ...")
        self.setEnabled(False)
        self._reading = reading = _Reading(KINDS[self._kind][1])
        reading.done.connect(self._read)
        pool = QThreadPool.globalInstance()
        assert pool is not None
        pool.start(lambda: reading.read(name))

    def _read(self, name: str, problem: str) -> None:
        self._reading = None
        self.setEnabled(True)
        self.setText(self._before)
        if problem:
            self.refused.emit(problem)
        else:
            self._take(name)
