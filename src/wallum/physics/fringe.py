"""Lateral chromatic aberration: red is magnified and blue reduced relative to green.

First order: the magnification depends on wavelength. GLSL twin: realtime/shaders/include/chain/seen.glsl.
Source: Kingslake and Johnson, "Lens Design Fundamentals", chapter 11.
"""

import numpy as np
from numpy.typing import NDArray

from wallum.physics.arrays import Floats

__all__ = ["HALF_DIAGONAL", "fringe_share", "fringed"]

# Pixels from the middle to the corner of the picture that fringes are stated for: 1920 x 1080.
HALF_DIAGONAL = 1101.45


def fringe_share(pixels: float) -> float:
    """Relative magnification of red for a fringe stated in pixels.

    pixels : at the corner of a picture of 1920 x 1080
    Returns [-].
    """
    return pixels / HALF_DIAGONAL


def fringed(picture: Floats, pixels: float) -> NDArray[np.float64]:
    """Apply lateral chromatic aberration.

    picture : (H, W, 3)
    pixels  : fringe at the corner of 1920 x 1080
    Returns (H, W, 3), bilinear; the border is clamped.
    """
    out = np.array(picture, np.float64)
    share = fringe_share(pixels)
    for channel, scale in ((0, 1.0 + share), (2, 1.0 - share)):
        out[..., channel] = _scaled(out[..., channel], scale)
    return out


def _scaled(values: NDArray[np.float64], scale: float) -> NDArray[np.float64]:
    """Magnify one channel (H, W) about its centre."""
    height, width = values.shape
    rows, above = _places(height, scale)
    columns, left = _places(width, scale)
    upper, under = values[rows], values[np.minimum(rows + 1, height - 1)]
    lines = upper + (under - upper) * above[:, None]
    near, far = lines[:, columns], lines[:, np.minimum(columns + 1, width - 1)]
    return np.asarray(near + (far - near) * left)


def _places(size: int, scale: float) -> tuple[NDArray[np.int64], NDArray[np.float64]]:
    """Source positions of a magnified axis.

    Returns the pixel below (size,) and the weight of the next (size,).
    """
    at = np.clip((np.arange(size) + 0.5 - 0.5 * size) / scale + 0.5 * size - 0.5, 0.0, size - 1.0)
    first = np.floor(at).astype(np.int64)
    return first, at - first
