"""Which of the surfaces of a cell's side a wall keeps apart from the others, and the planes that tell."""

from typing import Final

import numpy as np
from numpy.typing import NDArray

from wallum.physics.arrays import Floats, dots, normalised
from wallum.transport.field.scattering import Samples
from wallum.transport.rays import RayScene

__all__ = ["parted"]

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
    planes = []
    for start, count in zip(first.tolist(), size.tolist(), strict=True):
        rows = slice(start, start + count)
        if second[rows].any():
            made, turned = _planes(found.places[rows], second[rows])
            second[rows] ^= turned
            planes.append(made)
    order = np.lexsort((second, groups))
    return found.only(order), groups[order], second[order], np.array(planes, np.float32).reshape(-1, 2, 4)


def _hidden(
    rays: RayScene, found: Samples, a: NDArray[np.int64], b: NDArray[np.int64], over: NDArray[np.float64]
) -> NDArray[np.bool_]:
    """Whether something stands between samples, seen from so far before their surfaces."""
    start = found.places[a] + found.normals[a] * over[a, None]
    way = found.places[b] + found.normals[b] * over[b, None] - start
    length = np.sqrt(dots(way, way))
    out = np.zeros(len(a), dtype=bool)
    rows = np.flatnonzero(length > 1e-3)
    ways = way[rows] / length[rows, None]
    out[rows] = rays.blocked(start[rows], ways.astype(np.float32), length[rows].astype(np.float32))
    return out


def _planes(places: Floats, second: NDArray[np.bool_]) -> tuple[Floats, bool]:
    """(2, 4) planes that part places (M, 3) from those that are the second's, and whether these change parts:
    one plane does across a wall, two about the corner of a room."""
    tries = [
        (turned, *_parts_of(places[second == turned], places[second != turned])) for turned in (False, True)
    ]
    turned, planes, _ = max(tries, key=lambda one: one[2])
    return planes, turned


def _parts_of(inner: Floats, outer: Floats) -> tuple[Floats, float]:
    """(2, 4) planes before which all of `inner` lies, and beyond which as much of `outer` as can be; and how
    much that is, with a little for the room between. Ways along the axes and between, where walls stand."""
    inner_ends, along = (inner @ WAYS.T).max(axis=0), outer @ WAYS.T
    planes, left, room = np.tile([0.0, 0.0, 0.0, np.inf], (2, 1)), np.ones(len(outer), dtype=bool), 0.0
    for number in range(2):
        beyond = (along > inner_ends + 1e-4) & left[:, None]
        nearest = np.where(beyond, along, np.inf).min(axis=0)
        gaps = np.where(np.isfinite(nearest), nearest - inner_ends, 0.0)
        best = int((beyond.sum(axis=0) + np.minimum(gaps * LIKELY, 0.9)).argmax())
        if not beyond[:, best].any():
            break
        planes[number] = *WAYS[best], inner_ends[best] + 0.5 * gaps[best]
        left, room = left & ~beyond[:, best], room + gaps[best]
    return planes, float((~left).sum() / len(outer) + 0.01 * min(room, 1.0))
