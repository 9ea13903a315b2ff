"""Scales at the left edge of pictures that show numbers by colours."""

import numpy as np
from numpy.typing import NDArray
from PyQt6.QtCore import QRectF, Qt
from PyQt6.QtGui import QColor, QPainter

from wallum.physics.false_colour import RANGE_STOPS, grain_ramp, ramp

__all__ = ["draw_grain_scale", "draw_stops_scale"]

STEP_PX, WIDTH_PX, EDGE_PX = 18, 22, 12


def _draw_scale(painter: QPainter, height: int, title: str, rows: list[tuple[QColor, str]]) -> None:
    top = (height - STEP_PX * len(rows)) / 2
    back = QRectF(EDGE_PX - 4, top - 22, WIDTH_PX + 42, STEP_PX * len(rows) + 28)
    painter.fillRect(back, QColor(24, 24, 24, 200))
    painter.setPen(QColor("#e8e8e8"))
    heading = QRectF(EDGE_PX, top - 20, WIDTH_PX + 40, 16)
    painter.drawText(heading, Qt.AlignmentFlag.AlignVCenter, title)
    for number, (colour, label) in enumerate(rows):
        box = QRectF(EDGE_PX, top + number * STEP_PX, WIDTH_PX, STEP_PX)
        painter.fillRect(box, colour)
        place = QRectF(EDGE_PX + WIDTH_PX + 5, box.top(), 34, STEP_PX)
        painter.drawText(place, Qt.AlignmentFlag.AlignVCenter, label)


def _colour(parts: NDArray[np.float32]) -> QColor:
    red, green, blue = (round(float(part) * 255.0) for part in parts)
    return QColor(red, green, blue)


def draw_stops_scale(painter: QPainter, height: int) -> None:
    """Which colour is how many stops from mid grey, brightest on top."""
    rows = []
    for number, colour in enumerate(ramp()[::-1]):
        stops = RANGE_STOPS - number
        rows.append((_colour(colour), "grey" if stops == 0 else f"{stops:+d}"))
    _draw_scale(painter, height, "stops", rows)


def draw_grain_scale(painter: QPainter, height: int) -> None:
    """Which colour is how many texels of a shadow a metre, finest on top."""
    colours = grain_ramp()
    rows = [(_colour(colour), str(2 ** (len(colours) - 1 - i))) for i, colour in enumerate(colours)]
    _draw_scale(painter, height, "texels / m", rows)
