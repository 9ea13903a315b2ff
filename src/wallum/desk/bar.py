"""The strip at the top of the picture: what happened, and what can be done about it."""

from PyQt6.QtGui import QAction
from PyQt6.QtWidgets import QFrame, QHBoxLayout, QLabel, QPushButton, QWidget

__all__ = ["Bar"]


class Bar(QFrame):
    """A strip at the top of the picture: one sentence, and what can be done about it."""

    def __init__(self, parent: QWidget | None = None) -> None:
        super().__init__(parent)
        self.setObjectName("bar")
        layout = QHBoxLayout(self)
        layout.setContentsMargins(10, 5, 6, 5)
        self._text = QLabel()
        self._text.setWordWrap(True)
        layout.addWidget(self._text, 1)
        self._buttons = QHBoxLayout()
        layout.addLayout(self._buttons)
        self.hide()

    @property
    def text(self) -> str:
        return self._text.text() if self.isVisible() else ""

    def tell(self, text: str, *actions: QAction) -> None:
        """Show a sentence and a button for each action; Close is always there."""
        self._text.setText(text)
        while self._buttons.count():
            item = self._buttons.takeAt(0)
            widget = item.widget() if item is not None else None
            if widget is not None:
                widget.deleteLater()
        for action in actions:
            button = QPushButton(action.text())
            button.clicked.connect(action.trigger)
            button.clicked.connect(self.hide)
            self._buttons.addWidget(button)
        close = QPushButton("Close")
        close.clicked.connect(self.hide)
        self._buttons.addWidget(close)
        self.show()
