"""Marks on the picture: a ring of its own colour for each lamp, a second about the selected."""

from collections.abc import Callable, Collection, Sequence
from dataclasses import dataclass
from functools import lru_cache

import numpy as np
from PyQt6.QtCore import QPointF, QRect, QRectF, Qt
from PyQt6.QtGui import QColor, QPainter, QPen, QPixmap

from wallum.desk.widgets.tokens import TOKENS
from wallum.document.project import Project
from wallum.document.sources import Placed
from wallum.moment.camera import Camera
from wallum.moment.resolved_colour import shown_colour

__all__ = ["Mark", "draw_label", "draw_marks", "label_box", "mark_at", "place_marks"]

RING_PX = 6.0
CATCH_PX = 11.0
CHOSEN_PX = RING_PX + 7.0  # half the side of the ring about what is selected
TICK_PX = 9.0
STICK_M = 2.0
RIM = QColor(0, 0, 0, 150)


@dataclass(frozen=True)
class Mark:
    """A lamp's place in the picture [px], and where its aim leads (None: all around)."""

    source_id: str
    at: QPointF
    aim: QPointF | None
    depth_m: float
    colour: tuple[int, int, int]
    on: bool


def place_marks(
    project: Project, camera: Camera, width: float, height: float, shown: Collection[str] = ()
) -> list[Mark]:
    """Marks of the lamps that lie before the camera, far ones first.

    shown : ids of lamps whose marks are there even where they are hidden
    """
    lamps = [source for source in project.resolved_sources if isinstance(source, Placed)]
    lamps = [lamp for lamp in lamps if not lamp.hidden or lamp.id in shown]
    if not lamps:
        return []
    starts = np.array([lamp.position for lamp in lamps])
    directions = np.array([lamp.axis or (0.0, 0.0, 0.0) for lamp in lamps])
    places = camera.place_in_picture(np.concatenate([starts, starts + directions * STICK_M])).tolist()
    out = []
    for i, lamp in enumerate(lamps):
        x, y, depth = places[i]
        if depth <= camera.near or not (-0.1 <= x <= 1.1 and -0.1 <= y <= 1.1):
            continue
        end = places[len(lamps) + i]
        aim = QPointF(end[0] * width, end[1] * height) if lamp.axis is not None and end[2] > 0 else None
        out.append(
            Mark(lamp.id, QPointF(x * width, y * height), aim, float(depth), shown_colour(lamp), lamp.on)
        )
    return sorted(out, key=lambda mark: -mark.depth_m)


def mark_at(marks: list[Mark], at: QPointF) -> Mark | None:
    """The nearest mark under the pointer."""
    near = [
        m
        for m in marks
        if (m.at - at).manhattanLength() < 2 * CATCH_PX
        and np.hypot(m.at.x() - at.x(), m.at.y() - at.y()) <= CATCH_PX
    ]
    return min(near, key=lambda m: np.hypot(m.at.x() - at.x(), m.at.y() - at.y()), default=None)


def _tick(painter: QPainter, mark: Mark, length: float) -> QPointF | None:
    if mark.aim is None:
        return None
    offset = mark.aim - mark.at
    size = float(np.hypot(offset.x(), offset.y()))
    if size < 1.0:
        return None
    unit = offset / size
    start, end = mark.at + unit * RING_PX, mark.at + unit * (RING_PX + length)
    painter.drawLine(start, end)
    return end


def _stamp(side: int, ratio: float, draw: Callable[[QPainter], None]) -> QPixmap:
    """A small picture of a mark, drawn once: thousands of them are then only copied."""
    pixmap = QPixmap(int(side * ratio), int(side * ratio))
    pixmap.setDevicePixelRatio(ratio)
    pixmap.fill(Qt.GlobalColor.transparent)
    painter = QPainter(pixmap)
    painter.setRenderHint(QPainter.RenderHint.Antialiasing)
    draw(painter)
    painter.end()
    return pixmap


@lru_cache(maxsize=256)
def _ring(colour: tuple[int, int, int], on: bool, ratio: float) -> QPixmap:
    """A ring with a dark rim, so that it shows on light and dark; dotted when off."""
    side = int(2 * (RING_PX + 3))
    style = Qt.PenStyle.SolidLine if on else Qt.PenStyle.DotLine
    ring = QColor(*colour) if on else QColor(TOKENS["edge"])

    def draw(painter: QPainter) -> None:
        for ink, width in ((RIM, 3.4), (ring, 1.6)):
            painter.setPen(QPen(ink, width, style))
            painter.drawEllipse(QPointF(side / 2, side / 2), RING_PX, RING_PX)

    return _stamp(side, ratio, draw)


@lru_cache(maxsize=8)
def _chosen_ring(leads: bool, ratio: float) -> QPixmap:
    """The second ring about what is selected; dotted where another leads."""
    side = int(2 * CHOSEN_PX)

    def draw(painter: QPainter) -> None:
        for ink, width in ((RIM, 3.4), (QColor(TOKENS["accent"]), 1.5)):
            painter.setPen(QPen(ink, width, Qt.PenStyle.SolidLine if leads else Qt.PenStyle.DotLine))
            painter.drawEllipse(QPointF(side / 2, side / 2), RING_PX + 4.0, RING_PX + 4.0)

    return _stamp(side, ratio, draw)


def label_box(painter: QPainter, at: QPointF, text: str, inside: QRect) -> QRectF:
    """Where a label's plate lies."""
    box = QRectF(painter.fontMetrics().boundingRect(text)).adjusted(-6, -3, 6, 3)
    box.moveBottomLeft(at)
    box.moveLeft(min(max(box.left(), inside.left() + 2.0), inside.right() - box.width() - 2.0))
    box.moveTop(min(max(box.top(), inside.top() + 2.0), inside.bottom() - box.height() - 2.0))
    return box


def draw_label(painter: QPainter, at: QPointF, text: str, inside: QRect) -> None:
    """A few words on a plate, moved to lie inside."""
    box = label_box(painter, at, text, inside)
    painter.fillRect(box, QColor(30, 30, 30, 220))
    painter.setPen(QColor(TOKENS["text"]))
    painter.drawText(box, Qt.AlignmentFlag.AlignCenter, text)


def draw_marks(painter: QPainter, marks: list[Mark], selection: Sequence[str], ratio: float = 1.0) -> None:
    """A ring for each lamp with a tick toward its aim; a second ring about what is selected.

    ratio : device pixels per pixel
    """
    painter.setRenderHint(QPainter.RenderHint.Antialiasing)
    painter.setBrush(Qt.BrushStyle.NoBrush)
    middle = QPointF(RING_PX + 3, RING_PX + 3)
    chosen = frozenset(selection)
    for mark in marks:
        painter.drawPixmap(mark.at - middle, _ring(mark.colour, mark.on, ratio))
        if mark.source_id in chosen:
            ring = _chosen_ring(mark.source_id == selection[-1], ratio)
            painter.drawPixmap(mark.at - QPointF(CHOSEN_PX, CHOSEN_PX), ring)
        elif mark.aim is not None:
            for ink, width in ((RIM, 3.4), (QColor(*mark.colour), 1.6)):
                painter.setPen(QPen(ink, width))
                _tick(painter, mark, TICK_PX)
