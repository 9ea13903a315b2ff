"""The parts of the sky that probes tell apart."""

from functools import lru_cache
from typing import Final

import numpy as np
from numpy.typing import NDArray

from wallum.moment.scene import Dome
from wallum.physics.arrays import Floats
from wallum.physics.dome import dome_directions

__all__ = ["AROUND", "BANDS", "BINS", "sky_bins", "sky_parts"]

AROUND, BANDS = 16, 4
BINS: Final = AROUND * BANDS + 1  # the last is far ground


def sky_bins(directions: Floats) -> NDArray[np.int64]:
    """(N,) which part of the sky unit directions point to: bands of equal height by turns of 22.5 degrees."""
    up = np.clip(directions[:, 1], -1.0, 1.0 - 1e-7)
    turn = np.arctan2(directions[:, 0], -directions[:, 2]) / (2.0 * np.pi) % 1.0
    bins = np.floor(up * BANDS) * AROUND + np.minimum(np.floor(turn * AROUND), AROUND - 1)
    return np.where(up > 0.0, bins, BINS - 1).astype(np.int64)


@lru_cache(maxsize=4)
def _cells(height: int, width: int) -> tuple[NDArray[np.int64], NDArray[np.float64], NDArray[np.float64]]:
    """Of a dome's cells (H * W,) the part that each lies in, and its solid angle; that of all parts."""
    ways, solid = dome_directions(height, width)
    bins, solid = sky_bins(ways.reshape(-1, 3)), solid.ravel()
    return bins, solid, np.maximum(np.bincount(bins, solid, BINS), 1e-12)


def sky_parts(sky: Dome) -> NDArray[np.float64]:
    """(BINS, 3) mean luminance of each part of the sky, and of far ground [cd/m2]."""
    bins, solid, whole = _cells(*sky.luminance.shape[:2])
    light = [np.bincount(bins, solid * sky.luminance[..., k].ravel(), BINS) for k in range(3)]
    out = np.asarray(np.stack(light, axis=1) / whole[:, None])
    out[-1] = sky.ground
    return out
