"""Coarser copies of a level's triangles, for what is far away while the camera moves.

Vertices that fall into one cell of a grid become one, at the mean of their places; triangles
that lose their area are left out. Source: Rossignac, Borrel 1993, "Multi-resolution 3D
approximations for rendering complex scenes".
"""

import numpy as np
from numpy.typing import NDArray

__all__ = ["CELLS_M", "coarser"]

# Widths of the cells of the coarser copies [m].
CELLS_M = (0.08, 0.16, 0.35, 0.8, 2.0)
# Vertices of one cell stay apart where their normals or coordinates differ by this much:
# hard edges and seams keep their looks.
UV_GRAIN = 2.0


def _packed(cells: NDArray[np.int64]) -> NDArray[np.int64]:
    """(N, 3) cell numbers as one number each; 21 bits a direction."""
    wrapped = cells & 0x1FFFFF
    return wrapped[:, 0] << 42 | wrapped[:, 1] << 21 | wrapped[:, 2]


def _looks(vertices: NDArray[np.void]) -> NDArray[np.int64]:
    """A number that vertices share only if they look alike: normal's octant, coordinates."""
    octant = (vertices["normal"][:, :3] > 0.0) @ np.array([1, 2, 4])
    uv = np.round(np.nan_to_num(vertices["uv"][:, :2]) * UV_GRAIN).astype(np.int64) & 0xFFF
    return octant.astype(np.int64) << 24 | uv[:, 0] << 12 | uv[:, 1]


def coarser(
    vertices: NDArray[np.void], faces: NDArray[np.uint32], chunks: NDArray[np.int64], cell_m: float
) -> tuple[NDArray[np.void], NDArray[np.uint32], NDArray[np.int64]]:
    """A copy with vertices `cell_m` apart at least: vertices, faces, chunks.

    The chunks stand in the order of those given, with the same materials; some may be empty.
    """
    if not len(faces):
        return vertices[:0], faces, chunks
    owner = np.zeros(len(vertices), np.int64)
    owner[faces[:, 0]] = owner[faces[:, 1]] = owner[faces[:, 2]] = np.repeat(chunks[:, 2], chunks[:, 1])
    place = _packed(np.floor(vertices["position"] / cell_m).astype(np.int64))
    _, cell = np.unique(place, return_inverse=True)
    look = owner << 40 | _looks(vertices)
    _, look_number = np.unique(look, return_inverse=True)
    key = cell.astype(np.int64) * (int(look_number.max()) + 1) + look_number
    _, first, group = np.unique(key, return_index=True, return_inverse=True)
    built = vertices[first].copy()
    count = np.bincount(cell)
    for axis in range(3):
        mean = np.bincount(cell, weights=vertices["position"][:, axis]) / count
        built["position"][:, axis] = mean[cell[first]]
    corner_cells = cell[faces]
    whole = (
        (corner_cells[:, 0] != corner_cells[:, 1])
        & (corner_cells[:, 1] != corner_cells[:, 2])
        & (corner_cells[:, 0] != corner_cells[:, 2])
    )
    before = np.concatenate([[0], np.cumsum(whole)])
    selected = before[chunks[:, 0] + chunks[:, 1]] - before[chunks[:, 0]]
    begins = np.concatenate([[0], np.cumsum(selected)[:-1]])
    rows = np.stack([begins, selected, chunks[:, 2]], axis=1)
    return built, group[faces[whole]].astype(np.uint32), rows
