"""Colours and sizes of the desk, and the style sheet made from them."""

from typing import Final

__all__ = ["TOKENS", "style_sheet"]

TOKENS: Final = {
    "ground": "#383838",
    "pane": "#2b2b2b",
    "raised": "#404040",
    "line": "#5c5c5c",
    "edge": "#7c7c7c",
    "text": "#e8e8e8",
    "quiet": "#b8b8b8",
    "accent": "#b9d065",
    "second": "#79b8c4",
    "over": "#ff8a80",
}

SHEET: Final = """
* {{ color: {text}; font-size: 9.5pt; }}
QMainWindow, QWidget#bench {{ background: {ground}; }}
QWidget#pane {{ background: {pane}; }}
QLabel {{ background: transparent; }}
QLabel#quiet {{ color: {quiet}; }}
QLabel#quiet:disabled {{ color: {edge}; }}
QComboBox:disabled, QCheckBox:disabled {{ color: {edge}; border-color: {line}; }}
QLabel#title {{ color: {text}; font-weight: 600; }}
QListWidget {{ background: {pane}; border: none; outline: none; }}
QListWidget::item {{ padding: 3px 4px; border-left: 2px solid transparent; }}
QListWidget::item:selected {{ background: {raised}; border-left: 2px solid {accent}; color: {text}; }}
QListWidget:focus {{ border: 1px solid {edge}; }}
QComboBox {{ background: {raised}; border: 1px solid {edge}; border-radius: 2px; padding: 3px 2px 3px 5px; }}
QPushButton, QToolButton {{
    background: {raised}; border: 1px solid {edge}; border-radius: 2px; padding: 3px 8px;
}}
QPushButton:hover, QToolButton:hover, QComboBox:hover {{ border-color: {quiet}; }}
QPushButton:focus, QToolButton:focus, QComboBox:focus, QCheckBox:focus {{ border: 1px solid {accent}; }}
QToolButton:checked {{ border-color: {accent}; }}
QPushButton:pressed, QToolButton:pressed {{ background: {ground}; }}
QPushButton:disabled, QToolButton:disabled {{ color: {edge}; border-color: {line}; }}
QToolButton#tab {{ padding: 3px 3px; font-size: 8.5pt; }}
QToolButton#fold {{ background: transparent; border: none; color: {quiet}; padding: 2px 0;
    text-align: left; }}
QToolButton#fold:hover {{ color: {text}; }}
QComboBox QAbstractItemView {{ background: {raised}; border: 1px solid {edge};
    selection-background-color: {line}; }}
QCheckBox {{ spacing: 6px; border: 1px solid transparent; padding: 2px; }}
QCheckBox::indicator {{ width: 13px; height: 13px; border: 1px solid {edge}; background: {pane}; }}
QCheckBox::indicator:checked {{ background: {accent}; border-color: {accent}; }}
QLineEdit {{ background: {pane}; border: 1px solid {edge};
    selection-background-color: {line}; padding: 1px 3px; }}
QLineEdit:focus {{ border: 1px solid {accent}; }}
QScrollArea {{ border: none; background: {pane}; }}
QScrollBar:vertical {{ background: {pane}; width: 9px; }}
QScrollBar::handle:vertical {{ background: {line}; min-height: 24px; }}
QScrollBar::add-line, QScrollBar::sub-line {{ height: 0; width: 0; }}
QFrame#sheet {{ background: {pane}; border: 1px solid {edge}; }}
QFrame#bar {{ background: {raised}; border-bottom: 1px solid {line}; }}
QMenu {{ background: {raised}; border: 1px solid {edge}; padding: 4px; }}
QMenu::item {{ padding: 3px 24px 3px 10px; }}
QMenu::item:selected {{ background: {line}; }}
QMenu::item:disabled {{ color: {edge}; }}
QMenu::section {{ color: {quiet}; padding: 4px 6px 1px 6px; }}
QToolButton::menu-indicator {{ width: 0; }}
QToolTip {{ background: {raised}; color: {text}; border: 1px solid {edge}; padding: 3px; }}
QSplitter::handle {{ background: {line}; }}
QProgressBar {{ background: {pane}; border: 1px solid {line}; height: 4px; }}
QProgressBar::chunk {{ background: {quiet}; }}
"""


def style_sheet() -> str:
    """The application's style sheet."""
    return SHEET.format(**TOKENS)
