"""A sheet that lies over the picture: a list to read or to choose from. Nothing waits for it."""

from collections.abc import Callable, Sequence
from dataclasses import dataclass

from PyQt6.QtCore import QEvent, QObject, Qt
from PyQt6.QtGui import QKeyEvent
from PyQt6.QtWidgets import (
    QCheckBox,
    QFrame,
    QGridLayout,
    QHBoxLayout,
    QLabel,
    QPushButton,
    QScrollArea,
    QVBoxLayout,
    QWidget,
)

__all__ = ["Line", "Sheet"]

MARGIN_PX = 14


@dataclass(frozen=True)
class Line:
    """One line of a sheet.

    key    : what it stands for, where it can be ticked
    ticked : whether it is; None where it cannot be
    detail : at its end, quieter
    """

    text: str
    detail: str = ""
    key: str = ""
    ticked: bool | None = None
    heading: bool = False


class Sheet(QFrame):
    """Escape or Close puts it away. It grows with what it holds, as far as the picture allows."""

    def __init__(self, over: QWidget) -> None:
        super().__init__(over)
        self.setObjectName("sheet")
        self._over = over
        self._ticks: dict[str, QCheckBox] = {}
        self._title = QLabel()
        self._title.setObjectName("title")
        self._scroll = QScrollArea()
        self._scroll.setWidgetResizable(True)
        self._scroll.setHorizontalScrollBarPolicy(Qt.ScrollBarPolicy.ScrollBarAlwaysOff)
        self._buttons = QHBoxLayout()
        layout = QVBoxLayout(self)
        layout.setContentsMargins(14, 10, 14, 10)
        layout.setSpacing(8)
        layout.addWidget(self._title)
        layout.addWidget(self._scroll, 1)
        layout.addLayout(self._buttons)
        over.installEventFilter(self)
        self.hide()

    @property
    def title(self) -> str:
        return self._title.text()

    @property
    def texts(self) -> list[str]:
        """All that its lines say."""
        widget = self._scroll.widget()
        if widget is None:
            return []
        return [item.text() for item in widget.findChildren(QLabel)] + [
            item.text() for item in widget.findChildren(QCheckBox)
        ]

    def ticked(self) -> list[str]:
        """Keys of the lines that are ticked."""
        return [key for key, box in self._ticks.items() if box.isChecked()]

    def open(
        self,
        title: str,
        lines: Sequence[Line],
        buttons: Sequence[tuple[str, Callable[[], object]]] = (),
        columns: int = 1,
    ) -> None:
        """Show lines, in so many columns, and a button for each action; Close is always there."""
        self._title.setText(title)
        self._ticks = {}
        self._scroll.setWidget(self._filled(lines, columns))
        while self._buttons.count():
            item = self._buttons.takeAt(0)
            widget = item.widget() if item is not None else None
            if widget is not None:
                widget.hide()
                widget.deleteLater()
        self._buttons.addStretch(1)
        for text, slot in buttons:
            self._button(text, slot, closes=True)
        self._button("Close", lambda: None, closes=True)
        self._fit()
        self.show()
        self.raise_()
        self.setFocus()

    def _button(self, text: str, slot: Callable[[], object], closes: bool) -> None:
        button = QPushButton(text)

        def pressed() -> None:
            if closes:
                self.close_sheet()
            slot()

        button.clicked.connect(pressed)
        self._buttons.addWidget(button)

    def press(self, text: str) -> None:
        """Press one of its buttons by its word."""
        buttons = (self._buttons.itemAt(i) for i in range(self._buttons.count()))
        for item in buttons:
            widget = item.widget() if item is not None else None
            if isinstance(widget, QPushButton) and widget.text() == text:
                widget.click()
                return
        raise LookupError(text)

    def _filled(self, lines: Sequence[Line], columns: int) -> QWidget:
        holder = QWidget()
        holder.setObjectName("pane")
        grid = QGridLayout(holder)
        grid.setContentsMargins(0, 0, 8, 0)
        grid.setHorizontalSpacing(14)
        grid.setVerticalSpacing(4)
        each = -(-len(lines) // columns)
        for number, line in enumerate(lines):
            row, column = number % each, number // each * 2
            left: QWidget = QLabel(line.text)
            if line.ticked is not None:
                left = self._ticks[line.key] = QCheckBox(line.text)
                self._ticks[line.key].setObjectName(line.key)
                self._ticks[line.key].setChecked(line.ticked)
            if line.heading:
                left.setObjectName("title")
            elif isinstance(left, QLabel):
                left.setWordWrap(not line.detail)
            grid.addWidget(left, row, column, 1, 1 if line.detail else 2)
            if line.detail:
                detail = QLabel(line.detail)
                detail.setObjectName("quiet")
                detail.setWordWrap(columns == 1)
                grid.addWidget(detail, row, column + 1)
        for column in range(columns):
            grid.setColumnStretch(column * 2 + 1, 1)
        grid.setRowStretch(each, 1)
        return holder

    def close_sheet(self) -> None:
        """Put it away; the picture has the keys again."""
        self.hide()
        self._over.setFocus()

    def _fit(self) -> None:
        widget = self._scroll.widget()
        room = self._over.size()
        wanted = max(
            widget.sizeHint().width() + 56 if widget else 0, self._buttons.sizeHint().width() + 32, 380
        )
        wide = min(wanted, room.width() - 2 * MARGIN_PX)
        needed = widget.heightForWidth(wide - 56) if widget is not None and widget.hasHeightForWidth() else 0
        needed = max(needed, widget.sizeHint().height() if widget is not None else 0)
        high = min(needed + 106, room.height() - 2 * MARGIN_PX)
        self.setGeometry(MARGIN_PX, MARGIN_PX, wide, high)

    def eventFilter(self, watched: QObject | None, event: QEvent | None) -> bool:
        if event is not None and event.type() == QEvent.Type.Resize and self.isVisible():
            self._fit()
        return super().eventFilter(watched, event)

    def keyPressEvent(self, event: QKeyEvent | None) -> None:
        assert event is not None
        if event.key() == Qt.Key.Key_Escape:
            self.close_sheet()
        else:
            super().keyPressEvent(event)
