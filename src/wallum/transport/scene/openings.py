"""Openings: windows, doors and gaps, found from an eye that looks through one."""

from dataclasses import dataclass

import numpy as np
from numpy.typing import NDArray

from wallum.physics.arrays import dots
from wallum.physics.frames import frame_of
from wallum.transport.scene.rays import RayScene

__all__ = ["Opening", "find_opening", "free_length", "lit_share"]

Points = NDArray[np.float64]
# Ways that are looked along about the middle one, and how finely, up to what angle [rad].
TURNS, STEPS, WIDEST = 64, 160, 1.1
HALVINGS = 14
# Places across and up an opening at which it is looked whether light comes through.
LOOKED = 7
# Planes that are tried, and the share of ways that must come to the wall.
TRIED, MIN_FOUND = 200, 0.6
# What lies on a plane: by its normal, and by how far off it lies, over how far away that is.
ALIKE, OFF = 0.97, 0.01
# An opening is no smaller and no larger [m].
SMALLEST_M, LARGEST_M = 0.05, 60.0


@dataclass(frozen=True)
class Opening:
    """A rectangle that light comes through: its middle [m], the unit direction that it faces toward the eye,
    and how wide and high it is [m]."""

    middle: Points
    facing: Points
    width: float
    height: float


@dataclass(frozen=True)
class _RayView:
    """What ways from an eye meet: places and normals toward it (N, 3); whether they meet anything (N,)."""

    places: Points
    normals: Points
    met: NDArray[np.bool_]
    far: Points

    def on(self, normal: Points, through: Points) -> NDArray[np.bool_]:
        """(N,) whether they lie on a plane with a normal (3,) through a place (3,)."""
        off = np.abs((self.places - through) @ normal)
        return np.asarray(self.met & (self.normals @ normal > ALIKE) & (off < OFF * self.far))


def _look(rays: RayScene, eye: Points, ways: Points) -> _RayView:
    hits = rays.first_hit(np.broadcast_to(eye, ways.shape), ways)
    met = hits.triangle >= 0
    far = np.where(met, hits.distance.astype(np.float64), 1.0)
    normals = np.zeros(ways.shape)
    normals[met] = rays.normals(hits.only(np.flatnonzero(met)))
    normals *= -np.sign(dots(normals, ways))[:, None]
    return _RayView(np.asarray(eye + ways * far[:, None]), normals, met, far)


def _about(way: Points, turns: Points, angles: Points) -> Points:
    """(N, 3) ways at angles from a middle one (3,), turned about it."""
    side, up = (item[0] for item in frame_of(way[None]))
    across = np.cos(turns)[:, None] * side + np.sin(turns)[:, None] * up
    return np.asarray(way * np.cos(angles)[:, None] + across * np.sin(angles)[:, None])


def _wall(seen: _RayView, middle: _RayView) -> tuple[Points, Points] | None:
    """Normal and place of the plane that most ways outward come to, but for what the middle one meets."""
    rows = np.flatnonzero(seen.met)
    best, largest = None, MIN_FOUND * TURNS
    for row in rows[:: max(len(rows) // TRIED, 1)]:
        normal, through = seen.normals[row], seen.places[row]
        if middle.met[0] and float((middle.places[0] - through) @ normal) > -0.01 * middle.far[0]:
            continue  # what the middle one sees lies on it, or before
        on = seen.on(normal, through).reshape(TURNS, STEPS)
        before = np.cumsum(on, axis=1) == 0
        # Through the opening all is seen that lies behind the wall, and nothing before it.
        nearer = np.asarray(seen.met & ((seen.places - through) @ normal > 0.0)).reshape(TURNS, STEPS)
        clear = on.any(axis=1) & ~(nearer & before).any(axis=1)
        if clear.sum() > largest:
            best, largest = (normal, through), int(clear.sum())
    return best


def find_opening(rays: RayScene, eye: Points, way: Points) -> Opening | None:
    """The opening that is looked through along a unit direction (3,) from an eye (3,); None where none is:
    no flat wall stands about what is seen there, on most sides."""
    turns = 2.0 * np.pi * np.arange(TURNS) / TURNS
    angles = WIDEST * ((np.arange(STEPS) + 1.0) / STEPS) ** 1.5
    seen = _look(rays, eye, _about(way, np.repeat(turns, STEPS), np.tile(angles, TURNS)))
    wall = _wall(seen, _look(rays, eye, way[None]))
    if wall is None:
        return None
    normal, through = wall
    on = seen.on(normal, through).reshape(TURNS, STEPS)
    result = np.flatnonzero(on.any(axis=1))
    step = on.argmax(axis=1)[result]
    low, high = np.where(step > 0, angles[np.maximum(step - 1, 0)], 0.0), angles[step]
    for _ in range(HALVINGS):
        half = 0.5 * (low + high)
        there = _look(rays, eye, _about(way, turns[result], half)).on(normal, through)
        low, high = np.where(there, low, half), np.where(there, half, high)
    rim = _about(way, turns[result], high)
    rim = eye + rim * (((through - eye) @ normal) / (rim @ normal))[:, None]
    return _rectangle(rim, normal)


def _sides(facing: Points) -> tuple[Points, Points]:
    """Unit directions (3,) across, level, and up a plane."""
    level = np.cross([0.0, 1.0, 0.0], facing)
    flat = np.linalg.norm(level) <= 1e-3
    across = np.array([1.0, 0.0, 0.0]) if flat else level / np.linalg.norm(level)
    return across, np.cross(facing, across)


def _rectangle(rim: Points, facing: Points) -> Opening | None:
    """The upright rectangle about places (N, 3) of a plane."""
    across, up = _sides(facing)
    x, y = rim @ across, rim @ up
    width, height = float(np.ptp(x)), float(np.ptp(y))
    if min(width, height) < SMALLEST_M or max(width, height) > LARGEST_M:
        return None
    middle = across * (x.min() + 0.5 * width) + up * (y.min() + 0.5 * height)
    return Opening(middle + facing * float(rim[0] @ facing), np.asarray(facing), width, height)


def free_length(rays: RayScene, start: Points, way: Points, most: float) -> float:
    """How far it is free along a unit direction (3,) from a place (3,), up to `most` [m]."""
    first = rays.first_hit((start + way * 0.02)[None], way[None]).distance
    return float(min(first[0] + 0.02, most))


def lit_share(rays: RayScene, opening: Opening, toward: Points) -> float:
    """Share of an opening from which it is free toward a far light, a unit direction (3,)."""
    across, up = _sides(opening.facing)
    x, y = np.meshgrid(*(np.linspace(-0.45, 0.45, LOOKED),) * 2)
    starts = opening.middle + x.ravel()[:, None] * opening.width * across
    starts = starts + y.ravel()[:, None] * opening.height * up + toward * 0.02
    broadcast = np.broadcast_to(toward, starts.shape)
    return float(1.0 - rays.blocked(starts, broadcast, np.full(len(starts), np.inf)).mean())
