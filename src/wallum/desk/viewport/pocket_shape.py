"""Pockets of air, veils and cards in the picture: their outlines, and sides to be taken and pulled."""

import math
from collections.abc import Callable
from typing import Final

import numpy as np
from numpy.typing import NDArray
from PyQt6.QtCore import QPointF
from PyQt6.QtGui import QColor, QPainter, QPen, QPolygonF

from wallum.desk.session.session import Session
from wallum.desk.viewport.grips import metres, nearest_on_line
from wallum.desk.viewport.handles import Handle
from wallum.desk.widgets.tokens import TOKENS
from wallum.document.project import Project
from wallum.document.sources import AmbientBoxSource, CardSource, PocketSource, Source, VeilSource, ZoneSource
from wallum.memo import Memo
from wallum.moment.camera import Camera
from wallum.moment.evaluate import evaluate
from wallum.moment.moment import Moment
from wallum.physics.card import Card

__all__ = ["SideGrip", "Sized", "draw_outline", "outline_of", "side_handles"]

Point = NDArray[np.float64]
# What stands in the level with a size and a turn.
Sized = PocketSource | VeilSource | AmbientBoxSource | ZoneSource
# Its sides: which axis, and which way along it.
SIDES: Final = tuple((axis, sign) for axis in range(3) for sign in (-1.0, 1.0))
MIN_M = 0.1
ROUND = 48
RIM = QColor(0, 0, 0, 150)


def _axes(pocket: Sized) -> Point:
    """(3, 3) unit axes of the pocket in the level, a row each."""
    turn = math.radians(pocket.turn)
    c, s = math.cos(turn), math.sin(turn)
    return np.array([[c, 0.0, s], [0.0, 1.0, 0.0], [-s, 0.0, c]])


def _side(pocket: Sized, axis: int, sign: float) -> Point:
    half: Point = np.array(pocket.position) + sign * 0.5 * pocket.size[axis] * _axes(pocket)[axis]
    return half


def side_handles(pocket: Sized, camera: Camera, width: float, height: float) -> list[Handle]:
    """The middles of its sides, as far as they lie before the camera."""
    places = camera.place_in_picture(np.stack([_side(pocket, *side) for side in SIDES])).tolist()
    return [
        Handle("side", QPointF(x * width, y * height), number)
        for number, (x, y, depth) in enumerate(places)
        if depth > camera.near
    ]


def _lines(pocket: Sized) -> list[Point]:
    """Its outline as lines of places (N, 3): the edges of a box, or three rings."""
    axes, half = _axes(pocket), 0.5 * np.array(pocket.size)
    out = []
    if isinstance(pocket, ZoneSource) and pocket.shape == "everywhere":
        return []
    if not isinstance(pocket, PocketSource | ZoneSource) or pocket.shape == "box":
        for axis in range(3):
            first, second = ((axis + 1) % 3, (axis + 2) % 3)
            for a in (-1.0, 1.0):
                for b in (-1.0, 1.0):
                    corner = np.zeros((2, 3))
                    corner[:, first], corner[:, second], corner[:, axis] = a, b, (-1.0, 1.0)
                    out.append(corner)
    else:
        turn = np.linspace(0.0, 2.0 * np.pi, ROUND + 1)
        for axis in range(3):
            ring = np.zeros((ROUND + 1, 3))
            ring[:, (axis + 1) % 3], ring[:, (axis + 2) % 3] = np.cos(turn), np.sin(turn)
            out.append(ring)
    return [np.array(pocket.position) + (item * half) @ axes for item in out]


_CARDS: Final = Memo[tuple[Card, ...]](2)


def _card_lines(card: CardSource, project: Project, moment: Moment) -> list[Point]:
    """The edges of a card's sheets as they are at a moment."""
    cards = _CARDS.get(lambda: evaluate(project, moment).cards, project, also=moment)
    sheets = next((item.sheets for item in cards if item.id == card.id), ())
    return [np.concatenate([sheet.corners, sheet.corners[:1]]) for sheet in sheets]


def draw_outline(
    painter: QPainter,
    lines: list[Point],
    camera: Camera,
    width: float,
    height: float,
    handles: list[Handle],
) -> None:
    """An outline, and a small square on each side that can be pulled."""
    painter.setRenderHint(QPainter.RenderHint.Antialiasing)
    for line in lines:
        places = camera.place_in_picture(line)
        ahead = places[:, 2] > camera.near
        if not ahead.all():
            continue
        points = QPolygonF([QPointF(x * width, y * height) for x, y, _ in places.tolist()])
        for colour, wide in ((RIM, 2.6), (QColor(TOKENS["accent"]), 1.0)):
            painter.setPen(QPen(colour, wide))
            painter.drawPolyline(points)
    for handle in handles:
        if handle.kind == "side":
            for colour, side in ((RIM, 9.0), (QColor(TOKENS["accent"]), 6.0)):
                at = handle.at
                painter.fillRect(
                    round(at.x() - side / 2), round(at.y() - side / 2), round(side), round(side), colour
                )


def outline_of(source: Source | None, project: Project, moment: Moment) -> list[Point]:
    """The outline of a pocket, a veil or a card as lines of places (N, 3); none of other sources."""
    if isinstance(source, CardSource):
        return _card_lines(source, project, moment)
    return _lines(source) if isinstance(source, Sized) else []


class SideGrip:
    """A side of a pocket in the hand; the opposite one stays where it is."""

    def __init__(
        self,
        session: Session,
        pocket: Sized,
        number: int,
        at: QPointF,
        ray: Callable[[QPointF], tuple[Point, Point]],
    ) -> None:
        self._session, self._pocket, self._ray = session, pocket, ray
        self._axis, self._sign = SIDES[number]
        self._way = _axes(pocket)[self._axis] * self._sign
        self._start = _side(pocket, self._axis, self._sign)
        self._begun = nearest_on_line(self._start, self._way, *ray(at))

    def drag(self, at: QPointF) -> str:
        """Move the side; returns what to say of it."""
        moved = nearest_on_line(self._start, self._way, *self._ray(at)) - self._begun
        size = list(self._pocket.size)
        size[self._axis] = max(round(size[self._axis] + moved, 3), MIN_M)
        grown = size[self._axis] - self._pocket.size[self._axis]
        middle = np.array(self._pocket.position) + self._way * (0.5 * grown)
        x, y, z = (round(float(part), 4) for part in middle)
        self._session.preview_values(self._pocket.id, {"size": tuple(size), "position": (x, y, z)})
        return " x ".join(metres(part) for part in size)

    def let_go(self) -> None:
        self._session.commit(f"{self._pocket.name}, size")

    def give_back(self) -> None:
        self._session.cancel()
