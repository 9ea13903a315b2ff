"""The contact sheet on the desk: shots by hours, in the place of the picture."""

import math

from PyQt6.QtCore import QEvent, QObject, QPointF, QRectF, Qt, pyqtSignal
from PyQt6.QtGui import QColor, QImage, QKeyEvent, QMouseEvent, QPainter, QPaintEvent, QPen
from PyQt6.QtWidgets import QWidget

from wallum.desk.session import Session
from wallum.desk.tokens import TOKENS
from wallum.document.lanes import format_clock
from wallum.document.project import Shot
from wallum.moment.camera import Camera, far_for
from wallum.moment.evaluate import evaluate
from wallum.moment.scene import LitScene
from wallum.realtime.request import PictureRequest

__all__ = ["HourSheet"]

PREFIX = "hour "
GAP_PX, NAME_PX = 6, 15
ONE_SHOT_HOURS, MORE_SHOTS_HOURS = 24, 8
SIZE = (320, 200)


class HourSheet(QWidget):
    """Lies over the picture. One shot at every hour, or several at every third. A click goes to that
    hour through that shot; Escape goes back."""

    chosen = pyqtSignal(str, float)
    left = pyqtSignal()
    opened = pyqtSignal()

    def __init__(self, session: Session, over: QWidget) -> None:
        super().__init__(over)
        self._session, self._over = session, over
        self._pictures: dict[str, QImage] = {}
        self._asked: object = None
        self._focused = 0
        self.shot_ids: tuple[str, ...] = ()
        self.setFocusPolicy(Qt.FocusPolicy.StrongFocus)
        self.setAccessibleName("Shots by hours")
        session.changed.connect(self.update)
        over.installEventFilter(self)
        self.hide()

    def eventFilter(self, watched: QObject | None, event: QEvent | None) -> bool:
        if event is not None and event.type() == QEvent.Type.Resize:
            self.setGeometry(self._over.rect())
        return super().eventFilter(watched, event)

    def open(self, shot_ids: tuple[str, ...] = ()) -> None:
        """Show the shots of these ids, or the first one."""
        known = tuple(one.id for one in self._session.project.shots)
        self.shot_ids = tuple(one for one in shot_ids if one in known) or known[:1]
        self._pictures, self._asked, self._focused = {}, None, 0
        self.setGeometry(self._over.rect())
        self.show()
        self.raise_()
        self.setFocus()
        self.opened.emit()

    def shots(self) -> list[Shot]:
        """The shots that are shown, as they stand in the project."""
        return [one for one in self._session.project.shots if one.id in self.shot_ids]

    def hours(self) -> list[float]:
        """The hours that are shown."""
        count = ONE_SHOT_HOURS if len(self.shots()) <= 1 else MORE_SHOTS_HOURS
        return [24.0 * i / count for i in range(count)]

    def cells(self) -> list[tuple[Shot, float]]:
        """What is shown, in order."""
        return [(shot, hour) for shot in self.shots() for hour in self.hours()]

    def columns(self) -> int:
        """How many stand beside each other: one shot so that they are as large as they can be,
        several in a row each."""
        if len(self.shots()) > 1:
            return MORE_SHOTS_HOURS
        return max((n for n in (4, 6, 8, 12)), key=lambda n: self._cell(n)[0])

    def _cell(self, columns: int) -> tuple[float, float]:
        rows = max(math.ceil(len(self.cells()) / columns), 1)
        wide = (self.width() - GAP_PX * (columns + 1)) / columns
        high = (self.height() - GAP_PX * (rows + 1)) / rows - NAME_PX
        wide = max(min(wide, high * SIZE[0] / SIZE[1]), 1.0)
        return wide, wide * SIZE[1] / SIZE[0]

    def place_of(self, number: int) -> QRectF:
        """Where a picture stands."""
        columns = self.columns()
        wide, high = self._cell(columns)
        rows = math.ceil(len(self.cells()) / columns)
        left = (self.width() - columns * wide - (columns - 1) * GAP_PX) / 2
        top = (self.height() - rows * (high + NAME_PX) - (rows - 1) * GAP_PX) / 2
        row, column = divmod(number, columns)
        return QRectF(left + column * (wide + GAP_PX), top + row * (high + NAME_PX + GAP_PX), wide, high)

    def _key(self, shot: Shot, hour: float) -> str:
        return f"{PREFIX}{hour:.3f} {shot.id}"

    def take_picture(self, name: str, image: QImage) -> None:
        """A small or other picture came."""
        if name.startswith(PREFIX):
            self._pictures[name] = image
            self.update()

    def wanted(self, _: LitScene) -> dict[str, PictureRequest]:
        """The pictures, where those that are there are of other light."""
        loaded, project = self._session.level, self._session.project
        if not self.isVisible() or loaded is None or self._asked is project:
            return {}
        self._asked = project
        far = far_for(loaded.level.bounds)
        out = {}
        for hour in self.hours():
            scene = evaluate(project, hour)
            for shot in self.shots():
                camera = Camera.of_shot(shot, SIZE[0] / SIZE[1], far)
                out[self._key(shot, hour)] = PictureRequest(0, scene, camera, SIZE, detail="thumb")
        return out

    @property
    def complete(self) -> bool:
        """Whether every picture is there."""
        return all(self._key(*cell) in self._pictures for cell in self.cells())

    def paintEvent(self, _: QPaintEvent | None) -> None:
        painter = QPainter(self)
        painter.setRenderHint(QPainter.RenderHint.SmoothPixmapTransform)
        painter.fillRect(self.rect(), QColor(TOKENS["ground"]))
        if not self.cells():
            painter.setPen(QColor(TOKENS["quiet"]))
            text = "No shots yet: look from where the player will, and keep it with C"
            painter.drawText(self.rect(), Qt.AlignmentFlag.AlignCenter, text)
        font = self.font()
        font.setPointSizeF(8.0)
        painter.setFont(font)
        several = len(self.shots()) > 1
        for number, (shot, hour) in enumerate(self.cells()):
            place = self.place_of(number)
            image = self._pictures.get(self._key(shot, hour))
            if image is not None:
                painter.drawImage(place, image, QRectF(image.rect()))
            else:
                painter.fillRect(place, QColor(TOKENS["pane"]))
            if number == self._focused and self.hasFocus():
                painter.setPen(QPen(QColor(TOKENS["accent"]), 2))
                painter.drawRect(place)
            painter.setPen(QColor(TOKENS["text"]))
            text = format_clock(hour)
            if several and number % self.columns() == 0:
                text = f"{text}  {shot.name}"
            box = QRectF(place.left(), place.bottom() + 1, place.width(), NAME_PX)
            text = painter.fontMetrics().elidedText(text, Qt.TextElideMode.ElideRight, int(box.width()))
            painter.drawText(box, Qt.AlignmentFlag.AlignLeft | Qt.AlignmentFlag.AlignVCenter, text)
        painter.end()

    def _number_at(self, at: QPointF) -> int:
        return next((i for i in range(len(self.cells())) if self.place_of(i).contains(at)), -1)

    def mousePressEvent(self, event: QMouseEvent | None) -> None:
        assert event is not None
        number = self._number_at(event.position())
        if number >= 0:
            self._focused = number
            self._choose()

    def _choose(self) -> None:
        cells = self.cells()
        if cells:
            shot, hour = cells[self._focused]
            self.hide()
            self.chosen.emit(shot.id, hour)

    def keyPressEvent(self, event: QKeyEvent | None) -> None:
        assert event is not None
        steps = {
            Qt.Key.Key_Left: -1, Qt.Key.Key_Right: 1,
            Qt.Key.Key_Up: -self.columns(), Qt.Key.Key_Down: self.columns(),
        }  # fmt: skip
        key = Qt.Key(event.key())
        if key in steps and self.cells():
            self._focused = min(max(self._focused + steps[key], 0), len(self.cells()) - 1)
            self.update()
        elif key in (Qt.Key.Key_Return, Qt.Key.Key_Enter):
            self._choose()
        elif key == Qt.Key.Key_Escape:
            self.hide()
            self.left.emit()
        else:
            super().keyPressEvent(event)
