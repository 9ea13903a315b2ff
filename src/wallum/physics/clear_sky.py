"""A cloudless sky by the sun's height, from noon through twilight into night.

How light is spread, and in which colours: physics.atmosphere. How much there is on level ground: by
day 0.8 + 15.5 sqrt(sin a) klx (IES RP-21), which is for a high sun; in twilight and under a low sun
the polynomials of the Explanatory Supplement to the Astronomical Almanac (1992), section 9.34, which
are for sun and sky together: the sun's own is taken off. Between 7 and 20 degrees the one goes over
into the other. The model alone comes within a third of these by day and to 7 degrees
below; deeper down its closure loses light, and they carry it. Air that is not a clear day's
gives what the model makes of it, over what the model makes of a clear day's.
"""

from functools import lru_cache

import numpy as np
from numpy.typing import NDArray

from wallum.physics.arrays import Floats
from wallum.physics.atmosphere import atmosphere_dome, ground_illuminance
from wallum.physics.colour import LUMINANCE_WEIGHTS, light_colour
from wallum.physics.dome import dome_directions, dome_illuminance
from wallum.physics.sky_air import CLEAR, SkyAir, transmitted
from wallum.physics.sunlight import SOLAR_LX

__all__ = ["NIGHT_LX", "clear_dome", "night_dome", "sky_illuminance"]

# Sun and sky together: ranges [deg] and coefficients of log10(lx) in h / 90, the same source.
TWILIGHT = (
    (5.0, 20.0, (3.05, 13.28, -45.98, 64.33)),
    (-0.8, 5.0, (2.88, 22.26, -207.64, 1034.30)),
    (-5.0, -0.8, (2.88, 21.81, -258.11, -858.36)),
    (-12.0, -5.0, (2.70, 12.17, -431.69, -1899.83)),
    (-18.0, -12.0, (13.84, 262.72, 1447.42, 2797.93)),
)
LOW_SUN_DEG, HIGH_SUN_DEG = 7.0, 20.0
# Natural moonless night on level ground: 2e-4 cd/m2 over the dome.
NIGHT_LX = 2e-4 * np.pi
# Below this the sky keeps its shape and loses its light and colour.
LOWEST_DEG = -8.0
NIGHT_K = 14_000.0


def _twilight(elevation_deg: float) -> float:
    for low, high, terms in TWILIGHT:
        if low <= elevation_deg <= high:
            x = elevation_deg / 90.0
            return float(10.0 ** sum(term * x**power for power, term in enumerate(terms)))
    return 0.0


def _smooth(x: float) -> float:
    x = min(max(x, 0.0), 1.0)
    return x * x * (3.0 - 2.0 * x)


def _published(elevation_deg: float) -> float:
    if elevation_deg <= -18.0:
        return 0.0
    if elevation_deg <= 0.0:
        # The table ends with the night's own light in it, which is added elsewhere.
        return max(_twilight(elevation_deg) - NIGHT_LX * _smooth((-10.0 - elevation_deg) / 8.0), 0.0)
    day = 800.0 + 15_500.0 * float(np.sqrt(np.sin(np.radians(elevation_deg))))
    if elevation_deg >= HIGH_SUN_DEG:
        return day
    sun = SOLAR_LX * float(transmitted(elevation_deg, CLEAR) @ LUMINANCE_WEIGHTS)
    sky = _twilight(elevation_deg) - sun * float(np.sin(np.radians(elevation_deg)))
    share = _smooth((elevation_deg - LOW_SUN_DEG) / (HIGH_SUN_DEG - LOW_SUN_DEG))
    return float(np.exp((1.0 - share) * np.log(sky) + share * np.log(day)))


def sky_illuminance(elevation_deg: float, air: SkyAir = CLEAR) -> float:
    """Illuminance of open, level ground by a sky that the sun lights [lx].

    elevation_deg : geometric elevation of the sun; without the light of the night itself
    """
    lux = _published(elevation_deg)
    if air == CLEAR or lux <= 0.0:
        return lux
    # Other air by what the model makes of it; at heights between which it goes evenly.
    seen = max(elevation_deg, LOWEST_DEG)
    low = np.floor(seen / 2.0) * 2.0
    share = (seen - low) / 2.0
    ratios = [
        ground_illuminance(float(max(at, LOWEST_DEG)), air)
        / ground_illuminance(float(max(at, LOWEST_DEG)), CLEAR)
        for at in (low, low + 2.0)
    ]
    return lux * float(ratios[0] ** (1.0 - share) * ratios[1] ** share)


def clear_dome(
    direction: Floats, elevation_deg: float, illuminance_lx: float, air: SkyAir = CLEAR
) -> NDArray[np.float64]:
    """The sky that one body lights, (H, W, 3) [cd/m2].

    direction      : (3,) unit, to the body
    elevation_deg  : its geometric elevation
    illuminance_lx : what the dome is to give level ground
    """
    dome = atmosphere_dome(direction, max(elevation_deg, LOWEST_DEG), air)
    dark = _smooth((-5.0 - elevation_deg) / 7.0)
    if dark > 0.0:
        grey = dome @ LUMINANCE_WEIGHTS
        dome = (1.0 - dark) * dome + dark * grey[..., None] * light_colour(NIGHT_K)
    return np.asarray(illuminance_lx / float(dome_illuminance(dome) @ LUMINANCE_WEIGHTS) * dome)


@lru_cache(maxsize=1)
def night_dome() -> NDArray[np.float64]:
    """The moonless night's own light, (H, W, 3) [cd/m2]: air that glows, a little more of it
    seen toward the horizon."""
    up = dome_directions()[0][..., 1]
    # Van Rhijn 1921: a layer at 100 km.
    shape = 1.0 / np.sqrt(1.0 - (1.0 - up * up) * (6371.0 / 6471.0) ** 2)
    shape = np.minimum(shape, 2.5)
    return np.asarray(NIGHT_LX / dome_illuminance(shape) * shape[..., None] * light_colour(NIGHT_K))
