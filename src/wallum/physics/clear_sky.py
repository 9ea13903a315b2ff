"""The clear sky, simple and true in its sums: from noon through twilight into night.

How light is spread: CIE standard general sky, type 12 (CIE S 011:2003, table 1). How much
there is: by day 0.8 + 15.5 sqrt(sin a) klx on level ground (IES RP-21); in twilight the
polynomials of the Explanatory Supplement to the Astronomical Almanac (1992), section 9.34;
the two are joined over the three degrees above the horizon. Its colour: single scattering
(physics.clear_air), softened by a share of its own mean, which stands for light that was
scattered again.
"""

from functools import lru_cache

import numpy as np
from numpy.typing import NDArray

from wallum.physics.arrays import Floats
from wallum.physics.clear_air import optical_depths, scattered_colour
from wallum.physics.colour import light_colour, luminance
from wallum.physics.dome import dome_directions, dome_illuminance
from wallum.physics.spectrum import luminous_rgb, sun_weights

__all__ = ["NIGHT_LX", "clear_dome", "night_dome", "relative_luminance", "sky_illuminance"]

# CIE type 12: gradation a, b; indicatrix c, d, e.
GRADATION = (-1.0, -0.32)
INDICATRIX = (10.0, -3.0, 0.45)
# Ranges [deg] and coefficients of log10(lx) in h / 90: Explanatory Supplement, section 9.34.
TWILIGHT = (
    (-0.8, 5.0, (2.88, 22.26, -207.64, 1034.30)),
    (-5.0, -0.8, (2.88, 21.81, -258.11, -858.36)),
    (-12.0, -5.0, (2.70, 12.17, -431.69, -1899.83)),
    (-18.0, -12.0, (13.84, 262.72, 1447.42, 2797.93)),
)
JOINED_DEG = 3.0
# Natural moonless night on level ground: 2e-4 cd/m2 over the dome.
NIGHT_LX = 2e-4 * np.pi
TWICE_SCATTERED, MEAN_POWER = 0.1, 0.35
LOWEST_COLOUR_DEG = -9.0
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


def sky_illuminance(elevation_deg: float) -> float:
    """Illuminance of open, level ground by a clear sky that the sun lights [lx].

    elevation_deg : geometric elevation of the sun; without the light of the night itself
    """
    if elevation_deg <= -18.0:
        return 0.0
    if elevation_deg <= 0.0:
        # The table ends with the night's own light in it, which is added elsewhere.
        return max(_twilight(elevation_deg) - NIGHT_LX * _smooth((-10.0 - elevation_deg) / 8.0), 0.0)
    day = 800.0 + 15_500.0 * float(np.sqrt(np.sin(np.radians(elevation_deg))))
    if elevation_deg >= JOINED_DEG:
        return day
    share = _smooth(elevation_deg / JOINED_DEG)
    return float(np.exp((1.0 - share) * np.log(_twilight(elevation_deg)) + share * np.log(day)))


def relative_luminance(zenith_rad: Floats, off_sun_rad: Floats) -> NDArray[np.float64]:
    """Luminance of a type 12 sky, in no unit, by angle from the zenith and from the sun."""
    a, b = GRADATION
    c, d, e = INDICATRIX
    gradation = 1.0 + a * np.exp(b / np.maximum(np.cos(zenith_rad), 1e-4))
    spread = c * (np.exp(d * off_sun_rad) - np.exp(d * np.pi / 2.0)) + e * np.cos(off_sun_rad) ** 2
    return np.asarray(gradation * (1.0 + spread))


ELEVATIONS = 90.0 * np.linspace(0.08, 1.0, 20) ** 2
OFF_SUN = np.linspace(0.0, 180.0, 13)


@lru_cache(maxsize=1)
def _bluer() -> NDArray[np.float64]:
    """(3,) what one scattering by molecules does to colour, at the same luminance."""
    tint = luminous_rgb(sun_weights() * optical_depths()[0]) / luminous_rgb(sun_weights())
    return np.asarray(tint / luminance(tint))


@lru_cache(maxsize=128)
def _colours_at(sun_deg: float) -> NDArray[np.float64]:
    """(elevations, off sun, 3) colours of luminance 1."""
    once = scattered_colour(sun_deg, ELEVATIONS, OFF_SUN)
    weight = np.gradient(np.sin(np.radians(ELEVATIONS)))[:, None, None]
    # A power mean: the glare about the sun is scattered light of one direction, not of all.
    mean = ((once**MEAN_POWER * weight).sum(axis=(0, 1)) / (weight.sum() * len(OFF_SUN))) ** (
        1.0 / MEAN_POWER
    )
    # Low down that light has come through much air, which takes the blue out again.
    blue = 0.7 * np.minimum(ELEVATIONS / 30.0, 1.0)[:, None, None]
    thick = 1.0 + 6.0 * np.exp(-ELEVATIONS / 6.0)[:, None, None]
    mixed = once + TWICE_SCATTERED * thick * mean * _bluer() ** blue
    return mixed / luminance(mixed)[..., None]


def _node(sun_deg: float) -> tuple[float, float, float]:
    """The elevations kept around one, and the share of the upper."""
    step = 0.5 if sun_deg < 10.0 else 2.0
    low = np.floor(sun_deg / step) * step
    return float(low), float(low + step), float((sun_deg - low) / step)


def _colours(sun_deg: float) -> NDArray[np.float64]:
    low, high, share = _node(min(max(sun_deg, LOWEST_COLOUR_DEG), 88.0))
    day = (1.0 - share) * _colours_at(low) + share * _colours_at(high)
    dark = _smooth((-5.0 - sun_deg) / 7.0)
    return (1.0 - dark) * day + dark * light_colour(NIGHT_K)


@lru_cache(maxsize=1)
def _places() -> tuple[NDArray[np.int64], NDArray[np.float64]]:
    """Row of the colour table below each dome row, and the share of the next."""
    directions, _ = dome_directions()
    elevation = np.degrees(np.arcsin(directions[:, 0, 1]))
    row = np.clip(np.searchsorted(ELEVATIONS, elevation) - 1, 0, len(ELEVATIONS) - 2)
    share = (elevation - ELEVATIONS[row]) / (ELEVATIONS[row + 1] - ELEVATIONS[row])
    return row, np.clip(share, 0.0, 1.0)


def _spread_colours(table: NDArray[np.float64], azimuth_rad: float) -> NDArray[np.float64]:
    """(H, W, 3) colours over the dome for a sun at an azimuth."""
    row, share = _places()
    width = dome_directions()[1].shape[1]
    rows = table[row] * (1.0 - share)[:, None, None] + table[row + 1] * share[:, None, None]
    columns = (np.arange(width) + 0.5) / width * 360.0
    off = np.abs((columns - np.degrees(azimuth_rad) + 180.0) % 360.0 - 180.0)
    at = off / 180.0 * (len(OFF_SUN) - 1)
    low = np.minimum(at.astype(int), len(OFF_SUN) - 2)
    part = (at - low)[None, :, None]
    return rows[:, low] * (1.0 - part) + rows[:, low + 1] * part


def clear_dome(direction: Floats, elevation_deg: float, illuminance_lx: float) -> NDArray[np.float64]:
    """The sky that one body lights, (H, W, 3) [cd/m2].

    direction      : (3,) unit, to the body
    elevation_deg  : its geometric elevation
    illuminance_lx : what the dome is to give level ground
    """
    directions, _ = dome_directions()
    off = np.arccos(np.clip(directions @ np.asarray(direction), -1.0, 1.0))
    shape = relative_luminance(np.arccos(np.clip(directions[..., 1], 0.0, 1.0)), off)
    colours = _spread_colours(_colours(elevation_deg), float(np.arctan2(direction[0], -direction[2])))
    return np.asarray(illuminance_lx / dome_illuminance(shape) * shape[..., None] * colours)


@lru_cache(maxsize=1)
def night_dome() -> NDArray[np.float64]:
    """The moonless night's own light, (H, W, 3) [cd/m2]: air that glows, a little more of it
    seen toward the horizon."""
    up = dome_directions()[0][..., 1]
    # Van Rhijn 1921: a layer at 100 km.
    shape = 1.0 / np.sqrt(1.0 - (1.0 - up * up) * (6371.0 / 6471.0) ** 2)
    shape = np.minimum(shape, 2.5)
    return np.asarray(NIGHT_LX / dome_illuminance(shape) * shape[..., None] * light_colour(NIGHT_K))
