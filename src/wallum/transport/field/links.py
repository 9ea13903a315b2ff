"""Which probes beside each other see each other: light is read through these links alone."""

from typing import Final

import numpy as np
from numpy.typing import NDArray
from scipy.spatial import cKDTree

from wallum.physics.arrays import Floats, dots
from wallum.transport.field.cells import Cells
from wallum.transport.field.packed_cells import OFFSETS, probes_of
from wallum.transport.field.probes import NO_PROBE, Probes
from wallum.transport.scene.rays import RayScene

__all__ = ["OVER", "linked"]

# Of a cell's size: how far before its surfaces two probes look at each other.
OVER: Final = 0.1
# Cosine between the ways that two face, at least; how many in smaller cells beside one are looked at.
ALIKE, NEAR = 0.5, 8


def linked(
    rays: RayScene, probes: Probes, cells: Cells, leaves: NDArray[np.int64], number: int
) -> NDArray[np.int32]:
    """(N,) the neighbour of each probe, of the cells `leaves` (N,), at an offset that it sees and that faces
    as it does; NO_PROBE where none does."""
    count, offset = len(probes), OFFSETS[number]
    out = np.full(count, NO_PROBE, np.int32)
    if not offset.any():
        return np.arange(count, dtype=np.int32)
    sizes = cells.sizes(leaves)
    there = cells.middles(leaves) + offset * sizes[:, None]
    beside, within = cells.at(there)
    axis = np.abs(probes.normals).argmax(axis=1)
    facing = 2 * axis + (probes.normals[np.arange(count), axis] < 0.0)
    smaller = within & (cells.sizes(beside) < 0.9 * sizes)
    for rows, others in (
        *_across(probes, there, facing, np.flatnonzero(within & ~smaller)),
        *_smaller(probes, cells, leaves, there, np.flatnonzero(smaller)),
    ):
        left = out[rows] == NO_PROBE
        rows, others = rows[left], others[left]
        over = OVER * sizes[rows, None]
        start = probes.places[rows] + probes.normals[rows] * over
        direction = probes.places[others] + probes.normals[others] * over - start
        length = np.maximum(np.sqrt(dots(direction, direction)), 1e-4)
        directions = (direction / length[:, None]).astype(np.float32)
        free = ~rays.blocked(start.astype(np.float32), directions, length.astype(np.float32))
        free &= dots(probes.normals[rows], probes.normals[others]) > ALIKE
        out[rows[free]] = others[free]
    return out


Pairs = list[tuple[NDArray[np.int64], NDArray[np.int64]]]


def _across(probes: Probes, there: Floats, facing: NDArray[np.int64], rows: NDArray[np.int64]) -> Pairs:
    """Rows, and the one or the other probe on the same side of the cell there."""
    words = probes.words_at(there[rows])
    has = ((words >> facing[rows]) & 1) > 0
    rows, words = rows[has], words[has]
    first, two = probes_of(words, facing[rows])
    return [(rows, first), (rows[two], first[two] + 1)]


def _smaller(
    probes: Probes, cells: Cells, leaves: NDArray[np.int64], there: Floats, rows: NDArray[np.int64]
) -> Pairs:
    """Rows, and those probes of a parted cell there that lie nearest to where one of the row's size would."""
    inner = np.flatnonzero(cells.sizes(leaves) < 0.9 * cells.step)
    if not len(rows) or not len(inner):
        return []
    size = cells.sizes(leaves[rows])[:, None]
    wanted = np.clip(probes.places[rows], there[rows] - 0.5 * size, there[rows] + 0.5 * size)
    _, near = cKDTree(probes.places[inner]).query(wanted, k=min(NEAR, len(inner)))
    pairs = []
    for others in inner[near.reshape(len(rows), -1)].T:
        inside = (np.abs(probes.places[others] - there[rows]) <= 0.55 * size).all(axis=1)
        pairs.append((rows[inside], others[inside]))
    return pairs
