"""A level's triangles in pieces that lie close together: the unit of leaving out what is not seen."""

import numpy as np
from numpy.typing import NDArray

from wallum.level.model.flatten import Triangles

__all__ = ["CHUNK", "chunks_of", "space_order"]

# Triangles of a chunk, at most; and at least, where the level goes on far away from them.
CHUNK, MINIMUM = 768, 128
# Places that a coordinate can take along the longest side of a level.
PLACES = 2**17
# Squares along that side: a chunk of at least MINIMUM triangles ends where it leaves one.
SQUARES = 16
# (shift, mask) that put two free places after each of 21 bits: Morton 1966, usual bit spreading.
SPREAD = (
    (32, 0x1F00000000FFFF),
    (16, 0x1F0000FF0000FF),
    (8, 0x100F00F00F00F00F),
    (4, 0x10C30C30C30C30C3),
    (2, 0x1249249249249249),
)


def _spread(values: NDArray[np.uint64]) -> NDArray[np.uint64]:
    x = values
    for shift, mask in SPREAD:
        x = (x | (x << np.uint64(shift))) & np.uint64(mask)
    return x


def _codes(triangles: Triangles, bounds: NDArray[np.float64]) -> NDArray[np.uint64]:
    """(F,) number along a Z-order curve of each triangle's first corner; as fine in all directions."""
    corners = triangles.positions[triangles.faces[:, 0]]
    scale = (PLACES - 1) / max(float((bounds[1] - bounds[0]).max()), 1e-6)
    place = np.clip((corners - bounds[0]) * scale, 0, PLACES - 1).astype(np.uint64)
    x, y, z = (_spread(place[:, axis]) for axis in range(3))
    return np.asarray(x | y << np.uint64(1) | z << np.uint64(2))


def space_order(
    triangles: Triangles, bounds: NDArray[np.float64]
) -> tuple[NDArray[np.int64], NDArray[np.int64]]:
    """Triangle numbers by material, then along a Z-order curve; and the chunks of that order.

    chunks : (C, 3) first triangle, number, material
    """
    if not len(triangles.faces):
        return np.zeros(0, np.int64), np.zeros((0, 3), np.int64)
    codes = _codes(triangles, bounds)
    order = np.lexsort((codes, triangles.material))
    square = codes[order] >> np.uint64(3 * int(np.log2(PLACES // SQUARES)))
    return order, chunks_of(triangles.material[order], square)


def chunks_of(material: NDArray[np.int32], square: NDArray[np.uint64]) -> NDArray[np.int64]:
    """(C, 3) first triangle, number and material of the chunks of triangles that lie in order."""
    turns = np.flatnonzero((np.diff(material) != 0) | (np.diff(square) != 0)) + 1
    ends = [*turns.tolist(), len(material)]
    rows: list[tuple[int, int, int]] = []
    first = 0
    for start, end in zip([0, *ends[:-1]], ends, strict=True):
        # Triangles from `first` to `start` are still in no chunk.
        waiting = start - first
        if waiting and (waiting >= MINIMUM or end - first > CHUNK or material[first] != material[start]):
            rows.append((first, waiting, int(material[first])))
            first = start
        while end - first > CHUNK:
            rows.append((first, CHUNK, int(material[first])))
            first += CHUNK
    rows.append((first, len(material) - first, int(material[first])))
    return np.array(rows, dtype=np.int64)
