"""What a lens leaves of the light toward the corners of its picture.

A thin lens gives the fourth power of the cosine of the angle off its axis (Reiss 1945, "The Cos4 Law of
Illumination"): 1 / (1 + tan^2)^2, and the tangent grows evenly from the middle of the picture on. The fall is
stated as what is lost in the corner. Twin of realtime/shaders/include/chain/vignette.glsl.
"""

import numpy as np
from numpy.typing import NDArray

__all__ = ["corner_fall", "vignette"]


def corner_fall(stops: float) -> float:
    """The squared tangent of the corner's angle at which a lens loses so many stops there [-]."""
    return float(2.0 ** (0.5 * stops) - 1.0)


def vignette(size: tuple[int, int], stops: float) -> NDArray[np.float64]:
    """(H, W) share of the light that is left, for a picture of a width and height [pixels] that loses
    `stops` in its corners."""
    width, height = size
    x, y = np.arange(width) + 0.5 - 0.5 * width, np.arange(height) + 0.5 - 0.5 * height
    away = (x**2 + y[:, None] ** 2) / (0.25 * (width**2 + height**2))
    return np.asarray(1.0 / (1.0 + corner_fall(stops) * away) ** 2)
