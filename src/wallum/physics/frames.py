"""Two directions across a third."""

import numpy as np

from wallum.physics.arrays import Floats

__all__ = ["frame_of"]


def frame_of(n: Floats) -> tuple[Floats, Floats]:
    """Two unit directions across each unit normal (N, 3), and across each other, in its precision.

    Source: Duff et al. 2017, "Building an Orthonormal Basis, Revisited".
    """
    x, y, z = n[:, 0], n[:, 1], n[:, 2]
    sign = np.copysign(np.ones_like(z), z)
    a = -1.0 / (sign + z)
    b = x * y * a
    side = np.stack([1.0 + sign * x * x * a, sign * b, -sign * x], axis=1)
    return side, np.stack([b, sign + y * y * a, -y], axis=1)
