"""How the level's file lies: its unit and which of its axes is up, chosen at any time."""

from functools import partial
from typing import Final

from PyQt6.QtGui import QAction, QActionGroup
from PyQt6.QtWidgets import QMenu, QWidget

from wallum.desk.session.session import Session

__all__ = ["FitMenu"]

UNITS: Final = {
    "In metres": 1.0, "In centimetres": 0.01, "In millimetres": 0.001, "In inches": 0.0254, "In feet": 0.3048,
}  # fmt: skip
AXES: Final = {"Y is up": "y", "Z is up": "z", "X is up": "x"}


class FitMenu(QMenu):
    """Lamps, shots and walks keep their places in the level; one step of undo."""

    def __init__(self, session: Session, parent: QWidget | None = None) -> None:
        super().__init__("Unit and up of its file", parent)
        self._session = session
        self.setToolTipsVisible(True)
        self._choices = {**self._group("scale", UNITS), **self._group("up", AXES)}
        self._sets: list[QAction] = []
        self.aboutToShow.connect(self._refresh)

    def _group(
        self, name: str, choices: dict[str, float] | dict[str, str]
    ) -> dict[tuple[str, object], QAction]:
        self.addSection("One unit of the level's file is a" if name == "scale" else "Its axes")
        group = QActionGroup(self)
        built: dict[tuple[str, object], QAction] = {}
        for text, value in choices.items():
            action = self.addAction(text)
            assert action is not None
            action.setCheckable(True)
            group.addAction(action)
            action.triggered.connect(partial(self._take, f"level_fit/{name}", value))
            built[(name, value)] = action
        return built

    def _take(self, path: str, value: object, _: bool = False) -> None:
        self._session.set_value("how the level lies", path, value)

    def _list_sets(self) -> None:
        """The sets of materials that the level's file offers, its own first."""
        for action in self._sets:
            self.removeAction(action)
        loaded, chosen = self._session.level, self._session.history.present.material_set
        names = loaded.plain.sets if loaded is not None else ()
        self._sets = []
        if not names:
            return
        built: list[QAction | None] = [self.addSection("Its set of materials")]
        for text, name in (("Its own", ""), *((item, item) for item in names)):
            entry = self.addAction(text)
            assert entry is not None
            entry.setCheckable(True)
            entry.setChecked(name == chosen)
            entry.triggered.connect(partial(self._take, "material_set", name))
            built.append(entry)
        self._sets = [item for item in built if item is not None]

    def _refresh(self) -> None:
        self._list_sets()
        fit = self._session.history.present.level_fit
        for (name, value), action in self._choices.items():
            action.setChecked(getattr(fit, name) == value)
