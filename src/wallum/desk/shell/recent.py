"""Files that were open before, and files that are dropped on the window."""

from collections.abc import Callable
from pathlib import Path

from PyQt6.QtCore import QMimeData
from PyQt6.QtWidgets import QMenu, QWidget

from wallum.desk.shell.comparison import PICTURE_SUFFIXES
from wallum.desk.shell.settings import DeskSettings
from wallum.document.storage import SUFFIX

__all__ = ["RecentMenu", "dropped_file"]

TAKEN = (SUFFIX, ".glb", ".gltf", *PICTURE_SUFFIXES)


def dropped_file(data: QMimeData | None) -> Path | None:
    """The one file of a drop that the desk can do something with."""
    if data is None:
        return None
    paths = [Path(url.toLocalFile()) for url in data.urls() if url.isLocalFile()]
    return next((path for path in paths if path.suffix.lower() in TAKEN), None)


class RecentMenu(QMenu):
    """The files opened last, the newest first."""

    def __init__(self, settings: DeskSettings, choose: Callable[[str], object], parent: QWidget) -> None:
        super().__init__("Recent", parent)
        self._settings, self._choose = settings, choose
        self.setToolTipsVisible(True)
        self._fill()

    def note(self, reference: str) -> None:
        """A file was opened or saved."""
        self._settings.note_opened(reference)
        self._fill()

    def _fill(self) -> None:
        self.clear()
        for path in self._settings.recent:
            action = self.addAction(Path(path).name)
            assert action is not None
            action.setToolTip(path)
            action.triggered.connect(lambda _, path=path: self._choose(path))
        self.setEnabled(not self.isEmpty())
