"""How much darker than metered a picture stays, over its own light; its rings are dragged."""

import math
from typing import Final

from PyQt6.QtCore import QPointF, QRectF, QSize, Qt
from PyQt6.QtGui import QColor, QMouseEvent, QPainter, QPaintEvent, QPen, QPolygonF
from PyQt6.QtWidgets import QSizePolicy, QWidget

from wallum.desk.session.session import Session
from wallum.desk.widgets.tokens import TOKENS
from wallum.document.fields import declared
from wallum.document.look import DARKER, Look
from wallum.physics.exposure import DARKER_AT, grey_luminance

__all__ = ["NightChart"]

HEIGHT_PX: Final = 132
LOW, HIGH = -3.0, 4.0  # powers of ten of the mean luminance [cd/m2]
MAXIMUM: Final = 8.0  # stops
REACH_PX: Final = 14.0


class NightChart(QWidget):
    """Mean luminance of the picture across, stops darker downward; where it is now is marked."""

    def __init__(self, session: Session, parent: QWidget | None = None) -> None:
        super().__init__(parent)
        self._session = session
        self._look = Look()
        self._held: tuple[int, QPointF, float] | None = None
        self.setSizePolicy(QSizePolicy.Policy.Expanding, QSizePolicy.Policy.Fixed)
        self.setFixedHeight(HEIGHT_PX)
        self.setAccessibleName("Night stays night")
        self.setToolTip(
            "Stops that a metered picture stays darker, by its mean luminance [cd/m2].\n"
            "Drag the rings; what is flat keeps every hour as bright as day."
        )

    def sizeHint(self) -> QSize:
        return QSize(240, HEIGHT_PX)

    def show_look(self, look: Look) -> None:
        """Show the curve of a look."""
        self._look = look
        self.update()

    def _box(self) -> QRectF:
        return QRectF(self.rect()).adjusted(22.0, 8.0, -6.0, -16.0)

    def _at(self, luminance: float, stops: float) -> QPointF:
        box = self._box()
        x = box.left() + (math.log10(luminance) - LOW) / (HIGH - LOW) * box.width()
        return QPointF(x, box.top() + (stops + 1.0) / (MAXIMUM + 1.0) * box.height())

    @property
    def rings(self) -> list[QPointF]:
        """Places of what can be dragged, from the least light on."""
        return [self._at(*item) for item in zip(DARKER_AT, self._look.darker, strict=False)]

    def mousePressEvent(self, event: QMouseEvent | None) -> None:
        assert event is not None
        if event.button() != Qt.MouseButton.LeftButton or self._look.exposed != "metered":
            return
        for number, ring in enumerate(self.rings):
            if (ring - event.position()).manhattanLength() <= REACH_PX:
                self._held = number, event.position(), self._look.darker[number]

    def mouseMoveEvent(self, event: QMouseEvent | None) -> None:
        assert event is not None
        if self._held is None:
            return
        number, start, before = self._held
        fine = 0.1 if event.modifiers() & Qt.KeyboardModifier.ShiftModifier else 1.0
        moved = fine * (event.position().y() - start.y()) / self._box().height() * (MAXIMUM + 1.0)
        to = min(max(before + moved, -2.0), MAXIMUM)
        self._session.preview(f"look/{DARKER[number]}", round(to, 2))

    def mouseReleaseEvent(self, _: QMouseEvent | None) -> None:
        if self._held is not None:
            label = declared(Look)[DARKER[self._held[0]]].label.lower()
            self._held = None
            self._session.commit(f"Picture, {label}")

    def paintEvent(self, _: QPaintEvent | None) -> None:
        painter = QPainter(self)
        box, metered = self._box(), self._look.exposed == "metered"
        painter.fillRect(self.rect(), QColor(TOKENS["pane"]))
        painter.fillRect(box, QColor(TOKENS["ground"]))
        self._paint_scale(painter, box)
        painter.setRenderHint(QPainter.RenderHint.Antialiasing)
        if not metered:
            painter.setPen(QColor(TOKENS["quiet"]))
            painter.drawText(box, Qt.AlignmentFlag.AlignCenter, "Exposed by hand:\nnothing is metered")
            return
        now = min(max(grey_luminance(self._session.shown_ev), 10.0**LOW), 10.0**HIGH)
        x = self._at(now, 0.0).x()
        painter.setPen(QPen(QColor(TOKENS["second"]), 1, Qt.PenStyle.DashLine))
        painter.drawLine(QPointF(x, box.top()), QPointF(x, box.bottom()))
        ends = self._look.darker[0], 0.0
        line = [
            self._at(10.0**LOW, ends[0]),
            *self.rings,
            self._at(DARKER_AT[-1], 0.0),
            self._at(10.0**HIGH, 0.0),
        ]
        painter.setPen(QPen(QColor(TOKENS["text"]), 1.6))
        painter.drawPolyline(QPolygonF(line))
        painter.setPen(QPen(QColor(TOKENS["accent"]), 1.6))
        painter.setBrush(QColor(TOKENS["ground"]))
        for ring in self.rings:
            painter.drawEllipse(ring, 4.5, 4.5)
        painter.setBrush(Qt.BrushStyle.NoBrush)

    def _paint_scale(self, painter: QPainter, box: QRectF) -> None:
        for power, text in ((-2, "stars"), (-1, ""), (0, "lamps"), (1, ""), (2, "shade"), (3, "day")):
            x = self._at(10.0**power, 0.0).x()
            painter.setPen(QPen(QColor(TOKENS["line"]), 1))
            painter.drawLine(QPointF(x, box.top()), QPointF(x, box.bottom()))
            painter.setPen(QColor(TOKENS["quiet"]))
            painter.drawText(
                QRectF(x - 24.0, box.bottom() + 1.0, 48.0, 14.0), Qt.AlignmentFlag.AlignCenter, text
            )
        for stops in (0, 4, 8):
            y = self._at(1.0, stops).y()
            painter.setPen(QPen(QColor(TOKENS["edge" if stops == 0 else "line"]), 1))
            painter.drawLine(QPointF(box.left(), y), QPointF(box.right(), y))
            painter.setPen(QColor(TOKENS["quiet"]))
            text = f"-{stops}" if stops else "0"
            painter.drawText(QRectF(0.0, y - 7.0, 20.0, 14.0), Qt.AlignmentFlag.AlignRight, text)
