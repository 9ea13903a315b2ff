"""The scale beside a false-colour picture: which colour is how many stops from mid grey."""

from PyQt6.QtCore import QRectF, Qt
from PyQt6.QtGui import QColor, QPainter

from wallum.physics.false_colour import RANGE_STOPS, ramp

__all__ = ["draw_stops_scale"]

STEP_PX, WIDTH_PX, EDGE_PX = 18, 22, 12


def draw_stops_scale(painter: QPainter, height: int) -> None:
    """Paint the scale at the left edge of the picture, brightest on top."""
    colours = ramp()
    top = (height - STEP_PX * len(colours)) / 2
    back = QRectF(EDGE_PX - 4, top - 22, WIDTH_PX + 42, STEP_PX * len(colours) + 28)
    painter.fillRect(back, QColor(24, 24, 24, 200))
    painter.setPen(QColor("#e8e8e8"))
    title = QRectF(EDGE_PX, top - 20, WIDTH_PX + 40, 16)
    painter.drawText(title, Qt.AlignmentFlag.AlignVCenter, "stops")
    for number, colour in enumerate(colours[::-1]):
        red, green, blue = (round(float(part) * 255.0) for part in colour)
        box = QRectF(EDGE_PX, top + number * STEP_PX, WIDTH_PX, STEP_PX)
        painter.fillRect(box, QColor(red, green, blue))
        stops = RANGE_STOPS - number
        label = "grey" if stops == 0 else f"{stops:+d}"
        place = QRectF(EDGE_PX + WIDTH_PX + 5, box.top(), 34, STEP_PX)
        painter.drawText(place, Qt.AlignmentFlag.AlignVCenter, label)
