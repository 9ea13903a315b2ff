"""A picture of which every second column is known, with the others between them."""

import numpy as np
from numpy.typing import NDArray

from wallum.physics.arrays import Floats

__all__ = ["widened"]


def widened(half: Floats, width: int) -> NDArray[np.float64]:
    """(H, width, 3) a picture of which `half` (H, width / 2, 3) is every second column, from the first: those
    between are the mean of their neighbours, the last as the one before."""
    out = np.repeat(np.asarray(half, np.float64), 2, axis=1)[:, :width]
    between = out[:, 1:-1:2]
    between += out[:, 2::2]
    between *= 0.5
    return out
