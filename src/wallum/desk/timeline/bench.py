"""The Compose bench: where its panes lie."""

from collections.abc import Callable, Sequence

from PyQt6.QtCore import Qt
from PyQt6.QtGui import QAction
from PyQt6.QtWidgets import (
    QComboBox,
    QFrame,
    QHBoxLayout,
    QLabel,
    QMenu,
    QSplitter,
    QToolButton,
    QVBoxLayout,
    QWidget,
)

__all__ = ["choice_box", "compose_bench", "headed", "order_bar", "status_row", "top_bar"]

LEFT_PX, TUNE_PX = 128, 270


def _button(action: QAction) -> QToolButton:
    button = QToolButton()
    button.setDefaultAction(action)
    button.setFocusPolicy(Qt.FocusPolicy.TabFocus)
    return button


def _stacked(widgets: Sequence[tuple[QWidget, int]], name: str) -> QWidget:
    holder = QWidget()
    holder.setObjectName(name)
    layout = QVBoxLayout(holder)
    layout.setContentsMargins(0, 0, 0, 0)
    layout.setSpacing(0)
    for widget, stretch in widgets:
        layout.addWidget(widget, stretch)
    return holder


def choice_box(words: Sequence[str], name: str, tip: str) -> QComboBox:
    """A box to choose a word from."""
    box = QComboBox()
    box.addItems(words)
    box.setAccessibleName(name)
    box.setToolTip(tip)
    box.setFocusPolicy(Qt.FocusPolicy.TabFocus)
    return box


def headed(text: str) -> QWidget:
    """A pane's heading; more can be added to its row."""
    row = QWidget()
    layout = QHBoxLayout(row)
    layout.setContentsMargins(10, 8, 8, 4)
    layout.setSpacing(4)
    label = QLabel(text)
    label.setObjectName("title")
    layout.addWidget(label, 1)
    return row


def top_bar(
    name: QLabel,
    tools: Sequence[QAction],
    shown: Sequence[QWidget],
    others: Sequence[QAction],
    menu: QMenu,
) -> QWidget:
    """The project's name, the picture's tools, the buttons for files and steps, all commands."""
    bar = QFrame()
    bar.setObjectName("bar")
    layout = QHBoxLayout(bar)
    layout.setContentsMargins(10, 4, 8, 4)
    layout.setSpacing(4)
    name.setObjectName("title")
    name.setMinimumWidth(LEFT_PX)
    layout.addWidget(name)
    for action in tools:
        layout.addWidget(_button(action))
    for widget in shown:
        layout.addWidget(widget)
    layout.addStretch(1)
    for action in others:
        layout.addWidget(_button(action))
    more = QToolButton()
    more.setText("All")
    more.setToolTip("Every command, with its key")
    more.setMenu(menu)
    more.setPopupMode(QToolButton.ToolButtonPopupMode.InstantPopup)
    more.setFocusPolicy(Qt.FocusPolicy.TabFocus)
    layout.addWidget(more)
    return bar


def order_bar(alone: QLabel, sort_by: Callable[[str], None], variants: QWidget) -> QWidget:
    """The balance's heading: which source is seen alone, variants, and the order of the strips."""
    bar = headed("Balance")
    row = bar.layout()
    assert row is not None
    row.setContentsMargins(10, 2, 8, 0)
    alone.setObjectName("quiet")
    row.addWidget(alone)
    row.addWidget(variants)
    for order, tip in (
        ("group", "as they stand in the project"),
        ("share", "by share of the picture's light"),
        ("cost", "by what they cost of a frame"),
        ("name", "by name"),
    ):
        button = QToolButton()
        button.setText(order)
        button.setToolTip(f"Order of the strips: {tip}")
        button.setCheckable(True)
        button.setChecked(order == "group")
        button.setAutoExclusive(True)
        button.setFocusPolicy(Qt.FocusPolicy.TabFocus)
        button.clicked.connect(lambda _, order=order: sort_by(order))
        row.addWidget(button)
    return bar


def status_row(told: QWidget, cost: QWidget, state: QWidget) -> QWidget:
    """The row at the bottom: what was done, what a frame costs, and what the picture is."""
    bar = QWidget()
    bar.setObjectName("pane")
    layout = QHBoxLayout(bar)
    layout.setContentsMargins(10, 3, 10, 3)
    told.setMinimumWidth(80)
    layout.addWidget(told, 1)
    layout.addWidget(cost)
    layout.addWidget(state)
    return bar


def compose_bench(
    top: QWidget,
    day: QWidget,
    left: Sequence[QWidget],
    middle: Sequence[QWidget],
    right: QWidget,
    bottom: QWidget,
) -> tuple[QWidget, QSplitter]:
    """Everything in its place: the last but one of `middle` takes the room that is left. And what can be
    moved between the panes."""
    split = QSplitter(Qt.Orientation.Horizontal)
    split.addWidget(_stacked([(item, int(i % 2 == 1)) for i, item in enumerate(left)], "pane"))
    split.addWidget(_stacked([(item, int(i == len(middle) - 2)) for i, item in enumerate(middle)], "pane"))
    split.addWidget(right)
    split.setSizes([LEFT_PX, 1280 - LEFT_PX - TUNE_PX, TUNE_PX])
    for index in range(3):
        split.setStretchFactor(index, int(index == 1))
    split.setHandleWidth(1)
    return _stacked([(top, 0), (day, 0), (split, 1), (bottom, 0)], "bench"), split
