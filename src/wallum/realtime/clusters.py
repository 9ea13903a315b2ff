"""Which lamps reach which cell of the view: so that cost follows light, not lamps.

Source: Olsson, Billeter, Assarsson 2012, "Clustered Deferred and Forward Shading".
"""

from dataclasses import dataclass
from functools import lru_cache

import numpy as np
from numpy.typing import NDArray

from wallum.moment.camera import Camera
from wallum.moment.scene import Lamps
from wallum.moment.view import bounding_spheres

__all__ = ["CELL_PIXELS", "SLICES", "CellLists", "assign_lamps"]

CELL_PIXELS = 32
SLICES = 24
FIRST_SLICE_M = 0.5
# Lamps that are tested against all cells at once: bounds the memory for it.
BATCH = 64


@dataclass(frozen=True)
class CellLists:
    """Lamps of each cell.

    cells : (Z * Y * X, 2) uint32: first entry; number without shadow | number with << 16
    lists : (L,) uint32 lamp numbers, those without shadow first within each cell
    grid  : (X, Y, Z)
    slices: scale and offset of log2(depth) that give the slice
    """

    cells: NDArray[np.uint32]
    lists: NDArray[np.uint32]
    grid: tuple[int, int, int]
    slices: tuple[float, float]


@dataclass(frozen=True)
class CellBoxes:
    """Boxes of all cells in the camera's space, depth positive ahead.

    x_low, x_high : (Z, X); y_low, y_high : (Z, Y); z_edges : (Z + 1,)
    """

    x_low: NDArray[np.float64]
    x_high: NDArray[np.float64]
    y_low: NDArray[np.float64]
    y_high: NDArray[np.float64]
    z_edges: NDArray[np.float64]


def _slice_map(far: float) -> tuple[float, float]:
    scale = (SLICES - 1) / np.log2(far / FIRST_SLICE_M)
    return float(scale), float(1.0 - np.log2(FIRST_SLICE_M) * scale)


def _edges(count: int, pixels: int, tangent: float) -> NDArray[np.float64]:
    """Tangents at the borders of cells; the last cell may be cut by the picture's edge."""
    at = np.minimum(np.arange(count + 1) * CELL_PIXELS, pixels) / pixels
    return (2.0 * at - 1.0) * tangent


@lru_cache(maxsize=8)
def _boxes(size: tuple[int, int], tangents: tuple[float, float], near: float, far: float) -> CellBoxes:
    columns, rows = -(-size[0] // CELL_PIXELS), -(-size[1] // CELL_PIXELS)
    scale, offset = _slice_map(far)
    z: NDArray[np.float64] = np.exp2((np.arange(SLICES + 1) - offset) / scale)
    z[0] = min(near, float(z[0]))
    ex, ey = _edges(columns, size[0], tangents[0]), _edges(rows, size[1], tangents[1])
    z0, z1 = z[:-1, None], z[1:, None]
    return CellBoxes(
        np.minimum(ex[:-1] * z0, ex[:-1] * z1),
        np.maximum(ex[1:] * z0, ex[1:] * z1),
        np.minimum(ey[:-1] * z0, ey[:-1] * z1),
        np.maximum(ey[1:] * z0, ey[1:] * z1),
        z,
    )


def _gap(low: NDArray[np.float64], high: NDArray[np.float64], at: NDArray[np.float64]) -> NDArray[np.float64]:
    """Squared distances of N numbers to an array of intervals, (N, ...)."""
    place = at.reshape(-1, *[1] * low.ndim)
    outside = np.maximum(np.maximum(low - place, place - high), 0.0)
    return np.asarray(outside * outside)


def _touched(
    boxes: CellBoxes, centres: NDArray[np.float64], radii: NDArray[np.float64]
) -> tuple[NDArray[np.int64], ...]:
    """Lamp, slice, row and column of every pair of a sphere and a cell that it touches."""
    gap_z = _gap(boxes.z_edges[:-1], boxes.z_edges[1:], centres[:, 2])
    gap_x = _gap(boxes.x_low, boxes.x_high, centres[:, 0])
    gap_y = _gap(boxes.y_low, boxes.y_high, centres[:, 1])
    left = (radii**2)[:, None] - gap_z
    # A lamp and slice that do not meet are left out before the rows and columns are paired.
    lamp, z = np.nonzero(left >= 0.0)
    near = gap_y[lamp, z][:, :, None] + gap_x[lamp, z][:, None, :] <= left[lamp, z][:, None, None]
    pair, row, column = np.nonzero(near)
    return lamp[pair], z[pair], row, column


def _outside_cone(
    boxes: CellBoxes,
    where: tuple[NDArray[np.int64], ...],
    apexes: NDArray[np.float64],
    axes: NDArray[np.float64],
    cos_outer: NDArray[np.float64],
) -> NDArray[np.bool_]:
    """Which pairs' cells a cone misses, by their bounding spheres. Source: Wronski 2017."""
    lamp, z, y, x = where
    low = np.stack([boxes.x_low[z, x], boxes.y_low[z, y], boxes.z_edges[z]], axis=1)
    high = np.stack([boxes.x_high[z, x], boxes.y_high[z, y], boxes.z_edges[z + 1]], axis=1)
    radius = 0.5 * np.linalg.norm(high - low, axis=1)
    to_cell = 0.5 * (low + high) - apexes[lamp]
    along = np.einsum("ij,ij->i", to_cell, axes[lamp])
    aside = np.sqrt(np.maximum(np.einsum("ij,ij->i", to_cell, to_cell) - along**2, 0.0))
    cosine = cos_outer[lamp]
    sine = np.sqrt(np.maximum(1.0 - cosine**2, 0.0))
    return np.asarray((cosine * aside - along * sine > radius) | (along < -radius))


def assign_lamps(
    lamps: Lamps,
    shadowed: NDArray[np.bool_],
    camera: Camera,
    size: tuple[int, int],
    keep: NDArray[np.bool_] | None = None,
) -> CellLists:
    """Lists of lamps by cell for a camera and picture size.

    shadowed : (N,) whether the lamp's shadow is looked up
    keep     : (N,) which lamps to list; all by default
    """
    boxes = _boxes(size, camera.tangents, camera.near, camera.far)
    grid = (boxes.x_low.shape[1], boxes.y_low.shape[1], SLICES)
    rotation = camera.rotation() * np.array([[1.0], [1.0], [-1.0]])
    centres, radii = bounding_spheres(lamps)
    local = (centres - np.array(camera.eye)) @ rotation.T
    apexes = (lamps.column("position").astype(np.float64) - np.array(camera.eye)) @ rotation.T
    axes = lamps.column("direction").astype(np.float64) @ rotation.T
    cosines = lamps.column("cos_outer").astype(np.float64)
    order = np.argsort(shadowed, kind="stable")  # those without shadow come first in a list
    if keep is not None:
        order = order[keep[order]]
    cells, numbers = [], []
    for start in range(0, len(order), BATCH):
        batch = order[start : start + BATCH]
        where = _touched(boxes, local[batch], radii[batch])
        where = (batch[where[0]], *where[1:])
        spot = lamps.column("is_spot")[where[0]] > 0.5
        missed = np.zeros(len(spot), dtype=bool)
        cones = (where[0][spot], where[1][spot], where[2][spot], where[3][spot])
        missed[spot] = _outside_cone(boxes, cones, apexes, axes, cosines)
        lamp, z, y, x = (part[~missed] for part in where)
        cells.append((z * grid[1] + y) * grid[0] + x)
        numbers.append(lamp)
    return _lists(cells, numbers, shadowed, grid, _slice_map(camera.far))


def _lists(
    cells: list[NDArray[np.int64]],
    numbers: list[NDArray[np.int64]],
    shadowed: NDArray[np.bool_],
    grid: tuple[int, int, int],
    slices: tuple[float, float],
) -> CellLists:
    total = grid[0] * grid[1] * grid[2]
    if not cells:
        return CellLists(np.zeros((total, 2), np.uint32), np.zeros(1, np.uint32), grid, slices)
    cell, lamp = np.concatenate(cells), np.concatenate(numbers)
    order = np.argsort(cell, kind="stable")
    cell, lamp = cell[order], lamp[order]
    with_shadow = np.bincount(cell, weights=shadowed[lamp], minlength=total).astype(np.uint32)
    every = np.bincount(cell, minlength=total).astype(np.uint32)
    first = np.concatenate([[0], np.cumsum(every)[:-1]]).astype(np.uint32)
    packed = (every - with_shadow) | (with_shadow << np.uint32(16))
    lists = lamp.astype(np.uint32) if len(lamp) else np.zeros(1, np.uint32)
    return CellLists(np.stack([first, packed], axis=1), lists, grid, slices)
