"""Screen shafts: light and shade drawn out from the sun's place in the picture, along straight ways in it.

Of each place it is looked how much of the way to the sun, as far as they reach, shows bright sky: that share
adds light, and what is missing of it takes some. What is brighter than the threshold counts no more than what
is just as bright, so that no sky blows them up. Mitchell 2007, "Volumetric Light Scattering as a
Post-Process". Twin: realtime/shaders/shaft_open.frag.glsl and shaft_drawn.frag.glsl.
"""

from dataclasses import dataclass

import numpy as np
from numpy.typing import NDArray

from wallum.physics.arrays import Floats

__all__ = ["SAMPLES", "Radial", "drawn_out", "open_sky", "reaching"]

RGB = tuple[float, float, float]
# Places that are looked at on the way to the sun.
SAMPLES = 32
# They are gone once the sun is this far outside the picture, over its half sizes.
GONE_AT = 0.6


@dataclass(frozen=True)
class Radial:
    """Shafts of one far light.

    toward  : (3,) unit direction to it
    light   : RGB that they add where all of the way is open [cd/m2]
    darkens : share of light that they take where none of it is
    bright  : luminance from which the sky counts whole [cd/m2]
    length  : how far they reach, over the picture's height
    """

    toward: RGB
    light: RGB
    darkens: float
    bright: float
    length: float


def reaching(x: float, y: float, depth: float) -> float:
    """How much of them is left of a sun at a place (0..1 from the upper left) before the eye, 0 to 1."""
    if depth <= 0.0:
        return 0.0
    outside = max(abs(2.0 * x - 1.0) - 1.0, abs(2.0 * y - 1.0) - 1.0, 0.0) / GONE_AT
    left = min(max(1.0 - outside, 0.0), 1.0)
    return left * left * (3.0 - 2.0 * left)


def open_sky(shafts: Radial, luminance: Floats, sky: NDArray[np.bool_]) -> NDArray[np.float64]:
    """(H, W) how much each place counts as bright sky, 0 to 1. luminance : (H, W) [cd/m2]; sky : (H, W)"""
    over = np.asarray(luminance, dtype=np.float64) / max(shafts.bright, 1e-12)
    return np.where(sky, np.clip(2.0 * over - 1.0, 0.0, 1.0), 0.0)


def drawn_out(
    shafts: Radial, opened: Floats, sun: tuple[float, float], left: float
) -> tuple[NDArray[np.float64], NDArray[np.float64]]:
    """What they add (H, W, 3) [cd/m2] and what they leave of the light (H, W).

    opened : (H, W) of open_sky; sun : its place, 0..1 from the upper left; left : of `reaching`
    """
    height, width = np.shape(opened)
    y, x = np.mgrid[0:height, 0:width] + 0.5
    way_x, way_y = sun[0] * width - x, sun[1] * height - y
    away = np.hypot(way_x, way_y) / height
    share = np.minimum(shafts.length / np.maximum(away, 1e-6), 1.0)
    seen, within = np.zeros((height, width)), np.zeros((height, width))
    for k in range(SAMPLES):
        t = share * ((k + 0.5) / SAMPLES)
        column, row = np.floor(x + way_x * t).astype(int), np.floor(y + way_y * t).astype(int)
        inside = (column >= 0) & (column < width) & (row >= 0) & (row < height)
        result = np.asarray(opened)[np.clip(row, 0, height - 1), np.clip(column, 0, width - 1)]
        seen += inside * result
        within += inside
    open_share = seen / np.maximum(within, 1.0)
    fall = np.clip(1.0 - away / shafts.length, 0.0, 1.0) ** 2 * left
    added = (open_share * fall)[..., None] * np.array(shafts.light)
    return added, 1.0 - shafts.darkens * (1.0 - open_share) * fall
