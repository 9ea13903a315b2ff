"""The colour of a source as a screen can show it."""

from functools import lru_cache

import numpy as np

from wallum.document.fields import Vector
from wallum.document.sources import Coloured
from wallum.physics.arrays import Floats
from wallum.physics.tone import srgb_encode

__all__ = ["shown_colour", "shown_rgb"]


@lru_cache(maxsize=1024)
def _encoded(rgb: Vector) -> tuple[int, int, int]:
    red, green, blue = np.round(srgb_encode(np.array(rgb) / max(rgb)) * 255.0).astype(int)
    return int(red), int(green), int(blue)


def shown_rgb(light: Floats) -> tuple[int, int, int]:
    """8-bit sRGB of linear light (3,), its brightest part at full."""
    red, green, blue = (round(float(part), 6) for part in light / max(float(light.max()), 1e-12))
    return _encoded((max(red, 0.0), max(green, 0.0), max(blue, 0.0)))


def shown_colour(source: Coloured) -> tuple[int, int, int]:
    """8-bit sRGB of a source's light, its brightest part at full."""
    return _encoded(source.luminous_rgb())
