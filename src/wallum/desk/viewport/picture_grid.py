"""Pictures in rows, in the place of the picture: what the wall of shots and the hours share."""

import math
from abc import abstractmethod

from PyQt6.QtCore import QEvent, QObject, QPointF, QRectF, QSize, Qt, pyqtSignal
from PyQt6.QtGui import QColor, QHideEvent, QImage, QKeyEvent, QMouseEvent, QPainter, QPaintEvent, QPen
from PyQt6.QtWidgets import QWidget

from wallum.desk.session.session import Session
from wallum.desk.widgets.tokens import TOKENS
from wallum.moment.scene import LitScene
from wallum.realtime.process.request import PictureRequest

__all__ = ["PictureGrid"]

NAME_PX = 18


class PictureGrid(QWidget):
    """Lies over the picture. A click or Enter chooses; the arrow keys go on; Escape goes back."""

    left = pyqtSignal()
    opened = pyqtSignal()
    closed = pyqtSignal()
    gap_px = 10

    def __init__(self, session: Session, over: QWidget, name: str) -> None:
        super().__init__(over)
        self._session, self._over = session, over
        self._focused = 0
        self.setFocusPolicy(Qt.FocusPolicy.StrongFocus)
        self.setAccessibleName(name)
        self.setMouseTracking(True)
        session.changed.connect(self.update)
        over.installEventFilter(self)
        self.hide()

    @abstractmethod
    def count(self) -> int:
        """How many pictures there are."""

    @abstractmethod
    def aspect(self) -> float:
        """Width over height of each."""

    @abstractmethod
    def name_of(self, number: int) -> str:
        """What stands under a picture."""

    @abstractmethod
    def picture_of(self, number: int) -> QImage | None:
        """A picture, once it is there."""

    @abstractmethod
    def wanted(self, scene: LitScene) -> dict[str, PictureRequest]:
        """Pictures that are missing, by their names."""

    @abstractmethod
    def choose(self, number: int) -> None:
        """A picture was chosen."""

    def open_grid(self) -> None:
        """Show it."""
        self.setGeometry(self._over.rect())
        self.show()
        self.raise_()
        self.setFocus()
        self.opened.emit()

    @property
    def complete(self) -> bool:
        """Whether every picture is there."""
        return all(self.picture_of(number) is not None for number in range(self.count()))

    def columns(self) -> int:
        """How many stand beside each other, so that they are as large as they can be."""
        return max(range(1, max(self.count(), 1) + 1), key=lambda n: self.cell(n)[0])

    def cell(self, columns: int) -> tuple[float, float]:
        """Width and height of a picture where so many stand beside each other."""
        rows = math.ceil(max(self.count(), 1) / columns)
        wide = (self.width() - self.gap_px * (columns + 1)) / columns
        high = (self.height() - self.gap_px * (rows + 1)) / rows - NAME_PX
        wide = max(min(wide, high * self.aspect()), 1.0)
        return wide, wide / self.aspect()

    def place_of(self, number: int) -> QRectF:
        """Where a picture stands."""
        columns = self.columns()
        wide, high = self.cell(columns)
        rows = math.ceil(max(self.count(), 1) / columns)
        left = (self.width() - columns * wide - (columns - 1) * self.gap_px) / 2
        top = (self.height() - rows * (high + NAME_PX) - (rows - 1) * self.gap_px) / 2
        row, column = divmod(number, columns)
        x, y = left + column * (wide + self.gap_px), top + row * (high + NAME_PX + self.gap_px)
        return QRectF(x, y, wide, high)

    def hideEvent(self, event: QHideEvent | None) -> None:
        super().hideEvent(event)
        self.closed.emit()

    def sizeHint(self) -> QSize:
        return self._over.size()

    def eventFilter(self, watched: QObject | None, event: QEvent | None) -> bool:
        if event is not None and event.type() == QEvent.Type.Resize:
            self.setGeometry(self._over.rect())
        return super().eventFilter(watched, event)

    def paintEvent(self, _: QPaintEvent | None) -> None:
        painter = QPainter(self)
        painter.setRenderHint(QPainter.RenderHint.SmoothPixmapTransform)
        painter.fillRect(self.rect(), QColor(TOKENS["ground"]))
        if not self.count():
            painter.setPen(QColor(TOKENS["quiet"]))
            text = "No shots yet: look from where the player will, and keep it with C"
            painter.drawText(self.rect(), Qt.AlignmentFlag.AlignCenter, text)
        for number in range(self.count()):
            self._paint_one(painter, number, self.place_of(number))
        painter.end()

    def _paint_one(self, painter: QPainter, number: int, place: QRectF) -> None:
        image = self.picture_of(number)
        painter.fillRect(place, QColor(TOKENS["pane"]))
        if image is not None:
            painter.drawImage(place, image)
        else:
            painter.setPen(QColor(TOKENS["quiet"]))
            painter.drawText(place, Qt.AlignmentFlag.AlignCenter, "comes ...")
        words = QRectF(place.left(), place.bottom(), place.width(), NAME_PX)
        painter.setPen(QColor(TOKENS["text" if number == self._focused else "quiet"]))
        name = self.name_of(number)
        name = painter.fontMetrics().elidedText(name, Qt.TextElideMode.ElideRight, int(words.width()))
        painter.drawText(words, Qt.AlignmentFlag.AlignLeft | Qt.AlignmentFlag.AlignVCenter, name)
        if number == self._focused and self.hasFocus():
            painter.setPen(QPen(QColor(TOKENS["accent"]), 2))
            painter.setBrush(Qt.BrushStyle.NoBrush)
            painter.drawRect(place)

    def _number_at(self, at: QPointF) -> int | None:
        return next((i for i in range(self.count()) if self.place_of(i).contains(at)), None)

    def mousePressEvent(self, event: QMouseEvent | None) -> None:
        assert event is not None
        number = self._number_at(event.position())
        if number is not None:
            self._focused = number
            self.choose(number)

    def keyPressEvent(self, event: QKeyEvent | None) -> None:
        assert event is not None
        steps = {
            Qt.Key.Key_Left: -1, Qt.Key.Key_Right: 1,
            Qt.Key.Key_Up: -self.columns(), Qt.Key.Key_Down: self.columns(),
        }  # fmt: skip
        key = Qt.Key(event.key())
        if key in steps and self.count():
            self._focused = min(max(self._focused + steps[key], 0), self.count() - 1)
            self.update()
        elif key in (Qt.Key.Key_Return, Qt.Key.Key_Enter) and self.count():
            self.choose(self._focused)
        elif key == Qt.Key.Key_Escape:
            self.left.emit()
        else:
            super().keyPressEvent(event)
