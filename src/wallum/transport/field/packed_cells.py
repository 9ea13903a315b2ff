"""What a cell says of its probes, in one word: what is there is found by it, here and in the picture."""

from typing import Final

import numpy as np
from numpy.typing import NDArray
from scipy.ndimage import distance_transform_edt

from wallum.transport.field.cells import FACINGS, Cells

__all__ = [
    "FIRST_BIT",
    "HAS_ANY",
    "OFFSETS",
    "SPLIT_BIT",
    "bits",
    "dilated",
    "leaf_words",
    "packed",
    "probes_of",
]

# Its first probe above 12 bits, which ways have two probes, which ways have any. Where no way has any it is
# parted: the words of its parts begin at that number, and how often it is halved stands for the ways that
# have two.
FIRST_BIT, SPLIT_BIT = 12, 6
HAS_ANY: Final = (1 << FACINGS) - 1
COUNTED: Final = np.array([index.bit_count() for index in range(1 << FACINGS)], np.int64)
# Cells beside one, x fastest.
OFFSETS: Final = np.stack(np.meshgrid(*[(-1, 0, 1)] * 3, indexing="ij"), axis=-1).reshape(-1, 3)[:, ::-1]


def bits(words: NDArray[np.int64]) -> NDArray[np.int64]:
    """How many of the lowest six bits are set."""
    return COUNTED[words & HAS_ANY]


def probes_of(
    words: NDArray[np.int64], facing: NDArray[np.int64] | int
) -> tuple[NDArray[np.int64], NDArray[np.bool_]]:
    """(N,) the probe of that side of cells which have one there, and whether there are two."""
    below = (1 << facing) - 1
    first = (words >> FIRST_BIT) + bits(words & below) + bits((words >> SPLIT_BIT) & below)
    return first, ((words >> (SPLIT_BIT + facing)) & 1) > 0


def leaf_words(
    leaf: NDArray[np.int64], facing: NDArray[np.int64], second: NDArray[np.bool_], count: int
) -> NDArray[np.int64]:
    """(count,) words of leaves, of probes (N,) sorted by leaf, facing and which of two each is."""
    out = np.zeros(count, np.int64)
    begins = np.flatnonzero(np.r_[True, leaf[1:] != leaf[:-1]])
    each = np.where(second, 1 << (SPLIT_BIT + facing), 1 << facing)
    out[leaf[begins]] = np.bitwise_or.reduceat(each, begins) | (begins.astype(np.int64) << FIRST_BIT)
    return out


def packed(cells: Cells, words: NDArray[np.int64]) -> tuple[NDArray[np.uint32], NDArray[np.uint32]]:
    """Words of all leaves as (X, Y, Z) of the cells, and (P,) of the parts of those that are parted."""
    out, many = words[cells.begins[:-1]].copy(), cells.parts > 1
    inner = np.repeat(many, cells.parts**3)
    begins = np.cumsum(np.where(many, cells.parts**3, 0)) - cells.parts**3
    halved = cells.levels.ravel().astype(np.int64)
    out[many] = (begins[many] << FIRST_BIT) | (halved[many] << SPLIT_BIT)
    return out.astype(np.uint32).reshape(cells.levels.shape), words[inner].astype(np.uint32)


def dilated(cells: Cells, words: NDArray[np.int64]) -> NDArray[np.int64]:
    """Words of all leaves; those without probes read those of a neighbour: what is shaded may lie beside what
    was found. Where the artist wants none, the nearest of all."""
    out = words.copy()
    near = np.flatnonzero(np.abs(OFFSETS).sum(axis=1) > 0)
    order = near[np.argsort(np.abs(OFFSETS[near]).sum(axis=1), kind="stable")]
    whole = _any_of(cells, words).reshape(cells.levels.shape)
    padded, around = np.pad(whole, 1), whole.copy()
    x, y, z = cells.levels.shape
    for dx, dy, dz in OFFSETS[order].tolist():
        beside = padded[1 + dx : 1 + dx + x, 1 + dy : 1 + dy + y, 1 + dz : 1 + dz + z]
        around = np.where(around == 0, beside, around)
    alone = cells.parts == 1
    out[cells.begins[:-1][alone]] = around.ravel()[alone]
    inner = np.flatnonzero((out == 0) & np.repeat(~alone, cells.parts**3))
    middles, sizes = cells.middles(inner), cells.sizes(inner)[:, None]
    for offset in OFFSETS[order]:
        leaf, within = cells.at(middles + offset * sizes)
        out[inner] = np.where((out[inner] == 0) & within, words[leaf], out[inner])
    left = inner[out[inner] == 0]
    out[left] = around.ravel()[cells.cells_of(left)]
    if cells.is_nowhere.any() and whole.any():
        near_by = distance_transform_edt(whole == 0, return_distances=False, return_indices=True)
        nowhere = cells.is_nowhere
        out[cells.begins[:-1][nowhere]] = whole[tuple(near_by)].ravel()[nowhere]
    return out


def _any_of(cells: Cells, words: NDArray[np.int64]) -> NDArray[np.int64]:
    """(C,) the first word of each cell's leaves that has a probe; 0: none."""
    out = np.zeros(len(cells.parts), np.int64)
    there = np.flatnonzero(words > 0)[::-1]
    out[cells.cells_of(there)] = words[there]  # the last that is written is the first
    return out
