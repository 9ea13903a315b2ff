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


def _gap(low: NDArray[np.float64], high: NDArray[np.float64], at: float) -> NDArray[np.float64]:
    """Squared distance from a number to intervals."""
    outside = np.maximum(np.maximum(low - at, at - high), 0.0)
    return outside * outside


def _cells_of_sphere(
    boxes: CellBoxes, centre: NDArray[np.float64], radius: float
) -> tuple[NDArray[np.int64], ...]:
    """Slices, rows and columns of the cells that a sphere touches."""
    x, y, depth = centre
    squared = radius * radius
    gap_z = _gap(boxes.z_edges[:-1], boxes.z_edges[1:], depth)
    reached = np.flatnonzero(gap_z <= squared)
    if not len(reached):
        return reached, reached, reached
    part = slice(int(reached[0]), int(reached[-1]) + 1)
    gap_x = _gap(boxes.x_low[part], boxes.x_high[part], x)
    gap_y = _gap(boxes.y_low[part], boxes.y_high[part], y) + gap_z[part, None]
    columns = np.flatnonzero((gap_x <= squared).any(axis=0))
    rows = np.flatnonzero((gap_y <= squared).any(axis=0))
    if not len(columns) or not len(rows):
        return columns[:0], columns[:0], columns[:0]
    c, r = slice(columns[0], columns[-1] + 1), slice(rows[0], rows[-1] + 1)
    touched = gap_y[:, r, None] + gap_x[:, None, c] <= squared
    found = np.nonzero(touched)
    return found[0] + part.start, found[1] + r.start, found[2] + c.start


def _outside_cone(
    boxes: CellBoxes,
    where: tuple[NDArray[np.int64], ...],
    apex: NDArray[np.float64],
    axis: NDArray[np.float64],
    cos_outer: float,
) -> NDArray[np.bool_]:
    """Which cells a cone misses, by their bounding spheres. Source: Wronski 2017."""
    z, y, x = where
    low = np.stack([boxes.x_low[z, x], boxes.y_low[z, y], boxes.z_edges[z]], axis=1)
    high = np.stack([boxes.x_high[z, x], boxes.y_high[z, y], boxes.z_edges[z + 1]], axis=1)
    radius = 0.5 * np.linalg.norm(high - low, axis=1)
    to_cell = 0.5 * (low + high) - apex
    along = to_cell @ axis
    aside = np.sqrt(np.maximum(np.einsum("ij,ij->i", to_cell, to_cell) - along**2, 0.0))
    sin_outer = np.sqrt(max(1.0 - cos_outer**2, 0.0))
    return np.asarray((cos_outer * aside - along * sin_outer > radius) | (along < -radius))


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
    depth, rows, columns = SLICES, boxes.y_low.shape[1], boxes.x_low.shape[1]
    rotation = camera.rotation() * np.array([[1.0], [1.0], [-1.0]])
    centres, radii = bounding_spheres(lamps)
    local = (centres - np.array(camera.eye)) @ rotation.T
    apexes = (lamps.column("position").astype(np.float64) - np.array(camera.eye)) @ rotation.T
    axes = lamps.column("direction").astype(np.float64) @ rotation.T
    spots, cosines = lamps.column("is_spot") > 0.5, lamps.column("cos_outer")
    cells: list[NDArray[np.int64]] = []
    numbers: list[NDArray[np.int64]] = []
    order = np.argsort(shadowed, kind="stable")
    for lamp in order.tolist() if keep is None else order[keep[order]].tolist():
        where = _cells_of_sphere(boxes, local[lamp], float(radii[lamp]))
        if spots[lamp] and len(where[0]):
            missed = _outside_cone(boxes, where, apexes[lamp], axes[lamp], float(cosines[lamp]))
            where = tuple(part[~missed] for part in where)
        z, y, x = where
        cells.append((z * rows + y) * columns + x)
        numbers.append(np.full(len(z), lamp))
    return _lists(cells, numbers, shadowed, (columns, rows, depth), _slice_map(camera.far))


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
