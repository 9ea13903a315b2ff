"""About what each lamp gives a surface: paths that follow one at a time pick it by that."""

import numpy as np
from numpy.typing import NDArray

from wallum.moment.lamps import LampRows
from wallum.physics.arrays import Floats, dots

__all__ = ["about_given"]

# What distances that are worked out from large squares may be off by [m].
ROUNDED_M = 0.01


def about_given(
    lamp: LampRows, candela: NDArray[np.float32], places: Floats, normals: Floats
) -> NDArray[np.float32]:
    """(lamps, N) about what each lamp gives surfaces at places (N, 3) with normals (N, 3), unshadowed [lx];
    above 0 wherever it can give any. candela : (lamps,) on their axes"""
    position, radius = np.ascontiguousarray(lamp["position"]), lamp["radius"][:, None]
    across = position @ places.T
    squared = dots(position, position)[:, None] - 2.0 * across + dots(places, places)
    # Sums of large squares: what is left of them is held off 0 by what they lose.
    squared = np.maximum(squared, np.maximum(radius**2, 1e-4))
    gain = candela[:, None] / squared
    # A body reaches a little around a surface's edge.
    gain *= position @ normals.T - dots(places, normals) >= -radius - ROUNDED_M
    reach = np.where(lamp["range"] > 0.0, lamp["range"] + lamp["radius"] + ROUNDED_M, np.inf)
    gain *= squared <= reach[:, None] ** 2
    for index in np.flatnonzero(lamp["cos_outer"] > -1.0):
        aim = lamp["direction"][index]
        cosine = (places @ aim - position[index] @ aim) / np.sqrt(squared[index])
        outer = lamp["cos_outer"][index] - lamp["radius"][index]
        gain[index] *= np.where(cosine < outer, 0.0, np.maximum(cosine, 0.02))
    return gain.astype(np.float32, copy=False)
