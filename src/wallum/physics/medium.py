"""The air that fills the level: how much it dims, and what it shows itself.

One layer: extinction constant up to a base height, then falling with a scale height; optical
depth in closed form on both sides of the base. Koschmieder 1924 for visibility; Henyey,
Greenstein 1941 for the phase function. Twin: shaders/include/air.glsl.
"""

import numpy as np
from numpy.typing import NDArray

from wallum.physics.arrays import Floats

__all__ = ["extinction_for", "henyey_greenstein", "optical_depth"]

# -ln 0.02: what is left of contrast at the distance of visibility is 2 %.
KOSCHMIEDER = 3.912


def extinction_for(visibility_m: float) -> float:
    """Extinction at base height [1/m] for a visibility [m], at 550 nm."""
    return KOSCHMIEDER / visibility_m


def _column(over_base_m: Floats, scale_height_m: float) -> NDArray[np.float64]:
    y = np.asarray(over_base_m, dtype=np.float64)
    thinning = scale_height_m * -np.expm1(-np.maximum(y, 0.0) / scale_height_m)
    return np.where(y < 0.0, y, thinning)


def optical_depth(
    extinction: float, scale_height_m: float, over_base_m: Floats, rise: Floats, distance_m: Floats
) -> NDArray[np.float64]:
    """Optical depth along ways through the layer.

    extinction  : at and below base height [1/m]
    over_base_m : (N,) height of each start over the base; may be below it
    rise        : (N,) sine of the elevation of each way
    distance_m  : (N,) its length
    Returns (N,).
    """
    y0 = np.asarray(over_base_m, dtype=np.float64)
    climb = np.asarray(rise) * np.asarray(distance_m)
    steep = np.abs(climb) >= 1e-6
    exact = (_column(y0 + climb, scale_height_m) - _column(y0, scale_height_m)) / np.where(steep, climb, 1.0)
    level = np.exp(-np.maximum(y0 + 0.5 * climb, 0.0) / scale_height_m)
    return np.asarray(extinction * np.asarray(distance_m) * np.where(steep, exact, level))


def henyey_greenstein(cosine: Floats, forwardness: float) -> NDArray[np.float64]:
    """Phase function [1/sr]; its integral over all directions is 1."""
    g = forwardness
    below = 1.0 + g * g - 2.0 * g * np.asarray(cosine, dtype=np.float64)
    return np.asarray((1.0 - g * g) / (4.0 * np.pi * below * np.sqrt(below)))
