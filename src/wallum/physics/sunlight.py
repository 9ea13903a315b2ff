"""Direct light of the sun and the moon on the ground, through clear air. Sources: sky_air.py, and each
function."""

import math

import numpy as np
from numpy.typing import NDArray

from wallum.physics.sky_air import CLEAR, SkyAir, transmitted

__all__ = ["LUNAR_LX", "SOLAR_LX", "moonlight", "phase_factor", "sunlight", "visible_share"]

# Illuminance outside the air at mean distance, facing the sun: CIE 85, with the solar
# spectrum of 2005; 133.3 klx.
SOLAR_LX = 133_300.0
# The same of a full moon: Krisciunas, Schaefer 1991; about 0.31 lx.
LUNAR_LX = 0.31
# The moon's light is redder than the sun's: ratio by channel, luminance 1; from its colour
# index B - V of 0.92 against 0.65 (Allen, "Astrophysical Quantities").
LUNAR_TINT = np.array([1.12, 0.98, 0.84])


def visible_share(elevation_deg: float, radius_deg: float) -> float:
    """Share [-] of a disc that stands above the horizon, 0 to 1; elevation of its middle [deg]."""
    if radius_deg <= 0.0:
        return float(elevation_deg > 0.0)
    x = min(max(elevation_deg / radius_deg, -1.0), 1.0)
    return (math.acos(-x) + x * math.sqrt(1.0 - x * x)) / math.pi


def sunlight(elevation_deg: float, radius_deg: float, distance_au: float = 1.0) -> NDArray[np.float64]:
    """(3,) RGB illuminance facing the sun at an apparent elevation [lx]; 0 once it is down."""
    share = visible_share(elevation_deg, radius_deg)
    return SOLAR_LX / distance_au**2 * share * transmitted(elevation_deg)


def phase_factor(phase_deg: float) -> float:
    """Light of the moon at a phase angle over that of a full one.

    Source: Allen's formula, in Krisciunas, Schaefer 1991, eq. 9; made for up to 150 degrees.
    """
    phi = min(abs(phase_deg), 180.0)
    return 10.0 ** (-0.4 * (0.026 * phi + 4e-9 * phi**4))


def moonlight(
    elevation_deg: float,
    radius_deg: float,
    phase_deg: float,
    distance_ratio: float = 1.0,
    air: SkyAir = CLEAR,
) -> NDArray[np.float64]:
    """(3,) RGB illuminance facing the moon at an apparent elevation [lx]; 0 once it is down.

    distance_ratio : its distance over the mean one
    """
    outside = LUNAR_LX * phase_factor(phase_deg) / distance_ratio**2
    return outside * visible_share(elevation_deg, radius_deg) * transmitted(elevation_deg, air) * LUNAR_TINT
