"""Screen shafts as they are at a moment."""

import math

import numpy as np

from wallum.document.screen_shafts import ScreenShafts
from wallum.moment.scene import Dome, Sun
from wallum.physics.colour import luminance
from wallum.physics.dome import dome_illuminance
from wallum.physics.screen_shafts import Radial

__all__ = ["radial_of"]


def radial_of(values: ScreenShafts, sun: Sun | None, sky: Dome | None) -> Radial | None:
    """What is drawn out over the picture; None where nothing is, or neither sun nor moon is up."""
    if not values.on or sun is None or (values.strength <= 0.0 and values.darkens <= 0.0):
        return None
    mean = 0.0 if sky is None else float(luminance(dome_illuminance(sky.luminance))) / math.pi
    red, green, blue = (
        sun.illuminance * np.array(values.tint) * (values.strength / (4.0 * math.pi))
    ).tolist()
    x, y, z = sun.direction.tolist()
    bright = mean * 2.0**values.threshold
    return Radial((x, y, z), (red, green, blue), values.darkens, bright, values.length)
