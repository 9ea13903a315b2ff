"""Plain solids as meshes, for levels that are generated."""

import numpy as np
from numpy.typing import NDArray

from wallum.level.model.model import Primitive
from wallum.level.model.shading_basis import with_tangents

__all__ = ["box", "grid", "revolve"]


def grid(points: NDArray[np.float64], material: int, uv_scale: tuple[float, float] = (1.0, 1.0)) -> Primitive:
    """Smooth surface through an (R, C, 3) net of points, facing d/dcolumn x d/drow."""
    rows, columns = points.shape[:2]
    by_row, by_column = np.gradient(points, axis=0), np.gradient(points, axis=1)
    normals = np.cross(by_column, by_row).reshape(-1, 3)
    length = np.linalg.norm(normals, axis=1, keepdims=True)
    normals = np.where(length > 1e-12, normals / np.maximum(length, 1e-12), [[0.0, 1.0, 0.0]])
    index = np.arange(rows * columns, dtype=np.uint32).reshape(rows, columns)
    a, b, c, d = index[:-1, :-1], index[:-1, 1:], index[1:, 1:], index[1:, :-1]
    faces = np.stack([a, b, c, a, c, d], axis=-1).reshape(-1, 3)
    v, u = np.mgrid[0 : 1 : rows * 1j, 0 : 1 : columns * 1j]
    uv = np.stack([u * uv_scale[0], v * uv_scale[1]], axis=-1).reshape(-1, 2).astype(np.float32)
    positions = points.reshape(-1, 3).astype(np.float32)
    normals32 = normals.astype(np.float32)
    return with_tangents(Primitive(positions, normals32, faces, material, uv0=uv))


def box(
    low: tuple[float, float, float], high: tuple[float, float, float], material: int, inward: bool = False
) -> Primitive:
    """A box between two corners, its faces outward, or inward for a room; uv in metres."""
    lo, hi = np.array(low, float), np.array(high, float)
    sheets = []
    for axis in range(3):
        u, v = (axis + 1) % 3, (axis + 2) % 3
        for side in (0, 1):
            corners = np.zeros((4, 3))
            corners[:, axis] = (lo, hi)[side][axis]
            corners[:, u] = [lo[u], hi[u], hi[u], lo[u]]
            corners[:, v] = [lo[v], lo[v], hi[v], hi[v]]
            normal = np.zeros(3)
            normal[axis] = 1.0 if side else -1.0
            sheets.append((corners, normal, bool(side) != inward, (u, v)))
    positions = np.concatenate([s[0] for s in sheets]).astype(np.float32)
    sign = -1.0 if inward else 1.0
    normals = np.repeat([s[1] * sign for s in sheets], 4, axis=0).astype(np.float32)
    faces = np.concatenate(
        [
            np.array([[0, 1, 2], [0, 2, 3]] if s[2] else [[0, 2, 1], [0, 3, 2]]) + 4 * i
            for i, s in enumerate(sheets)
        ]
    ).astype(np.uint32)
    uv = np.concatenate([s[0][:, list(s[3])] for s in sheets]).astype(np.float32)
    return with_tangents(Primitive(positions, normals, faces, material, uv0=uv))


def revolve(profile: NDArray[np.float64], segments: int, material: int, around: float = 3.0) -> Primitive:
    """A turned solid: (K, 2) profile of (radius, height) about +Y, from the top down."""
    angle = np.linspace(0.0, 2.0 * np.pi, segments + 1)
    radius, height = profile[:, 0][:, None], profile[:, 1][:, None]
    points = np.stack(
        [
            radius * np.cos(angle),
            np.broadcast_to(height, (len(profile), segments + 1)),
            radius * np.sin(angle),
        ],
        axis=-1,
    )
    return grid(points, material, (around, around / 2.0))
