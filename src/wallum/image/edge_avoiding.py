"""Noise smoothed away across surfaces and not across their edges.

Source: Dammertz, Sewtz, Hanika and Lensch 2010, "Edge-Avoiding A-Trous Wavelet Transform for fast Global
Illumination Filtering".
"""

from typing import Final

import numpy as np
from numpy.typing import NDArray
from scipy.ndimage import maximum_filter, uniform_filter

from wallum.physics.arrays import Floats
from wallum.physics.colour import luminance

__all__ = ["edge_avoiding"]

# The B3 spline, by distance in steps.
KERNEL: Final = (3.0 / 8.0, 1.0 / 4.0, 1.0 / 16.0)
LEVELS: Final = 5
# How far normals and albedo may lie apart; and light, in stops, at the first level: half of it at each next.
NORMALS, ALBEDO, STOPS = 0.35, 0.06, 3.0
# Light is smoothed without what the surface takes of it; below this albedo it is left as it is.
MIN_ALBEDO: Final = 0.02
# A pixel may be so many times as bright as the brightest beside it.
SPARK: Final = 3.0


def edge_avoiding(light: Floats, albedo: Floats, normals: Floats) -> NDArray[np.float64]:
    """(H, W, 3) light [cd/m2] smoothed where albedo and normals (H, W, 3) are about the same."""
    albedo, normals = np.asarray(albedo, np.float64), np.asarray(normals, np.float64)
    base = np.where(albedo > MIN_ALBEDO, albedo, 1.0)
    seen = _without_sparks(np.asarray(light, np.float64) / base)
    for level in range(LEVELS):
        seen = _smoothed(seen, albedo, normals, 2**level, STOPS / 2.0**level)
    return np.asarray(seen * base)


def _without_sparks(seen: Floats) -> Floats:
    """No pixel far brighter than the brightest about it: what single lucky paths have found is spread by
    no filter."""
    bright = luminance(seen)
    about = np.ones((3, 3), bool)
    about[1, 1] = False
    largest = maximum_filter(bright, footprint=about, mode="nearest")
    return np.asarray(seen * np.minimum(1.0, SPARK * largest / np.maximum(bright, 1e-12))[..., None])


def _smoothed(seen: Floats, albedo: Floats, normals: Floats, step: int, stops: float) -> Floats:
    """One level: the mean over 5 x 5 pixels that lie `step` apart, of those that are alike."""
    height, width = seen.shape[:2]
    room = 2 * step
    # Noise is told from an edge by the light about a pixel, not by the pixel alone.
    bright = np.log2(np.maximum(uniform_filter(luminance(seen), 3, mode="nearest"), 1e-9))
    parts = [
        np.pad(item, ((room, room), (room, room), (0, 0)), mode="edge") for item in (seen, albedo, normals)
    ]
    padded = np.pad(bright, room, mode="edge")
    total, weight = np.zeros_like(seen), np.zeros((height, width, 1))
    for down in range(-2, 3):
        for right in range(-2, 3):
            there = (
                slice(room + down * step, room + down * step + height),
                slice(room + right * step, room + right * step + width),
            )
            other, its_albedo, its_normals = (part[there] for part in parts)
            off = ((its_albedo - albedo) ** 2).sum(axis=2) / ALBEDO**2
            off += ((its_normals - normals) ** 2).sum(axis=2) / NORMALS**2
            off += ((padded[there] - bright) / stops) ** 2
            counts = KERNEL[abs(down)] * KERNEL[abs(right)] * np.exp(-off)
            total += other * counts[..., None]
            weight += counts[..., None]
    return total / weight
