"""Stars as points: where they stand, how bright, in what colour.

All 5,044 to magnitude 6, which is what an eye sees from a dark place. Source: ESA 1997, the
Hipparcos catalogue, as compiled in XHIP (Anderson, Francis 2012); data/bright-stars.csv.
"""

from functools import lru_cache
from importlib import resources

import numpy as np
from numpy.typing import NDArray

from wallum.physics.colour import light_colour

__all__ = ["star_illuminance", "star_temperature", "stars"]

# Illuminance of a star of magnitude 0: Allen, "Astrophysical Quantities", 4th ed., table 2.6 [lx].
MAGNITUDE_0_LX = 2.54e-6
COOLEST_K, HOTTEST_K = 2000.0, 20_000.0


def star_illuminance(magnitude: NDArray[np.float64]) -> NDArray[np.float64]:
    """(N,) illuminance outside the air [lx]. Source: Pogson 1856."""
    return np.asarray(MAGNITUDE_0_LX * 10.0 ** (-0.4 * magnitude))


def star_temperature(colour_index: NDArray[np.float64]) -> NDArray[np.float64]:
    """(N,) black body temperature [K] by B-V. Source: Ballesteros 2012, equation 14."""
    scaled = 0.92 * colour_index
    return np.asarray(4600.0 * (1.0 / (scaled + 1.7) + 1.0 / (scaled + 0.62)))


@lru_cache(maxsize=1)
def stars() -> tuple[NDArray[np.float32], NDArray[np.float32]]:
    """(N, 3) unit equatorial directions (J2000), and (N, 3) RGB illuminance outside the air [lx],
    the brightest first."""
    lines = resources.files("wallum.physics").joinpath("data/bright-stars.csv").read_text()
    table = np.loadtxt(lines.splitlines(), delimiter=",")
    ascension, declination = np.radians(table[:, 0]), np.radians(table[:, 1])
    flat = np.cos(declination)
    places = np.stack([flat * np.cos(ascension), flat * np.sin(ascension), np.sin(declination)], axis=1)
    # Steps of 100 K: no eye tells them apart, and few have to be worked out.
    kelvin = np.round(np.clip(star_temperature(table[:, 3]), COOLEST_K, HOTTEST_K), -2)
    steps, which = np.unique(kelvin, return_inverse=True)
    colours = np.stack([light_colour(float(k)) for k in steps])[which]
    return places.astype(np.float32), (star_illuminance(table[:, 2])[:, None] * colours).astype(np.float32)
