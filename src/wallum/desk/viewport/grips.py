"""What the hand holds in the picture while it drags: a lamp by one of its handles.

A drag is one step of undo; the text that a grip gives is shown beside the pointer.
"""

import math
from collections.abc import Callable
from typing import Protocol

import numpy as np
from numpy.typing import NDArray
from PyQt6.QtCore import QPointF

from wallum.desk.session.session import Session, names_of
from wallum.desk.viewport.handles import HandleKind, Stand
from wallum.document.quantities import format_quantity
from wallum.document.sources import Lamp, Placed
from wallum.errors import WallumError
from wallum.moment.aiming import aimed_at
from wallum.moment.camera import Camera

__all__ = ["Grip", "LampGrip"]

Point = NDArray[np.float64]
Found = tuple[Point, Point, int] | None
TURN_DEG_PER_PX = 0.4
NEAREST_M = 0.05


class Grip(Protocol):
    """What takes a drag in the picture instead of the camera."""

    def drag(self, at: QPointF) -> str: ...
    def let_go(self) -> None: ...
    def give_back(self) -> None: ...


def nearest_on_line(start: Point, way: Point, origin: Point, ray: Point) -> float:
    """How far along a line (start, unit way) it comes nearest to a ray [m]."""
    between = origin - start
    across = float(way @ ray)
    bend = 1.0 - across * across
    if bend < 1e-9:
        return 0.0
    return float((between @ way - across * (between @ ray)) / bend)


def metres(value: float) -> str:
    """A length as it is said beside the pointer."""
    return format_quantity(round(value, 3 if abs(value) < 1.0 else 2), "m")


class LampGrip:
    """A lamp held by one handle. Where several are selected, the ring moves them all."""

    def __init__(
        self,
        session: Session,
        kind: HandleKind,
        stand: Stand,
        at: QPointF,
        camera: Camera,
        ray: Callable[[QPointF], tuple[Point, Point]],
        surface: Callable[[QPointF], Found],
        pixels_high: float,
    ) -> None:
        lamp = session.now.source(session.selection.lead)
        assert isinstance(lamp, Placed)
        self._session, self._kind, self._stand, self._start = session, kind, stand, at
        self._lamp: Placed = lamp
        self._camera, self._ray, self._surface = camera, ray, surface
        right, up, back = camera.rotation()
        self._right, self._up = right, up
        depth = float((np.array(camera.eye) - stand.place) @ back)
        self._scale = 2.0 * camera.tangents[1] * depth / pixels_high
        others = (session.now.source(item) for item in session.selection.ids[:-1])
        self._others = [other for other in others if isinstance(other, Placed) and not other.locked]
        self._begun: dict[str, float] = {}

    def drag(self, at: QPointF) -> str:
        """Move what is held; returns what to say of it."""
        try:
            return getattr(self, f"_{self._kind}")(at)
        except WallumError as error:
            return str(error)

    def let_go(self) -> None:
        word = {"aim": "aim", "turn": "turn", "height": "height"}.get(self._kind, "place")
        moved = [self._lamp, *self._others] if self._kind == "move" else [self._lamp]
        self._session.commit(f"{names_of(moved)}, {word}")

    def give_back(self) -> None:
        self._session.cancel()

    # -- one way of moving for each handle ---------------------------------------------

    def _put(self, place: Point, direction: Point | None = None) -> None:
        changes: dict[str, object] = {"position": _vector(place)}
        if direction is not None:
            changes["direction"] = _vector(direction)
        self._session.preview_values(self._lamp.id, changes)

    def _move(self, at: QPointF) -> str:
        moved = at - self._start
        step = self._right * moved.x() * self._scale - self._up * moved.y() * self._scale
        lamps = [self._lamp, *self._others]
        self._session.preview_all(
            {f"sources/@{lamp.id}/position": _vector(np.array(lamp.position) + step) for lamp in lamps}
        )
        return f"{metres(float(np.linalg.norm(step)))} moved"

    def _foot(self, at: QPointF) -> str:
        surface = self._surface(at)
        if surface is None:
            return "no ground there"
        place = surface[0] + np.array([0.0, self._stand.height, 0.0])
        self._put(place)
        return f"{metres(self._stand.height)} above ground"

    def _height(self, at: QPointF) -> str:
        up = np.array([0.0, 1.0, 0.0])
        rise = self._along_line(self._stand.place, up, at)
        self._put(self._stand.place + up * rise)
        return f"{metres(self._stand.height + rise)} above ground"

    def _along(self, at: QPointF) -> str:
        spot, target = self._lamp, self._stand.target
        assert target is not None
        direction = np.array(spot.axis)
        distance = float(np.linalg.norm(target - self._stand.place))
        step = min(self._along_line(self._stand.place, direction, at), distance - NEAREST_M)
        self._put(self._stand.place + direction * step)
        return f"{metres(distance - step)} from what it lights"

    def _turn(self, at: QPointF) -> str:
        spot, target = self._lamp, self._stand.target
        assert target is not None
        assert isinstance(spot, Lamp)
        angle = math.radians((at.x() - self._start.x()) * TURN_DEG_PER_PX)
        c, s = math.cos(angle), math.sin(angle)
        x, y, z = (self._stand.place - target).tolist()
        place = target + np.array([c * x + s * z, y, -s * x + c * z])
        turned = aimed_at(spot.revised(position=_vector(place)), target)
        self._put(place, np.array(turned.axis))
        return f"{math.degrees(angle):+.1f} deg about what it lights"

    def _aim(self, at: QPointF) -> str:
        surface = self._surface(at)
        if surface is None:
            return "nothing there to aim at"
        assert isinstance(self._lamp, Lamp)
        turned = aimed_at(self._lamp, surface[0])
        self._session.preview_values(self._lamp.id, {"direction": turned.axis})
        return f"aimed {metres(float(np.linalg.norm(surface[0] - self._stand.place)))} away"

    def _along_line(self, start: Point, way: Point, at: QPointF) -> float:
        """How far along a line the hand has gone since it took the handle [m]."""
        if "along" not in self._begun:
            self._begun["along"] = nearest_on_line(start, way, *self._ray(self._start))
        return nearest_on_line(start, way, *self._ray(at)) - self._begun["along"]


def _vector(values: Point) -> tuple[float, float, float]:
    x, y, z = (round(float(part), 4) for part in values)
    return x, y, z
