"""Bumps that are too small to be drawn: what light falls on a surface whose normals are spread.

A mean of unit normals is shorter than one, by how far they are spread (Toksvig 2005). Lambert's cosine ends
at 0, so that under a grazing light bumps catch more than their mean does: of a cosine that is spread normally
about its mean m by a deviation s, what is over 0 is in the mean m F(m / s) + s f(m / s), F the normal
distribution, f its density. Twin of shaders/include/surface.glsl.
"""

import numpy as np

from wallum.physics.arrays import Floats

__all__ = ["bump_variance", "mean_cosine"]

# Where, in deviations, the share that is over 0 beside the mean itself is taken to end.
END = 2.4
DENSITY = 0.39894228


def bump_variance(length: Floats) -> Floats:
    """(N,) variance along either way across a mean normal, by the length (N,) of that; of 1 none."""
    return np.asarray(0.5 * (1.0 - np.minimum(length, 1.0) ** 2))


def mean_cosine(cosine: Floats, variance: Floats) -> Floats:
    """(N,) mean of what is over 0 of the cosines to a light.

    cosine : (N,) of the mean normal, taken as if it had length 1; variance : see `bump_variance`
    """
    mean, deviation = cosine * (1.0 - variance), np.sqrt(variance)
    near = np.maximum(deviation - np.abs(mean) / END, 0.0)
    return np.asarray(np.maximum(mean, 0.0) + DENSITY * near**3 / np.maximum(variance, 1e-9))
