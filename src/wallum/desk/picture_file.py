"""A button that names a picture for the sky: read beside the desk first, and taken once it is read."""

from collections.abc import Callable
from pathlib import Path

from PyQt6.QtCore import Qt, QThread, pyqtSignal
from PyQt6.QtWidgets import QFileDialog, QPushButton, QWidget

from wallum.errors import WallumError
from wallum.level.panorama_file import panorama_sun, small_panorama

__all__ = ["PictureFileButton"]

FILE_PX = 100


class _Reading(QThread):
    """Reads a picture and looks for its sun; both are kept, so that no one waits for them later."""

    def __init__(self, name: str, parent: QWidget) -> None:
        super().__init__(parent)
        self.name, self.problem = name, ""

    def run(self) -> None:
        try:
            small_panorama(Path(self.name))
            panorama_sun(Path(self.name))
        except WallumError as error:
            self.problem = str(error)


class PictureFileButton(QPushButton):
    """Shows the file's name; a click chooses another."""

    refused = pyqtSignal(str)  # a sentence: the picture before stays

    def __init__(self, label: str, take: Callable[[str], None]) -> None:
        super().__init__()
        self._label, self._take = label, take
        self._reading: _Reading | None = None
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
        self._reading = _Reading(name, self)
        self._reading.finished.connect(self._read)
        self._reading.start()

    def _read(self) -> None:
        reading, self._reading = self._reading, None
        assert reading is not None
        self.setEnabled(True)
        self.setText(self._before)
        if reading.problem:
            self.refused.emit(reading.problem)
        else:
            self._take(reading.name)
        reading.deleteLater()
