"""Small buttons that the keyboard reaches too."""

from collections.abc import Callable

from PyQt6.QtCore import Qt
from PyQt6.QtWidgets import QToolButton

__all__ = ["text_button"]


def text_button(text: str, tip: str, pressed: Callable[[], object]) -> QToolButton:
    """A button with a word on it."""
    button = QToolButton()
    button.setText(text)
    button.setToolTip(tip)
    button.setFocusPolicy(Qt.FocusPolicy.TabFocus)
    button.clicked.connect(lambda: pressed())
    return button
