"""Cells that probes lie in: cubes of one size, parted into smaller ones within boxes of the artist's, or with
none at all."""

from collections.abc import Callable
from dataclasses import dataclass
from functools import cached_property
from typing import Final

import numpy as np
from numpy.typing import NDArray

from wallum.moment.probe_boxes import ProbeBox
from wallum.physics.arrays import Floats

__all__ = ["FACINGS", "MAX_LEAVES", "Cells", "cells_within", "sides_of"]

# Surfaces are found a little before themselves, in the cell that they face [m]; the ways that they may face.
BEFORE_M: Final = 0.02
FACINGS: Final = 6  # toward +x, -x, +y, -y, +z, -z
# Parts of cells that a cell's word can number.
MAX_LEAVES: Final = 1 << 20
NOWHERE: Final = 255


@dataclass(frozen=True)
class Cells:
    """Cells of a level; a leaf is a cell, or one of the parts of one that is parted.

    low, step : (3,) corner of the first cell, size of all [m]
    levels : (X, Y, Z) uint8 how often each is halved along its sides; NOWHERE: it has no probes
    closer : (2, 3) corners of what is about boxes in which cells are halved, and how often; most last
    """

    low: NDArray[np.float64]
    step: float
    levels: NDArray[np.uint8]
    closer: tuple[tuple[NDArray[np.float64], int], ...] = ()

    @cached_property
    def parts(self) -> NDArray[np.int64]:
        """(C,) along each side of every cell."""
        return np.where(self.levels == NOWHERE, 1, 1 << self.levels.astype(np.int64)).ravel()

    @cached_property
    def begins(self) -> NDArray[np.int64]:
        """(C + 1,) number of the first leaf of every cell."""
        return np.concatenate([[0], np.cumsum(self.parts**3)])

    @property
    def is_nowhere(self) -> NDArray[np.bool_]:
        """(C,) which cells have no probes."""
        return np.asarray(self.levels == NOWHERE).ravel()

    def most_parts(self, corners: Floats) -> NDArray[np.int64]:
        """(N,) parts along a side of cells about triangles (N, 3, 3): of the boxes that these reach into."""
        out = np.ones(len(corners), np.int64)
        low, high = corners.min(axis=1), corners.max(axis=1)
        for reach, halved in self.closer:
            out[((low <= reach[1]) & (high >= reach[0])).all(axis=1)] = 1 << halved
        return out

    def at(self, places: Floats) -> tuple[NDArray[np.int64], NDArray[np.bool_]]:
        """(N,) leaves of places (N, 3), and whether those lie within."""
        at = (places - self.low) / self.step
        cell = np.floor(at).astype(np.int64)
        counts = np.array(self.levels.shape)
        within = np.asarray(((cell >= 0) & (cell < counts)).all(axis=1))
        cell = np.clip(cell, 0, counts - 1)
        number = np.ravel_multi_index(tuple(cell.T), tuple(counts))
        along = self.parts[number]
        part = np.clip(np.floor((at - cell) * along[:, None]).astype(np.int64), 0, along[:, None] - 1)
        inner = (part[:, 2] * along + part[:, 1]) * along + part[:, 0]
        return self.begins[number] + inner, within

    def cells_of(self, leaves: NDArray[np.int64]) -> NDArray[np.int64]:
        """(N,) the cells that leaves are parts of."""
        return np.searchsorted(self.begins, leaves, side="right") - 1

    def sizes(self, leaves: NDArray[np.int64]) -> NDArray[np.float64]:
        """(N,) of leaves [m]."""
        return np.asarray(self.step / self.parts[self.cells_of(leaves)])

    def middles(self, leaves: NDArray[np.int64]) -> NDArray[np.float64]:
        """(N, 3) of leaves."""
        number = self.cells_of(leaves)
        along, inner = self.parts[number], leaves - self.begins[number]
        part = np.stack([inner % along, inner // along % along, inner // along**2], axis=1)
        cell = np.stack(np.unravel_index(number, self.levels.shape), axis=1)
        return np.asarray(self.low + self.step * (cell + (part + 0.5) / along[:, None]))


def cells_within(box: NDArray[np.float64], step: float, boxes: tuple[ProbeBox, ...]) -> Cells:
    """Cells of a size over a room (2, 3), parted as boxes say: less where that would be too many."""
    low = box[0]
    counts = np.maximum(np.ceil((box[1] - low) / step).astype(int), 1)
    levels = np.zeros(counts, np.uint8)
    if not boxes:
        return Cells(low, step, levels)
    middles = low + step * (np.argwhere(levels == 0) + 0.5)
    flat = levels.reshape(-1)
    for item in boxes:
        if item.halved:
            reached = item.holds(middles, 0.5 * step)
            flat[reached] = np.maximum(flat[reached], item.halved)
    while (8 ** flat[flat > 0].astype(np.int64)).sum() > MAX_LEAVES:
        np.minimum(flat, flat.max() - 1, out=flat)
    for item in boxes:
        if item.halved is None:
            flat[item.holds(middles, 0.0)] = NOWHERE
    largest = int(flat[flat != NOWHERE].max(initial=0))
    room = np.array([[-step], [step]])
    closer = [(item.reach + room, min(item.halved, largest)) for item in boxes if item.halved]
    return Cells(low, step, levels, tuple(sorted(closer, key=lambda item: item[1])))


def sides_of(cells: Cells, places: Floats, normals: Floats) -> tuple[NDArray[np.int64], NDArray[np.bool_]]:
    """(N,) numbers that are the same for surfaces on one side of one leaf, and which of them have a probe."""
    leaf, within = cells.at(places + normals * BEFORE_M)
    axis = np.abs(normals).argmax(axis=1)
    facing = 2 * axis + (normals[np.arange(len(axis)), axis] < 0.0)
    if cells.is_nowhere.any():
        within &= ~cells.is_nowhere[cells.cells_of(leaf)]
    return leaf * FACINGS + facing, within


CellsFor = Callable[[float], Cells]
