"""Which of the surfaces of a cell's side a wall keeps apart from the others, and the planes that tell."""

from typing import Final

import numpy as np
from numpy.typing import NDArray

from wallum.physics.arrays import Floats, dots, normalised
from wallum.transport.field.scattering import Samples
from wallum.transport.scene.rays import RayScene

__all__ = ["parted"]

# Groups that are parted at once.
AT_ONCE: Final = 2048
# Times that places which the first does not see are looked at from others.
ROUNDS: Final = 6
OFFSETS: Final = np.stack(np.meshgrid(*[(-1, 0, 1)] * 3, indexing="ij"), axis=-1).reshape(-1, 3)
WAYS: Final = normalised(np.delete(OFFSETS, 13, axis=0).astype(np.float64))
# Most walls stand along the axes: others must part places by so much more.
LIKELY: Final = (WAYS**4).sum(axis=1)


def parted(
    rays: RayScene, found: Samples, groups: NDArray[np.int64], over: NDArray[np.float64]
) -> tuple[Samples, NDArray[np.int64], NDArray[np.bool_], NDArray[np.float32]]:
    """Samples that the first of their group does not see are another's. Returns them in order, their groups,
    which are the second's, and the planes (G, 2, 4) of those groups that have two, in their order."""
    first = np.flatnonzero(np.r_[True, groups[1:] != groups[:-1]])
    size = np.diff(np.r_[first, len(groups)])
    begin, every = np.repeat(first, size), np.arange(len(groups))
    second = _hidden(rays, found, begin, every, over)
    # Who is seen by one of the first's is with them: about a corner not all see each other.
    rng = np.random.default_rng(1)
    for _ in range(ROUNDS):
        left = np.flatnonzero(second)
        by = begin[left] + (rng.random(len(left)) * np.repeat(size, size)[left]).astype(np.int64)
        left, by = left[~second[by]], by[~second[by]]
        second[left] = _hidden(rays, found, by, left, over)
    parting = np.flatnonzero(np.logical_or.reduceat(second, first)) if len(first) else first
    planes = []
    for some in np.split(parting, np.arange(AT_ONCE, len(parting), AT_ONCE)):
        rows = first[some, None] + np.arange(size[some].max(initial=0))
        there = rows < (first + size)[some, None]
        rows = np.minimum(rows, len(groups) - 1)
        built, turned = _planes(found.places[rows], there, second[rows])
        second[rows[there]] ^= np.repeat(turned, size[some])
        planes.append(built)
    order = np.lexsort((second, groups))
    return found.only(order), groups[order], second[order], np.concatenate(planes).astype(np.float32)


def _hidden(
    rays: RayScene, found: Samples, a: NDArray[np.int64], b: NDArray[np.int64], over: NDArray[np.float64]
) -> NDArray[np.bool_]:
    """Whether something stands between samples, seen from so far before their surfaces."""
    start = found.places[a] + found.normals[a] * over[a, None]
    offset = found.places[b] + found.normals[b] * over[b, None] - start
    length = np.sqrt(dots(offset, offset))
    out = np.zeros(len(a), dtype=bool)
    rows = np.flatnonzero(length > 1e-3)
    distances = offset[rows] / length[rows, None]
    out[rows] = rays.blocked(start[rows], distances.astype(np.float32), length[rows].astype(np.float32))
    return out


def _planes(
    places: Floats, there: NDArray[np.bool_], second: NDArray[np.bool_]
) -> tuple[NDArray[np.float64], NDArray[np.bool_]]:
    """(G, 2, 4) planes that part places (G, M, 3), of those that are there, from those that are the second's;
    and whether these change parts: one plane does across a wall, two about the corner of a room."""
    along = places @ WAYS.T
    plain, worth = _parts_of(along, there & ~second, there & second)
    changed, more = _parts_of(along, there & second, there & ~second)
    turned = more > worth
    return np.where(turned[:, None, None], changed, plain), turned


def _parts_of(
    along: Floats, inner: NDArray[np.bool_], outer: NDArray[np.bool_]
) -> tuple[NDArray[np.float64], NDArray[np.float64]]:
    """(G, 2, 4) planes before which all of `inner` (G, M) lies, beyond which as much of `outer` as can be;
    and how much that is, with a little for the room between. Ways along the axes and between, where walls
    stand. along : (G, M, W) places by these"""
    every = np.arange(len(along))
    ends = np.where(inner[..., None], along, -np.inf).max(axis=1, initial=-np.inf)
    planes = np.tile([0.0, 0.0, 0.0, np.inf], (len(along), 2, 1))
    left, room = outer.copy(), np.zeros(len(along))
    for number in range(2):
        beyond = (along > ends[:, None] + 1e-4) & left[..., None]
        nearest = np.where(beyond, along, np.inf).min(axis=1, initial=np.inf)
        gaps = np.where(np.isfinite(nearest), nearest - ends, 0.0)
        best = (beyond.sum(axis=1) + np.minimum(gaps * LIKELY, 0.9)).argmax(axis=1)
        gone, gap = beyond[every, :, best], gaps[every, best]
        has = gone.any(axis=1)
        planes[has, number, :3] = WAYS[best[has]]
        planes[has, number, 3] = (ends[every, best] + 0.5 * gap)[has]
        left, room = left & ~gone, room + gap * has
    result = (outer & ~left).sum(axis=1) / np.maximum(outer.sum(axis=1), 1)
    return planes, result + 0.01 * np.minimum(room, 1.0)
