"""Normals and tangents for meshes that came without."""

import numpy as np
from numpy.typing import NDArray

from wallum.physics.arrays import normalised

__all__ = ["flat_normals", "tangents"]


def flat_normals(positions: NDArray[np.float32]) -> NDArray[np.float32]:
    """Unit normals of unshared corners: (3 T, 3) positions to (3 T, 3).

    The standard asks for flat normals where none are given (glTF 2.0, section 3.7.2.1).
    A triangle without area gets +Y.
    """
    corners = positions.reshape(-1, 3, 3).astype(np.float64)
    crossed = np.cross(corners[:, 1] - corners[:, 0], corners[:, 2] - corners[:, 0])
    unit = normalised(crossed)
    unit[np.linalg.norm(crossed, axis=1) == 0.0] = (0.0, 1.0, 0.0)
    return np.repeat(unit, 3, axis=0).astype(np.float32)


def _sum_at(index: NDArray[np.uint32], values: NDArray[np.float64], size: int) -> NDArray[np.float64]:
    columns = [np.bincount(index, weights=values[:, axis], minlength=size) for axis in range(3)]
    return np.stack(columns, axis=1)


def tangents(
    positions: NDArray[np.float32],
    normals: NDArray[np.float32],
    uv: NDArray[np.float32],
    triangles: NDArray[np.uint32],
) -> NDArray[np.float32]:
    """(V, 4) unit tangents along u, with the bitangent's sign in w.

    Summed over each vertex's triangles, then made square to the normal. Source: Lengyel,
    "Computing Tangent Space Basis Vectors for an Arbitrary Mesh". Where the coordinates
    give no direction, any tangent square to the normal is taken.
    """
    p, t = positions[triangles].astype(np.float64), uv[triangles].astype(np.float64)
    edge1, edge2 = p[:, 1] - p[:, 0], p[:, 2] - p[:, 0]
    d1, d2 = t[:, 1] - t[:, 0], t[:, 2] - t[:, 0]
    area = d1[:, 0] * d2[:, 1] - d2[:, 0] * d1[:, 1]
    scale = np.where(area == 0.0, 0.0, 1.0 / np.where(area == 0.0, 1.0, area))[:, None]
    along_u = (edge1 * d2[:, 1:2] - edge2 * d1[:, 1:2]) * scale
    along_v = (edge2 * d1[:, 0:1] - edge1 * d2[:, 0:1]) * scale
    corners = triangles.ravel()
    u = _sum_at(corners, np.repeat(along_u, 3, axis=0), len(positions))
    v = _sum_at(corners, np.repeat(along_v, 3, axis=0), len(positions))
    n = normals.astype(np.float64)
    square = u - n * np.einsum("ij,ij->i", n, u)[:, None]
    lost = np.linalg.norm(square, axis=1) < 1e-12
    helper = np.where(np.abs(n[:, :1]) < 0.9, [[1.0, 0.0, 0.0]], [[0.0, 1.0, 0.0]])
    square[lost] = np.cross(n[lost], helper[lost])
    sign = np.where(np.einsum("ij,ij->i", np.cross(n, square), v) < 0.0, -1.0, 1.0)
    return np.concatenate([normalised(square), sign[:, None]], axis=1).astype(np.float32)
