"""Handles of the selected lamp: where they stand in the picture, and how they look.

Each keeps the light's logic: the ring moves along the picture, the foot slides it over the
ground at its height, the bar above it changes that height, the knot on the stick its distance
along the aim, the bow turns it about what it lights, the stick's end aims it.
"""

from dataclasses import dataclass
from typing import Literal

import numpy as np
from numpy.typing import NDArray
from PyQt6.QtCore import QPointF, Qt
from PyQt6.QtGui import QColor, QPainter, QPen, QPolygonF

from wallum.desk.widgets.tokens import TOKENS
from wallum.document.sources import Placed
from wallum.moment.camera import Camera
from wallum.transport.scene.rays import RayScene

__all__ = ["Handle", "HandleKind", "Stand", "draw_handles", "handle_at", "place_handles", "stand_of"]

HandleKind = Literal["move", "foot", "height", "along", "turn", "aim", "side"]
CATCH_PX = 9.0
NEAR_PX, SIDE_PX, ABOVE_PX = 30.0, 26.0, 24.0
STICK_M = 2.0
RIM = QColor(0, 0, 0, 150)


@dataclass(frozen=True)
class Stand:
    """How a lamp stands in the level: its place, the ground below it, and what it is aimed at.

    foot, target : (3,) or None where there is no ground below, or no aim
    """

    place: NDArray[np.float64]
    foot: NDArray[np.float64] | None
    target: NDArray[np.float64] | None

    @property
    def height(self) -> float:
        """Above the ground below [m]; above the level's zero where there is none."""
        return float(self.place[1] - (self.foot[1] if self.foot is not None else 0.0))


@dataclass(frozen=True)
class Handle:
    """A place that can be taken. number : which of several of its kind"""

    kind: HandleKind
    at: QPointF
    number: int = 0


def _met(rays: RayScene, start: NDArray[np.float64], way: NDArray[np.float64]) -> NDArray[np.float64] | None:
    hits = rays.first_hit((start + way * 1e-3)[None], way[None])
    return start + way * float(hits.distance[0]) if hits.triangle[0] >= 0 else None


def stand_of(rays: RayScene, lamp: Placed) -> Stand:
    """How a lamp stands in a level."""
    place = np.array(lamp.position)
    target = None
    if lamp.axis is not None:
        direction = np.array(lamp.axis)
        met = _met(rays, place, direction)
        target = met if met is not None else place + direction * STICK_M
    return Stand(place, _met(rays, place, np.array([0.0, -1.0, 0.0])), target)


def place_handles(stand: Stand, camera: Camera, width: float, height: float) -> list[Handle]:
    """The handles of a lamp that stands before the camera, its own ring first."""
    ends = [item if item is not None else stand.place for item in (stand.foot, stand.target)]
    places = camera.place_in_picture(np.array([stand.place, *ends]))
    if places[0, 2] <= camera.near:
        return []
    at = [QPointF(x * width, y * height) for x, y, _ in places.tolist()]
    out = [Handle("move", at[0]), Handle("height", at[0] - QPointF(0.0, ABOVE_PX))]
    if stand.foot is not None and places[1, 2] > camera.near:
        out.append(Handle("foot", at[1]))
    if stand.target is not None and places[2, 2] > camera.near:
        offset = at[2] - at[0]
        long = max(float(np.hypot(offset.x(), offset.y())), 1e-6)
        unit = offset / long if long > 1.0 else QPointF(0.0, 1.0)
        out.append(Handle("aim", at[2]))
        if long > NEAR_PX + CATCH_PX:
            out.append(Handle("along", at[0] + unit * NEAR_PX))
        out.append(Handle("turn", at[0] + QPointF(-unit.y(), unit.x()) * SIDE_PX))
    return out


def handle_at(handles: list[Handle], at: QPointF) -> Handle | None:
    """The nearest handle under the pointer."""

    def away(handle: Handle) -> float:
        return float(np.hypot(handle.at.x() - at.x(), handle.at.y() - at.y()))

    nearest = min(handles, key=away, default=None)
    return nearest if nearest is not None and away(nearest) <= CATCH_PX else None


def _line(painter: QPainter, ink: QColor, points: list[QPointF], width: float = 1.5) -> None:
    for colour, wide in ((RIM, width + 1.9), (ink, width)):
        painter.setPen(QPen(colour, wide))
        painter.drawPolyline(QPolygonF(points))


def draw_handles(painter: QPainter, handles: list[Handle]) -> None:
    """The plumb line with its foot, the bar above, the stick with its knot, and the bow."""
    painter.setRenderHint(QPainter.RenderHint.Antialiasing)
    painter.setBrush(Qt.BrushStyle.NoBrush)
    at = {handle.kind: handle.at for handle in handles}
    if "move" not in at:
        return
    ring, ink = at["move"], QColor(TOKENS["accent"])
    if "foot" in at:
        painter.setPen(QPen(RIM, 3.0))
        painter.drawLine(ring, at["foot"])
        painter.setPen(QPen(QColor(TOKENS["quiet"]), 1.0, Qt.PenStyle.DashLine))
        painter.drawLine(ring, at["foot"])
        foot = at["foot"]
        _line(painter, ink, [foot + QPointF(-6, 0), foot + QPointF(0, 3), foot + QPointF(6, 0),
                             foot + QPointF(0, -3), foot + QPointF(-6, 0)])  # fmt: skip
    bar = at["height"]
    _line(painter, ink, [ring - QPointF(0, 11), bar])
    _line(painter, ink, [bar - QPointF(5, 0), bar + QPointF(5, 0)], 2.0)
    if "aim" in at:
        _line(painter, ink, [ring, at["aim"]])
        for colour, wide in ((RIM, 3.4), (ink, 1.5)):
            painter.setPen(QPen(colour, wide))
            painter.drawEllipse(at["aim"], 4.0, 4.0)
    if "along" in at:
        for colour, side in ((RIM, 9.0), (ink, 6.0)):
            centre = at["along"]
            painter.fillRect(
                round(centre.x() - side / 2), round(centre.y() - side / 2), round(side), round(side), colour
            )
    if "turn" in at:
        _bow(painter, ring, at["turn"], ink)


def _bow(painter: QPainter, ring: QPointF, end: QPointF, ink: QColor) -> None:
    """A piece of the circle about the ring, through the handle."""
    away = end - ring
    middle = float(np.arctan2(away.y(), away.x()))
    radius = float(np.hypot(away.x(), away.y()))
    angles = np.linspace(middle - 0.35, middle + 0.35, 9)
    _line(painter, ink, [ring + QPointF(np.cos(a), np.sin(a)) * radius for a in angles], 2.0)
