"""A button that names a picture for the sky: read beside the desk first, and taken once it is read."""

from collections.abc import Callable
from pathlib import Path

from PyQt6.QtCore import QObject, Qt, QThreadPool, pyqtSignal
from PyQt6.QtWidgets import QFileDialog, QPushButton

from wallum.errors import WallumError
from wallum.level.panorama_file import panorama_sun, small_panorama

__all__ = ["PictureFileButton"]

FILE_PX = 100


class _Reading(QObject):
    """Reads a picture and looks for its sun; both are kept, so that no one waits for them later.
    It belongs to no widget: one that goes away meanwhile is only not told."""

    done = pyqtSignal(str, str)  # the file, and what is wrong with it

    def read(self, name: str) -> None:
        """To be run in a thread."""
        problem = ""
        try:
            small_panorama(Path(name))
            panorama_sun(Path(name))
        except WallumError as error:
            problem = str(error)
        self.done.emit(name, problem)


class PictureFileButton(QPushButton):
    """Shows the file's name; a click chooses another."""

    refused = pyqtSignal(str)  # a sentence: the picture before stays

    def __init__(self, label: str, take: Callable[[str], None]) -> None:
        super().__init__()
        self._label, self._take = label, take
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
        name, _ = QFileDialog.getOpenFileName(self, self._label, "", "Pictures (*.hdr *.exr *.png)")
        if name:
            self.read(name)

    def read(self, name: str) -> None:
        """Read a picture and take it, unless another one is being read."""
        if self._reading is not None:
            return
        self._before = self.text()
        self.setText("Reading ...")
        self.setEnabled(False)
        self._reading = reading = _Reading()
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
