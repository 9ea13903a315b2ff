"""Where mirror images of a level are taken: a place in each room, and a few outside.

A place stands for the surfaces that see it. About it lies a box, as far as what stands there is away in the
mean: an image is shown as if what it shows were on that box (Lagarde and Zanuttini 2012, "Local Image-based
Lighting with Parallax-corrected Cubemap").
"""

from dataclasses import dataclass
from typing import Final

import numpy as np
from numpy.typing import NDArray

from wallum.physics.arrays import Floats, dots
from wallum.physics.emitters import sphere_directions
from wallum.transport.field.cast import ProbeView
from wallum.transport.field.probes import Probes
from wallum.transport.scene.rays import RayScene

__all__ = ["Rooms", "find_rooms", "no_rooms"]

NONE: Final = 255
# Floors that see no more of the sky than this lie in a room.
ROOFED: Final = 0.15
FLOOR_UP: Final = 0.7
# At most so many inside and outside; fewer where less floor than this is left without one [m2; share].
# Floors count as far as they see no sky: of that an image says nothing that probes do not.
MAX_INSIDE, MAX_OUTSIDE = 10, 4
MIN_FLOOR_M2, MIN_SHARE = 6.0, 0.08
# About as high as eyes are; how far a floor counts from there, inside and outside [m].
EYE_M: Final = 1.6
NEAR_M, FAR_M = 6.0, 20.0
# Places that are tried for each, and floors that each of them is looked at from.
TRIED, LOOKED_AT = 32, 400
# Room that there must be over a floor for a person, and about an eye [m].
HEAD_M, ELBOW_M = 1.8, 0.8
SIDES: Final = np.array([[np.cos(a), 0.0, np.sin(a)] for a in np.arange(8) * np.pi / 4.0])
# Rays for what stands about a place; those near an axis tell whether there is a side; what faces it by this
# cosine, how far away.
ABOUT: Final = 1536
NEAR_AXIS, FACING = 0.75, 0.7
# Where a side has nothing.
NOTHING_M: Final = 1000.0
LIFT_M: Final = 0.02


@dataclass(frozen=True)
class Rooms:
    """M places.

    eyes : (M, 3); low, high : (M, 3) corners of the boxes [m]
    roofed : (M,) whether it stands for a room, not for what is outside
    of : (N,) the number, from 1 on, of the one that each probe sees best; 0: none
    """

    eyes: NDArray[np.float32]
    low: NDArray[np.float32]
    high: NDArray[np.float32]
    roofed: NDArray[np.bool_]
    of: NDArray[np.uint8]

    def __len__(self) -> int:
        return len(self.eyes)


def no_rooms(probes: Probes) -> Rooms:
    """None at all."""
    nowhere = np.zeros((0, 3), np.float32)
    return Rooms(nowhere, nowhere, nowhere, np.zeros(0, bool), np.zeros(len(probes), np.uint8))


def find_rooms(rays: RayScene, probes: Probes, seen: ProbeView, seed: int = 1) -> Rooms:
    """The rooms of a level with these probes, and the places outside."""
    rng = np.random.default_rng(seed)
    floors = np.flatnonzero(probes.normals[:, 1] > FLOOR_UP)
    open_share = seen.sky.sum(axis=1) + seen.land.sum(axis=1)
    under_roof = open_share[floors] < ROOFED
    worth = probes.area * np.maximum(1.0 - open_share, 0.0)
    eyes: list[Floats] = []
    roofed: list[bool] = []
    for inside in (True, False):
        result = _eyes(rays, probes, worth, floors[under_roof == inside], inside, rng)
        eyes += result
        roofed += [inside] * len(result)
    places = np.array(eyes, np.float64).reshape(-1, 3)
    boxes = [_box(rays, place, rng) for place in places]
    low, high = (np.array([box[k] for box in boxes], np.float32).reshape(-1, 3) for k in (0, 1))
    of = _seen_best(rays, probes, places)
    return Rooms(places.astype(np.float32), low, high, np.array(roofed, dtype=bool), of)


def _eyes(
    rays: RayScene,
    probes: Probes,
    worth: Floats,
    floors: NDArray[np.int64],
    inside: bool,
    rng: np.random.Generator,
) -> list[Floats]:
    """Places over floors from which, one after another, the most floor is seen that none before has seen.
    worth : (N,) what each counts [m2]"""
    largest = MAX_INSIDE if inside else MAX_OUTSIDE
    out: list[Floats] = []
    smallest = max(MIN_FLOOR_M2, 0.0 if inside else MIN_SHARE * float(worth[floors].sum()))
    reach = NEAR_M if inside else FAR_M
    left = floors
    while len(out) < largest and worth[left].sum() >= smallest:
        area = worth[left].astype(np.float64)
        some = rng.choice(left, min(TRIED, len(left)), replace=False, p=area / area.sum())
        tried = _over(rays, probes, some)
        if not len(tried):
            break
        messages = rng.choice(left, min(LOOKED_AT, len(left)), replace=False)
        clear, apart = _clear(rays, probes, tried, messages)
        # A floor counts less the farther it is.
        shown = (clear * np.exp(-((apart / reach) ** 2))) @ worth[messages].astype(np.float64)
        best = tried[int(shown.argmax())]
        (seen_from,), (away,) = _clear(rays, probes, best[None], left)
        taken = seen_from & (away < 2.0 * reach)
        if worth[left[taken]].sum() >= smallest:
            out.append(best)
        if not taken.any():
            break
        left = left[~taken]
    return out


def _over(rays: RayScene, probes: Probes, floors: NDArray[np.int64]) -> NDArray[np.float64]:
    """(K, 3) places over those floors that a person can stand on, about as high as eyes are."""
    start = (probes.places[floors] + probes.normals[floors] * LIFT_M).astype(np.float64)
    up = np.tile(np.array([0.0, 1.0, 0.0]), (len(floors), 1))
    start = start[~rays.blocked(start, up, np.full(len(start), HEAD_M))]
    start[:, 1] += EYE_M
    eyes, directions = np.repeat(start, len(SIDES), axis=0), np.tile(SIDES, (len(start), 1))
    near = rays.blocked(eyes, directions, np.full(len(eyes), ELBOW_M)).reshape(len(start), len(SIDES))
    return start[~near.any(axis=1)]


def _clear(
    rays: RayScene, probes: Probes, places: Floats, to: NDArray[np.int64]
) -> tuple[NDArray[np.bool_], NDArray[np.float64]]:
    """(K, P) whether nothing stands between places and probes, and how far apart they are [m]."""
    ends = (probes.places[to] + probes.normals[to] * LIFT_M).astype(np.float64)
    offsets = ends[None] - places[:, None]
    apart = np.maximum(np.sqrt((offsets**2).sum(axis=-1)), 1e-6)
    toward = (offsets / apart[..., None]).reshape(-1, 3).astype(np.float32)
    start = np.repeat(places, len(to), axis=0).astype(np.float32)
    hidden = rays.blocked(start, toward, apart.reshape(-1).astype(np.float32))
    facing = dots(np.tile(probes.normals[to], (len(places), 1)), toward) < 0.0
    return (~hidden & facing).reshape(apart.shape), apart


def _box(rays: RayScene, eye: Floats, rng: np.random.Generator) -> NDArray[np.float64]:
    """(2, 3) the box about a place: each side where most of what is seen there, and faces it, stands."""
    directions = sphere_directions(rng.random((ABOUT, 2)))
    hits = rays.first_hit(np.tile(eye, (ABOUT, 1)), directions, veils=False)
    met = hits.triangle >= 0
    along = directions * np.where(met, hits.distance, NOTHING_M)[:, None]
    faces = np.abs(rays.triangles.face_normals.take(np.maximum(hits.triangle, 0), 0)) > FACING
    out = np.empty((2, 3))
    for axis in range(3):
        for side, sign in ((0, -1.0), (1, 1.0)):
            near = sign * directions[:, axis] > NEAR_AXIS
            facing = (sign * directions[:, axis] > 0.0) & met & faces[:, axis]
            shown = NOTHING_M
            if met[near].mean() > 0.5:
                shown = float(np.median(sign * along[facing if facing.any() else near, axis]))
            out[side, axis] = eye[axis] + sign * shown
    return out


def _seen_best(rays: RayScene, probes: Probes, places: Floats) -> NDArray[np.uint8]:
    """(N,) the nearest of places that each probe sees, or that of a probe linked to it; see `Rooms.of`."""
    out = np.full(len(probes), NONE, np.uint8)
    if not len(places):
        return np.zeros(len(probes), np.uint8)
    apart = np.sqrt(((probes.places[:, None].astype(np.float64) - places[None]) ** 2).sum(axis=-1))
    order = np.argsort(apart, axis=1)
    for turn in range(len(places)):
        rows = np.flatnonzero(out == NONE)
        room = order[rows, turn]
        start = probes.places[rows] + probes.normals[rows] * LIFT_M
        offsets = places[room] - start
        length = np.maximum(np.sqrt(dots(offsets, offsets)), 1e-6)
        toward = (offsets / length[:, None]).astype(np.float32)
        clear = ~rays.blocked(start.astype(np.float32), toward, length.astype(np.float32))
        clear &= dots(probes.normals[rows], toward) > 0.0
        out[rows[clear]] = room[clear]
    # What sees none, a niche, is as what lies beside it.
    for _ in range(2):
        rows = np.flatnonzero(out == NONE)
        beside = np.where(probes.links[rows] >= 0, out[np.maximum(probes.links[rows], 0)], NONE)
        out[rows] = beside.min(axis=1, initial=NONE)
    return np.where(out == NONE, 0, out + 1).astype(np.uint8)
