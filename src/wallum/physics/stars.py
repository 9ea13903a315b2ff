"""Stars as points: where, how bright, in what colour.

Those with names stand at their true places (ephem's catalogue, J2000); fainter ones, to
magnitude 6, are strewn with the density of the real sky's counts (Allen, "Astrophysical
Quantities", 4th ed., table 19.10, about 10^(0.51 m)), denser toward the Milky Way.
"""

import math
from functools import lru_cache

import ephem
import ephem.stars
import numpy as np
from numpy.typing import NDArray

from wallum.physics.arrays import normalised
from wallum.physics.colour import light_colour

__all__ = ["star_illuminance", "stars"]

# Illuminance of a star of magnitude 0: Allen, table 2.6 [lx].
MAGNITUDE_0_LX = 2.54e-6
FAINT_STARS, BRIGHTEST_FAINT, FAINTEST = 3600, 2.6, 6.0
COUNT_SLOPE = 0.51
SEED = 20_271
# North pole of the Milky Way, J2000: IAU 1958.
GALACTIC_POLE = (192.859, 27.128)


def star_illuminance(magnitude: NDArray[np.float64]) -> NDArray[np.float64]:
    """(N,) illuminance outside the air [lx]. Source: Pogson 1856."""
    return np.asarray(MAGNITUDE_0_LX * 10.0 ** (-0.4 * magnitude))


def _equatorial(ascension_rad: float, declination_rad: float) -> tuple[float, float, float]:
    flat = math.cos(declination_rad)
    return (flat * math.cos(ascension_rad), flat * math.sin(ascension_rad), math.sin(declination_rad))


def _named() -> tuple[NDArray[np.float64], NDArray[np.float64]]:
    places, magnitudes = [], []
    for name in sorted(ephem.stars.stars):
        star = ephem.star(name)
        star.compute("2000/1/1", epoch="2000")
        places.append(_equatorial(float(star.a_ra), float(star.a_dec)))
        magnitudes.append(float(star.mag))
    return np.array(places), np.array(magnitudes)


def _strewn() -> tuple[NDArray[np.float64], NDArray[np.float64]]:
    rng = np.random.default_rng(SEED)
    places = normalised(rng.normal(size=(FAINT_STARS * 3, 3)))
    pole = np.array(_equatorial(*(math.radians(part) for part in GALACTIC_POLE)))
    density = 0.35 + 0.65 * np.exp(-np.abs(places @ pole) / 0.3)
    places = places[rng.random(len(places)) < density][:FAINT_STARS]
    low, high = 10.0 ** (COUNT_SLOPE * np.array([BRIGHTEST_FAINT, FAINTEST]))
    return places, np.log10(low + rng.random(len(places)) * (high - low)) / COUNT_SLOPE


@lru_cache(maxsize=1)
def stars() -> tuple[NDArray[np.float32], NDArray[np.float32]]:
    """(N, 3) unit equatorial directions, and (N, 3) RGB illuminance outside the air [lx]."""
    rng = np.random.default_rng(SEED + 1)
    named, strewn = _named(), _strewn()
    places = np.concatenate([named[0], strewn[0]])
    light = star_illuminance(np.concatenate([named[1], strewn[1]]))
    kelvin = np.clip(rng.lognormal(np.log(7000.0), 0.35, len(light)), 3200.0, 18_000.0)
    colours = np.stack([light_colour(float(round(k, -2))) for k in kelvin])
    return places.astype(np.float32), (light[:, None] * colours).astype(np.float32)
