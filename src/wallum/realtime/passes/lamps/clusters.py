"""Which lamps reach which cell of the view: so that cost follows light, not lamps.

Source: Olsson, Billeter, Assarsson 2012, "Clustered Deferred and Forward Shading".
"""

from dataclasses import dataclass
from functools import lru_cache

import numpy as np
from numpy.typing import NDArray

from wallum.moment.camera import Camera
from wallum.moment.kinds import SHADERS, shader_numbers
from wallum.moment.lamps import Lamps
from wallum.moment.view import bounding_spheres

__all__ = ["CELL_PIXELS", "SLICES", "CellLists", "assign_lamps", "held_squares", "occupied_cells"]

CELL_PIXELS = 32
# Many thin slices: a lamp that a pixel's list names and that does not reach it costs as much as
# one that does.
SLICES = 64
FIRST_SLICE_M = 0.5
# Pixels whose range of depth is found at once.
BLOCK_PIXELS = 8
# Pairs of a lamp and a cell that are tested at once: bounds the memory for it.
MAX_PAIRS = 500_000


@dataclass(frozen=True)
class CellLists:
    """Lamps of each cell.

    cells : (Z * Y * X, 1 + S) uint32: first entry; for each shader of kinds (moment.kinds.SHADERS) the
            number without shadow | number with << 16
    lists : (L,) uint32 lamp numbers; within each cell by shader, those without shadow first
    grid  : (X, Y, Z)
    slices: scale and offset of log2(depth) that give the slice
    """

    cells: NDArray[np.uint32]
    lists: NDArray[np.uint32]
    grid: tuple[int, int, int]
    slices: tuple[float, float]

    @property
    def reached(self) -> NDArray[np.bool_]:
        """(Y, X) squares of the picture that some lamp reaches at some depth."""
        columns, rows, depth = self.grid
        return np.asarray(self.cells[:, 1:].any(axis=1).reshape(depth, rows, columns).any(axis=0))


@dataclass(frozen=True)
class CellBoxes:
    """Boxes of cells in the camera's space, depth positive ahead: (C, 3) lowest and highest corners."""

    low: NDArray[np.float64]
    high: NDArray[np.float64]

    def only(self, cells: NDArray[np.int64]) -> "CellBoxes":
        """Those of some cells."""
        return CellBoxes(self.low[cells], self.high[cells])


def _slice_map(far: float) -> tuple[float, float]:
    scale = (SLICES - 1) / np.log2(far / FIRST_SLICE_M)
    return float(scale), float(1.0 - np.log2(FIRST_SLICE_M) * scale)


def _grid(size: tuple[int, int]) -> tuple[int, int, int]:
    return -(-size[0] // CELL_PIXELS), -(-size[1] // CELL_PIXELS), SLICES


def _edges(count: int, pixels: int, tangent: float) -> NDArray[np.float64]:
    """Tangents at the borders of cells; the last cell may be cut by the picture's edge."""
    at = np.minimum(np.arange(count + 1) * CELL_PIXELS, pixels) / pixels
    return (2.0 * at - 1.0) * tangent


@lru_cache(maxsize=8)
def _boxes(size: tuple[int, int], tangents: tuple[float, float], near: float, far: float) -> CellBoxes:
    """Boxes of all cells of a view."""
    columns, rows, depth = _grid(size)
    scale, offset = _slice_map(far)
    z: NDArray[np.float64] = np.exp2((np.arange(depth + 1) - offset) / scale)
    z[0] = min(near, float(z[0]))
    ex, ey = _edges(columns, size[0], tangents[0]), _edges(rows, size[1], tangents[1])
    z0, z1 = z[:-1, None, None], z[1:, None, None]
    low = np.empty((depth, rows, columns, 3))
    high = np.empty_like(low)
    low[..., 0], high[..., 0] = np.minimum(ex[:-1] * z0, ex[:-1] * z1), np.maximum(ex[1:] * z0, ex[1:] * z1)
    up = ey[:, None]
    low[..., 1], high[..., 1] = np.minimum(up[:-1] * z0, up[:-1] * z1), np.maximum(up[1:] * z0, up[1:] * z1)
    low[..., 2], high[..., 2] = z0, z1
    return CellBoxes(low.reshape(-1, 3), high.reshape(-1, 3))


def occupied_cells(depth: NDArray[np.float32], far: float) -> NDArray[np.int64]:
    """Numbers of the cells that hold a surface, in their order.

    depth : (H, W) of each pixel [m], lowest row first; 0 where there is no surface
    """
    height, width = depth.shape
    columns, rows, slices = _grid((width, height))
    blocks = CELL_PIXELS // BLOCK_PIXELS
    padded = np.zeros((rows * CELL_PIXELS, columns * CELL_PIXELS), np.float32)
    padded[:height, :width] = depth
    farthest = _by_block(padded, np.maximum)
    padded[padded <= 0.0] = np.inf
    nearest = _by_block(padded, np.minimum)
    y, x = np.nonzero(farthest > 0.0)
    scale, offset = _slice_map(far)
    # A driver's logarithm may be off in its last places.
    ends = [np.log2(part[y, x]) * scale + offset for part in (nearest, farthest)]
    first, last = (
        np.clip(np.floor(at), 0, slices - 1).astype(int) for at in (ends[0] - 0.01, ends[1] + 0.01)
    )
    # One more from the first slice of a block on, one fewer after its last.
    change = np.zeros((slices + 1, rows, columns), np.int32)
    np.add.at(change, (first, y // blocks, x // blocks), 1)
    np.add.at(change, (last + 1, y // blocks, x // blocks), -1)
    return np.flatnonzero(np.cumsum(change, axis=0)[:-1] > 0)


def held_squares(cells: NDArray[np.int64], grid: tuple[int, int, int]) -> NDArray[np.bool_]:
    """(Y, X) squares of the picture in which some of these cells lie."""
    current = np.zeros(grid[0] * grid[1], dtype=bool)
    current[cells % len(current)] = True
    return current.reshape(grid[1], grid[0])


def _by_block(picture: NDArray[np.float32], join: np.ufunc) -> NDArray[np.float32]:
    """What `join` makes of each block of a picture."""
    height, width = picture.shape
    by_rows = join.reduce(picture.reshape(-1, BLOCK_PIXELS, width), axis=1)
    return np.asarray(join.reduce(by_rows.reshape(height // BLOCK_PIXELS, -1, BLOCK_PIXELS), axis=2))


def _touched(
    boxes: CellBoxes, centres: NDArray[np.float64], radii: NDArray[np.float64]
) -> tuple[NDArray[np.int64], NDArray[np.int64]]:
    """Sphere and box of every pair that touch."""
    gap = np.zeros((len(centres), len(boxes.low)))
    for axis in range(3):
        at = centres[:, axis, None]
        outside = np.maximum(np.maximum(boxes.low[:, axis] - at, at - boxes.high[:, axis]), 0.0)
        gap += outside * outside
    sphere, box = np.nonzero(gap <= (radii**2)[:, None])
    return sphere, box


def _outside_cone(
    boxes: CellBoxes,
    apexes: NDArray[np.float64],
    axes: NDArray[np.float64],
    cosine: NDArray[np.float64],
) -> NDArray[np.bool_]:
    """Which boxes the cone beside them misses, by their bounding spheres. Source: Wronski 2017."""
    radius = 0.5 * np.linalg.norm(boxes.high - boxes.low, axis=1)
    to_cell = 0.5 * (boxes.low + boxes.high) - apexes
    along = np.einsum("ij,ij->i", to_cell, axes)
    aside = np.sqrt(np.maximum(np.einsum("ij,ij->i", to_cell, to_cell) - along**2, 0.0))
    sine = np.sqrt(np.maximum(1.0 - cosine**2, 0.0))
    return np.asarray((cosine * aside - along * sine > radius) | (along < -radius))


def assign_lamps(
    lamps: Lamps,
    shadowed: NDArray[np.bool_],
    camera: Camera,
    size: tuple[int, int],
    keep: NDArray[np.bool_] | None = None,
    occupied: NDArray[np.int64] | None = None,
) -> CellLists:
    """Lists of lamps by cell for a camera and picture size.

    shadowed : (N,) whether the lamp's shadow is looked up
    keep     : (N,) which lamps to list; all by default
    occupied : numbers of the cells to list them for, see `occupied_cells`; all by default
    """
    grid = _grid(size)
    boxes = _boxes(size, camera.tangents, camera.near, camera.far)
    if occupied is None:
        occupied = np.arange(len(boxes.low))
    boxes = boxes.only(occupied)
    rotation = camera.rotation() * np.array([[1.0], [1.0], [-1.0]])
    centres, radii = bounding_spheres(lamps)
    local = (centres - np.array(camera.eye)) @ rotation.T
    apexes = (lamps.rows["position"].astype(np.float64) - np.array(camera.eye)) @ rotation.T
    axes = lamps.rows["direction"].astype(np.float64) @ rotation.T
    cosines = lamps.rows["cos_outer"].astype(np.float64)
    groups = 2 * shader_numbers(lamps.rows) + shadowed
    order = np.argsort(groups, kind="stable")
    if keep is not None:
        order = order[keep[order]]
    cells, numbers = [], []
    step = max(MAX_PAIRS // max(len(occupied), 1), 1)
    for start in range(0, len(order), step):
        batch = order[start : start + step]
        row, box = _touched(boxes, local[batch], radii[batch])
        lamp = batch[row]
        missed = np.zeros(len(lamp), dtype=bool)
        coned = np.flatnonzero(cosines[lamp] > -1.0)
        of = lamp[coned]
        missed[coned] = _outside_cone(boxes.only(box[coned]), apexes[of], axes[of], cosines[of])
        cells.append(occupied[box[~missed]])
        numbers.append(lamp[~missed])
    return _lists(cells, numbers, groups, grid, _slice_map(camera.far))


def _lists(
    cells: list[NDArray[np.int64]],
    numbers: list[NDArray[np.int64]],
    groups: NDArray[np.intp],
    grid: tuple[int, int, int],
    slices: tuple[float, float],
) -> CellLists:
    total = grid[0] * grid[1] * grid[2]
    if not cells:
        return CellLists(np.zeros((total, 1 + len(SHADERS)), np.uint32), np.zeros(1, np.uint32), grid, slices)
    cell, lamp = np.concatenate(cells), np.concatenate(numbers)
    order = np.argsort(cell, kind="stable")
    cell, lamp = cell[order], lamp[order]
    every = np.bincount(cell, minlength=total).astype(np.uint32)
    of = groups[lamp]
    first = np.concatenate([[0], np.cumsum(every)[:-1]]).astype(np.uint32)
    columns = [first]
    for shader in range(len(SHADERS)):
        plain, cast = (np.bincount(cell[of == 2 * shader + k], minlength=total) for k in (0, 1))
        columns.append((plain | (cast << 16)).astype(np.uint32))
    lists = lamp.astype(np.uint32) if len(lamp) else np.zeros(1, np.uint32)
    return CellLists(np.stack(columns, axis=1), lists, grid, slices)
