"""Where a new lamp stands: where one would hang or be mounted, with room about it."""

from dataclasses import dataclass

import numpy as np

from wallum.physics.arrays import Floats, dots
from wallum.physics.emitters import halton, sphere_directions
from wallum.transport.scene.rays import RayScene

__all__ = ["Placed", "place_around", "place_toward", "sky_share"]

# A surface looks up or down where its normal does by this much; else it is a wall.
LEVEL = 0.7
# Off a floor, under a ceiling, off a wall; the least height of a lamp on a wall; a spot off what it is
# aimed at [m].
OVER_FLOOR_M, UNDER_CEILING_M, OFF_WALL_M, ON_WALL_M, SPOT_M = 2.2, 0.5, 0.4, 1.6, 2.2
# Of the free way at most so much is gone: what is low stays under its roof.
OF_FREE = 0.8
# What lies nearest may be lit by this many times what is meant to be lit.
HOTTER = 4.0
LIFT_M = 2e-3
WAYS = 200


@dataclass(frozen=True)
class Placed:
    """A place (3,) [m], and the distance of what a lamp there is to light [m]."""

    position: tuple[float, float, float]
    distance: float


def _free(rays: RayScene, start: Floats, way: Floats, wanted: float) -> float:
    """How far to go along a way: as far as is wanted, or a part of what is free."""
    met = float(rays.first_hit(start[None], way[None]).distance[0])
    return min(wanted, OF_FREE * met)


def _placed(rays: RayScene, place: Floats) -> Placed:
    u = np.stack([halton(0, WAYS, 2), halton(0, WAYS, 3)], axis=1)
    directions = sphere_directions(u)
    hits = rays.first_hit(np.repeat(place[None], WAYS, axis=0), directions)
    met = np.flatnonzero(hits.triangle >= 0)
    x, y, z = (float(part) for part in place)
    if not len(met):
        return Placed((x, y, z), OVER_FLOOR_M)
    near = hits.only(met)
    facing = np.abs(dots(rays.normals(near), directions[met]))
    nearest = float((facing / near.distance.astype(np.float64) ** 2).max()) ** -0.5
    return Placed((x, y, z), min(max(OVER_FLOOR_M, nearest), nearest * HOTTER**0.5))


def place_around(rays: RayScene, at: Floats, normal: Floats) -> Placed:
    """For a lamp that shines all around: over a floor, under a ceiling, or on a wall.

    at, normal : (3,) of the surface that was pointed at, toward the eye
    """
    start = at + normal * LIFT_M
    if abs(float(normal[1])) >= LEVEL:
        up = np.array([0.0, np.sign(normal[1]), 0.0])
        wanted = OVER_FLOOR_M if normal[1] > 0.0 else UNDER_CEILING_M
        return _placed(rays, start + up * _free(rays, start, up, wanted))
    place = start + normal * _free(rays, start, normal, OFF_WALL_M)
    down, up = np.array([0.0, -1.0, 0.0]), np.array([0.0, 1.0, 0.0])
    height = float(rays.first_hit(place[None], down[None]).distance[0])
    if height < ON_WALL_M:
        place = place + up * _free(rays, place, up, ON_WALL_M - height)
    return _placed(rays, place)


def place_toward(rays: RayScene, at: Floats, normal: Floats) -> Placed:
    """Off a surface, for a lamp that is aimed at it."""
    start = at + normal * LIFT_M
    distance = _free(rays, start, normal, SPOT_M)
    x, y, z = (float(part) for part in at + normal * distance)
    return Placed((x, y, z), distance)


def sky_share(rays: RayScene, place: Floats, count: int = 96) -> float:
    """Share of the upper half of all directions that is open from a place (3,)."""
    up = (np.arange(count) + 0.5) / count
    around = 2.0 * np.pi * np.arange(count) * 0.6180339887
    flat = np.sqrt(1.0 - up * up)
    directions = np.stack([flat * np.cos(around), up, flat * np.sin(around)], axis=1)
    starts = np.broadcast_to(np.asarray(place, dtype=np.float64), directions.shape)
    return float(1.0 - rays.blocked(starts, directions, np.full(count, np.inf)).mean())
