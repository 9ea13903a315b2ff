"""The colour of a source as a screen can show it."""

import numpy as np

from wallum.document.sources import Coloured
from wallum.physics.tone import srgb_encode

__all__ = ["shown_colour"]


def shown_colour(source: Coloured) -> tuple[int, int, int]:
    """8-bit sRGB of a source's light, its brightest part at full."""
    rgb = np.array(source.luminous_rgb())
    red, green, blue = np.round(srgb_encode(rgb / rgb.max()) * 255.0).astype(int)
    return int(red), int(green), int(blue)
