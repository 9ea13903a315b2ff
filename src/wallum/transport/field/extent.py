"""Where most of a level is: far hills need no probes."""

import numpy as np
from numpy.typing import NDArray

from wallum.transport.scene.rays import RayScene

__all__ = ["built_of", "focus"]

# Where probes are laid: this share of the triangles at either end of an axis is let go of,
# where that saves so much room that the rest gains by it.
LEFT_OUT, WORTH_IT = 0.02, 0.5
# A part wider than this is land, and not what stands on it [m].
LAND_M = 100.0


def focus(rays: RayScene, bounds: NDArray[np.float64]) -> NDArray[np.float64]:
    """(2, 3) the part of a level's bounds where most of it is; far hills need no probes."""
    triangles = rays.triangles
    if not len(triangles.faces):
        return bounds
    middles = triangles.positions[triangles.faces].mean(axis=1)
    built = built_of(rays)
    middles = middles[built] if built.any() else middles
    low, high = np.quantile(middles, [LEFT_OUT, 1.0 - LEFT_OUT], axis=0)
    room = 0.06 * (high - low) + 0.5
    tight = np.stack([np.maximum(low - room, bounds[0]), np.minimum(high + room, bounds[1])])
    tight[1, 1] = max(tight[1, 1], min(bounds[1, 1], tight[0, 1] + 3.0))
    flat_all, flat_tight = (np.prod((box[1] - box[0])[[0, 2]]) for box in (bounds, tight))
    return tight if flat_tight < WORTH_IT * flat_all else bounds


def built_of(rays: RayScene) -> NDArray[np.bool_]:
    """(T,) which triangles belong to parts that are no land."""
    triangles = rays.triangles
    count = int(triangles.part.max()) + 1
    corners = triangles.positions[triangles.faces][:, :, [0, 2]]
    low, high = np.full((count, 2), np.inf), np.full((count, 2), -np.inf)
    np.minimum.at(low, triangles.part, corners.min(axis=1))
    np.maximum.at(high, triangles.part, corners.max(axis=1))
    wide = np.linalg.norm(high - low, axis=1)
    return np.asarray((wide < LAND_M)[triangles.part])
