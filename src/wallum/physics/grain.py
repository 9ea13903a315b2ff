"""Grain of film: what it makes of even light, by exposure index.

A film's granularity is stated as the root mean square of its density, read through a hole of 48 micrometres
(ISO 10505); fast films have more, about by the root of their index. Here a film of index 100 has a density
that wavers by 0.009 about each pixel. Density is a logarithm, so that the grain is a factor of the light; its
mean is 1, so that it brightens nothing.

Each pixel's draw is the sum of the four bytes of a hash of its place (O'Neill 2014, PCG), near enough to the
normal distribution. Twin of realtime/shaders/include/chain/grain.glsl.
"""

import math

import numpy as np
from numpy.typing import NDArray

__all__ = ["DENSITY_100", "draws", "grain", "grain_strength"]

DENSITY_100 = 0.009
# Of the sum of four bytes.
MEAN, DEVIATION = 510.0, math.sqrt(4.0 * (256.0**2 - 1.0) / 12.0)


def _hash(value: NDArray[np.uint32]) -> NDArray[np.uint32]:
    state = value * np.uint32(747796405) + np.uint32(2891336453)
    word = ((state >> ((state >> np.uint32(28)) + np.uint32(4))) ^ state) * np.uint32(277803737)
    return np.asarray((word >> np.uint32(22)) ^ word)


def draws(size: tuple[int, int], seed: int) -> NDArray[np.float64]:
    """(H, W) of mean 0 and deviation 1, for a picture of a width and height [pixels].

    seed : of one picture of a film; stills have 0
    """
    x = np.arange(size[0], dtype=np.uint32)
    y = np.arange(size[1], dtype=np.uint32)[:, None]
    with np.errstate(over="ignore"):
        rows = _hash(y + np.array([[seed & 0xFFFF]], np.uint32) * np.uint32(65_537))
        word = _hash(x ^ rows)
    total = sum((word >> np.uint32(shift)) & np.uint32(255) for shift in (0, 8, 16, 24))
    return (np.asarray(total, np.float64) - MEAN) / DEVIATION


def grain_strength(index: float) -> float:
    """How far the natural logarithm of light wavers, for a film of an exposure index [-]."""
    return math.log(10.0) * DENSITY_100 * math.sqrt(index / 100.0)


def grain(size: tuple[int, int], index: float, seed: int = 0) -> NDArray[np.float64]:
    """(H, W) factor of the light of each pixel."""
    strength = grain_strength(index)
    return np.exp(strength * draws(size, seed) - 0.5 * strength**2)
