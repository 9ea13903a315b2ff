"""Text that changes while the hand moves, without the window being laid out anew.

A plain label tells its layout of each new text, and that the whole window: it then measures and
paints everything, for a number that changed. This one keeps its place and paints its text.
"""

from PyQt6.QtCore import QRect, QSize, Qt
from PyQt6.QtGui import QColor, QPainter, QPaintEvent
from PyQt6.QtWidgets import QSizePolicy, QWidget

from wallum.desk.widgets.tokens import TOKENS

__all__ = ["StillLabel"]


class StillLabel(QWidget):
    """Quiet text in a place of so many lines; what has no room ends in dots.

    wide : width that it asks for [px]; 0 where it takes what there is
    """

    def __init__(self, lines: int = 1, wide: int = 0, right: bool = False) -> None:
        super().__init__()
        self._text, self._lines, self._wide, self._right = "", lines, wide, right
        self._tone = "quiet"
        across = QSizePolicy.Policy.Preferred if wide else QSizePolicy.Policy.Ignored
        self.setSizePolicy(across, QSizePolicy.Policy.Fixed)

    def text(self) -> str:
        """What it says."""
        return self._text

    def setText(self, text: str, tone: str = "quiet") -> None:
        """Say something else. tone : one of TOKENS"""
        if (text, tone) != (self._text, self._tone):
            self._text, self._tone = text, tone
            self.setAccessibleName(text)
            self.update()

    def sizeHint(self) -> QSize:
        return QSize(self._wide or 80, self._lines * self.fontMetrics().lineSpacing() + 2)

    def minimumSizeHint(self) -> QSize:
        return QSize(40, self.sizeHint().height())

    def paintEvent(self, _: QPaintEvent | None) -> None:
        painter = QPainter(self)
        painter.setPen(QColor(TOKENS[self._tone]))
        across = Qt.AlignmentFlag.AlignRight if self._right else Qt.AlignmentFlag.AlignLeft
        place, text = QRect(self.rect()), self._text
        if self._lines == 1:
            text = painter.fontMetrics().elidedText(text, Qt.TextElideMode.ElideRight, place.width())
            painter.drawText(place, across | Qt.AlignmentFlag.AlignVCenter, text)
        else:
            flags = int(across | Qt.AlignmentFlag.AlignTop) | int(Qt.TextFlag.TextWordWrap)
            painter.drawText(place, flags, text)
        painter.end()
