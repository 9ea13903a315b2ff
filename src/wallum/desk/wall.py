"""The wall: all shots at this hour, in the place of the picture."""

import math

from PyQt6.QtCore import QPointF, QRectF, QSize, Qt, pyqtSignal
from PyQt6.QtGui import QColor, QImage, QKeyEvent, QMouseEvent, QPainter, QPaintEvent, QPen
from PyQt6.QtWidgets import QWidget

from wallum.desk.at_rest import shot_requests
from wallum.desk.session import Session
from wallum.desk.tokens import TOKENS
from wallum.document.project import Shot
from wallum.moment.camera import far_for
from wallum.moment.scene import LitScene
from wallum.realtime.request import PictureRequest

__all__ = ["WALL_PREFIX", "ShotWall"]

WALL_PREFIX = "wall "
GAP_PX, NAME_PX = 10, 20


class ShotWall(QWidget):
    """Lies over the picture. A click or Enter looks through a shot; Escape goes back."""

    chosen = pyqtSignal(str)
    left = pyqtSignal()
    opened = pyqtSignal()

    def __init__(self, session: Session, over: QWidget) -> None:
        super().__init__(over)
        self._session, self._over = session, over
        self._pictures: dict[str, QImage] = {}
        self._asked: tuple[object, float, tuple[int, int]] = (None, 0.0, (0, 0))
        self._focused = 0
        self.setFocusPolicy(Qt.FocusPolicy.StrongFocus)
        self.setAccessibleName("All shots")
        self.setMouseTracking(True)
        session.changed.connect(self.update)
        self.hide()

    def open(self) -> None:
        """Show all shots."""
        self.setGeometry(self._over.rect())
        self.show()
        self.raise_()
        self.setFocus()
        self.opened.emit()

    def shots(self) -> tuple[Shot, ...]:
        return self._session.project.shots

    def columns(self) -> int:
        """How many stand beside each other, so that they are as large as they can be."""
        count = max(len(self.shots()), 1)
        return max(range(1, count + 1), key=lambda n: self._cell(n)[0])

    def _cell(self, columns: int) -> tuple[float, float]:
        """Width and height of a picture where so many stand beside each other."""
        rows = math.ceil(max(len(self.shots()), 1) / columns)
        wide = (self.width() - GAP_PX * (columns + 1)) / columns
        high = (self.height() - GAP_PX * (rows + 1)) / rows - NAME_PX
        aspect = self._session.project.target.aspect
        wide = max(min(wide, high * aspect), 1.0)
        return wide, wide / aspect

    def picture_size(self) -> tuple[int, int]:
        """Size to draw each at, in device pixels."""
        wide, high = self._cell(self.columns())
        ratio = self.devicePixelRatioF()
        return max(int(wide * ratio), 16), max(int(high * ratio), 16)

    def place_of(self, number: int) -> QRectF:
        """Where a shot's picture stands."""
        columns = self.columns()
        wide, high = self._cell(columns)
        rows = math.ceil(max(len(self.shots()), 1) / columns)
        left = (self.width() - columns * wide - (columns - 1) * GAP_PX) / 2
        top = (self.height() - rows * (high + NAME_PX) - (rows - 1) * GAP_PX) / 2
        row, column = divmod(number, columns)
        x, y = left + column * (wide + GAP_PX), top + row * (high + NAME_PX + GAP_PX)
        return QRectF(x, y, wide, high)

    def take_picture(self, name: str, image: QImage) -> None:
        """A small or other picture came."""
        if name.startswith(WALL_PREFIX):
            self._pictures[name.removeprefix(WALL_PREFIX)] = image
            self.update()

    def wanted(self, scene: LitScene) -> dict[str, PictureRequest]:
        """Pictures of the shots, where those that are there are of another hour or light."""
        loaded, size = self._session.level, self.picture_size()
        if not self.isVisible() or loaded is None:
            return {}
        asked = (self._session.project, self._session.hour, size)
        if asked[0] is self._asked[0] and asked[1:] == self._asked[1:]:
            return {}
        self._asked = asked
        far = far_for(loaded.level.bounds)
        return shot_requests(self._session.project, scene, far, size, WALL_PREFIX)

    @property
    def complete(self) -> bool:
        """Whether every shot has a picture."""
        return all(one.id in self._pictures for one in self.shots())

    def sizeHint(self) -> QSize:
        return self._over.size()

    def paintEvent(self, _: QPaintEvent | None) -> None:
        painter = QPainter(self)
        painter.setRenderHint(QPainter.RenderHint.SmoothPixmapTransform)
        painter.fillRect(self.rect(), QColor(TOKENS["ground"]))
        if not self.shots():
            painter.setPen(QColor(TOKENS["quiet"]))
            text = "No shots yet: look from where the player will, and keep it with C"
            painter.drawText(self.rect(), Qt.AlignmentFlag.AlignCenter, text)
        for number, shot in enumerate(self.shots()):
            place = self.place_of(number)
            image = self._pictures.get(shot.id)
            painter.fillRect(place, QColor(TOKENS["pane"]))
            if image is not None:
                painter.drawImage(place, image)
            else:
                painter.setPen(QColor(TOKENS["quiet"]))
                painter.drawText(place, Qt.AlignmentFlag.AlignCenter, "comes ...")
            words = QRectF(place.left(), place.bottom(), place.width(), NAME_PX)
            painter.setPen(QColor(TOKENS["text" if number == self._focused else "quiet"]))
            painter.drawText(words, Qt.AlignmentFlag.AlignLeft | Qt.AlignmentFlag.AlignVCenter, shot.name)
            if number == self._focused and self.hasFocus():
                painter.setPen(QPen(QColor(TOKENS["accent"]), 2))
                painter.drawRect(place)
        painter.end()

    def _at(self, at: QPointF) -> int | None:
        return next((i for i in range(len(self.shots())) if self.place_of(i).contains(at)), None)

    def mousePressEvent(self, event: QMouseEvent | None) -> None:
        assert event is not None
        number = self._at(event.position())
        if number is not None:
            self._focused = number
            self.chosen.emit(self.shots()[number].id)

    def keyPressEvent(self, event: QKeyEvent | None) -> None:
        assert event is not None
        steps = {
            Qt.Key.Key_Left: -1, Qt.Key.Key_Right: 1,
            Qt.Key.Key_Up: -self.columns(), Qt.Key.Key_Down: self.columns(),
        }  # fmt: skip
        key = Qt.Key(event.key())
        if key in steps and self.shots():
            self._focused = min(max(self._focused + steps[key], 0), len(self.shots()) - 1)
            self.update()
        elif key in (Qt.Key.Key_Return, Qt.Key.Key_Enter) and self.shots():
            self.chosen.emit(self.shots()[self._focused].id)
        elif key == Qt.Key.Key_Escape:
            self.left.emit()
        else:
            super().keyPressEvent(event)
