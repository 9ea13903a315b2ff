"""All directions on a square: an octahedron unfolded, the zenith in its middle."""

import numpy as np
from numpy.typing import NDArray

from wallum.physics.arrays import Floats, normalised

__all__ = ["octahedron_directions"]


def octahedron_directions(uv: Floats) -> NDArray[np.float64]:
    """(N, 2) places on the square, 0 to 1, to (N, 3) unit directions.

    Source: Cigolle et al. 2014, "oct" encoding. Twin: shaders/include/octahedron.glsl.
    """
    e = np.asarray(uv, np.float64) * 2.0 - 1.0
    height = 1.0 - np.abs(e).sum(axis=1)
    folded = np.maximum(-height, 0.0)[:, None]
    flat = e + np.where(e >= 0.0, -folded, folded)
    return normalised(np.stack([flat[:, 0], height, flat[:, 1]], axis=1))
