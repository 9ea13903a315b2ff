"""The parts of the sky that probes tell apart."""

from functools import lru_cache
from typing import Final

import numpy as np
from numpy.typing import NDArray

from wallum.moment.scene import Dome
from wallum.physics.arrays import Floats
from wallum.physics.dome import dome_directions

__all__ = ["AROUND", "BINS", "EDGES", "PARTS", "SOLID", "WEIGHTS", "sky_bins", "sky_parts"]

AROUND: Final = 16
# Heights (sines of elevation) that bands of parts lie between: narrow at the horizon, where light of dawn and
# dusk is, and where hills and walls hide the lower half of it.
EDGES: Final = np.array([0.0, 0.03, 0.08, 0.16, 0.3, 0.55, 1.0])
PARTS: Final = AROUND * (len(EDGES) - 1)
BINS: Final = PARTS + 1  # the last is far ground
# (PARTS,) solid angle of each part [sr].
SOLID: Final = np.repeat(np.diff(EDGES), AROUND) * (2.0 * np.pi / AROUND)
# (PARTS,) of what falls on level ground, how much is from each part of an even sky.
WEIGHTS: Final = np.repeat(np.diff(EDGES**2), AROUND) / AROUND


def sky_bins(directions: Floats) -> NDArray[np.int64]:
    """(N,) which part of the sky unit directions point to: bands by turns of 22.5 degrees."""
    up = np.asarray(directions[:, 1])
    turn = np.arctan2(directions[:, 0], -directions[:, 2]) / (2.0 * np.pi) % 1.0
    around = np.minimum(np.floor(turn * AROUND), AROUND - 1)
    bins = np.searchsorted(EDGES[1:-1], up, side="right") * AROUND + around
    return np.where(up > 0.0, bins, PARTS).astype(np.int64)


@lru_cache(maxsize=4)
def _cells(height: int, width: int) -> tuple[NDArray[np.int64], NDArray[np.float64], NDArray[np.float64]]:
    """Of a dome's cells (H * W,) the part that each lies in, and its solid angle; that of all parts."""
    directions, solid = dome_directions(height, width)
    bins, solid = sky_bins(directions.reshape(-1, 3)), solid.ravel()
    return bins, solid, np.maximum(np.bincount(bins, solid, BINS), 1e-12)


def sky_parts(sky: Dome) -> NDArray[np.float64]:
    """(BINS, 3) mean luminance of each part of the sky, and of far ground [cd/m2]."""
    bins, solid, whole = _cells(*sky.luminance.shape[:2])
    light = [np.bincount(bins, solid * sky.luminance[..., k].ravel(), BINS) for k in range(3)]
    out = np.asarray(np.stack(light, axis=1) / whole[:, None])
    out[-1] = sky.ground
    return out
