"""The selection: which sources are at hand."""

from collections.abc import Callable

from PyQt6.QtCore import QObject, pyqtSignal

from wallum.document.project import Project
from wallum.document.sources import Source

__all__ = ["Selection"]


class Selection(QObject):
    """Ids of sources; the one that was chosen last leads."""

    changed = pyqtSignal()

    def __init__(self, project: Callable[[], Project]) -> None:
        super().__init__()
        self._project = project
        self.ids: tuple[str, ...] = ()
        self._chosen: tuple[tuple[str, ...], frozenset[str]] = ((), frozenset())

    @property
    def lead(self) -> str:
        """Id of the source that was selected last; empty for none."""
        return self.ids[-1] if self.ids else ""

    def select(self, *source_ids: str) -> None:
        """Select sources, the last one leading; nothing or an empty id for none."""
        chosen = tuple(dict.fromkeys(item for item in source_ids if item))
        if chosen != self.ids:
            self.ids = chosen
            self.changed.emit()

    def select_also(self, source_id: str) -> None:
        """Add a source to the selection, or take it out."""
        others = tuple(item for item in self.ids if item != source_id)
        self.select(*(others if source_id in self.ids else (*others, source_id)))

    def forget(self) -> None:
        """Another project: its sources are others."""
        self.ids = ()
        self.changed.emit()

    @property
    def chosen(self) -> frozenset[str]:
        """Ids of all of them, to look one up among thousands."""
        if self._chosen[0] is not self.ids:
            self._chosen = (self.ids, frozenset(self.ids))
        return self._chosen[1]

    @property
    def source(self) -> Source | None:
        """The one that leads, as it is in the project."""
        return self._project().source(self.lead)

    @property
    def sources(self) -> tuple[Source, ...]:
        """All of them, as they are in the project."""
        result = (self._project().source(item) for item in self.ids)
        return tuple(item for item in result if item is not None)
