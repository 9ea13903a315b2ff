"""The air over a round Earth: what it is made of, and how much of what light passes it.

Three constituents, each a column amount times an optical depth by wavelength: molecules
(Rayleigh: Hansen, Travis 1974, eq. 2.30), haze (Angstrom 1964) and ozone (the Chappuis band,
as one bell over the measured cross sections of Serdyuchenko et al. 2014).
"""

from dataclasses import dataclass
from functools import lru_cache

import numpy as np
from numpy.typing import NDArray

from wallum.physics.arrays import Floats
from wallum.physics.spectrum import WAVELENGTHS_NM, luminous_rgb, sun_weights

__all__ = [
    "CLEAR",
    "EARTH_M",
    "HAZE_M",
    "MOLECULES_M",
    "SkyAir",
    "air_mass",
    "columns_to_top",
    "densities",
    "extinction",
    "optical_depths",
    "to_top",
    "transmitted",
]

EARTH_M, TOP_M = 6_371_000.0, 80_000.0
MOLECULES_M, HAZE_M = 8_000.0, 1_200.0  # scale heights
OZONE_M, OZONE_WIDTH_M = 25_000.0, 15_000.0  # a tent: middle and half width
# Haze of a clear day: optical depth at 1 um, about 45 km of visibility.
TURBIDITY = 0.04
CLEAR_OZONE_DU = 300.0


@dataclass(frozen=True)
class SkyAir:
    """What the air over a level is like.

    haze        : its amount, over that of a clear day
    angstrom    : how much less of longer waves it scatters; 0 is white, 1.3 usual
    forwardness : g of Henyey and Greenstein, of its haze
    ozone_du    : its ozone, in Dobson units
    albedo      : share of light that the ground under it sends back
    height_m    : height of the level above the sea
    """

    haze: float = 1.0
    angstrom: float = 1.3
    forwardness: float = 0.76
    ozone_du: float = CLEAR_OZONE_DU
    albedo: float = 0.2
    height_m: float = 0.0


CLEAR = SkyAir()


@lru_cache(maxsize=16)
def optical_depths(air: SkyAir = CLEAR) -> NDArray[np.float64]:
    """(3, 16) vertical optical depth of molecules, haze and ozone from the sea up."""
    um = WAVELENGTHS_NM * 1e-3
    molecules = 0.008569 * um**-4 * (1.0 + 0.0113 * um**-2 + 0.00013 * um**-4)
    haze = TURBIDITY * air.haze * um**-air.angstrom
    ozone = 0.041 * air.ozone_du / CLEAR_OZONE_DU * np.exp(-0.5 * ((WAVELENGTHS_NM - 592.0) / 52.0) ** 2)
    return np.stack([molecules, haze, ozone])


def air_mass(elevation_deg: Floats | float) -> NDArray[np.float64]:
    """(...,) relative air mass [-] toward apparent elevations (...,) [deg]; 38 at the horizon and held below.

    Source: Kasten, Young 1989.
    """
    seen = np.clip(np.asarray(elevation_deg, dtype=np.float64), 0.0, 90.0)
    return np.asarray(1.0 / (np.sin(np.radians(seen)) + 0.50572 * (seen + 6.07995) ** -1.6364))


@lru_cache(maxsize=16)
def _transmission(air: SkyAir = CLEAR) -> tuple[NDArray[np.float64], NDArray[np.float64]]:
    """Air masses 0 to 40 and the (N, 3) RGB that sunlight of luminance 1 keeps of itself."""
    masses = np.linspace(0.0, 40.0, 401)
    # Above a level that lies high there is less of what thins out upward; ozone lies above it.
    left = np.array([np.exp(-air.height_m / MOLECULES_M), np.exp(-air.height_m / HAZE_M), 1.0])
    depth = masses[:, None] * (left @ optical_depths(air))
    return masses, luminous_rgb(sun_weights() * np.exp(-depth))


def transmitted(elevation_deg: float, air: SkyAir = CLEAR) -> NDArray[np.float64]:
    """(3,) RGB of sunlight of luminance 1 outside the air, after its way through it."""
    masses, rgb = _transmission(air)
    mass = float(air_mass(elevation_deg))
    return np.array([np.interp(mass, masses, rgb[:, k]) for k in range(3)])


def densities(height_m: Floats) -> NDArray[np.float64]:
    """(..., 3) density of the constituents, each over its column at sea level [1/m]."""
    h = np.maximum(height_m, 0.0)
    ozone = np.clip(1.0 - np.abs(h - OZONE_M) / OZONE_WIDTH_M, 0.0, None) / OZONE_WIDTH_M
    return np.stack([np.exp(-h / MOLECULES_M) / MOLECULES_M, np.exp(-h / HAZE_M) / HAZE_M, ozone], axis=-1)


def to_top(height_m: Floats, sine: Floats) -> NDArray[np.float64]:
    """Distance to the top of the air along a direction with a sine of elevation [m]."""
    r = EARTH_M + np.asarray(height_m)
    return np.asarray(-r * sine + np.sqrt(np.maximum((r * sine) ** 2 + (EARTH_M + TOP_M) ** 2 - r * r, 0.0)))


# Wavelengths that stand for red, green and blue along short ways [nm].
CHANNELS_NM = (610.0, 545.0, 465.0)


def extinction(air: SkyAir, with_haze: bool = True) -> NDArray[np.float64]:
    """(3,) extinction by channel at the height of a level [1/m]: molecules, and haze where asked."""
    depths = optical_depths(air)
    parts = [(depths[0], MOLECULES_M), (depths[1], HAZE_M)][: 2 if with_haze else 1]
    out = np.zeros(3)
    for depth, scale in parts:
        per_m = np.interp(CHANNELS_NM, WAVELENGTHS_NM, depth) / scale
        out += per_m * np.exp(-max(air.height_m, 0.0) / scale)
    return out


HEIGHTS = np.concatenate([[0.0], np.geomspace(200.0, TOP_M, 31)])
SINES = np.sin(np.radians(np.concatenate([np.linspace(-12.0, 6.0, 73), np.linspace(8.0, 90.0, 24)])))


@lru_cache(maxsize=1)
def _columns() -> NDArray[np.float64]:
    """(heights, sines, 3) column amounts to the top; huge where the Earth is in the way."""
    h, s = np.meshgrid(HEIGHTS, SINES, indexing="ij")
    length = to_top(h, s)
    share = (np.arange(96) + 0.5) / 96.0
    # Steps grow with the distance: the air is dense at the near end or at the lowest point.
    distance = length[..., None] * share
    r = EARTH_M + h[..., None]
    height = np.sqrt(r * r + distance * distance + 2.0 * r * distance * s[..., None]) - EARTH_M
    amount = (densities(height) * (length / 96.0)[..., None, None]).sum(axis=2)
    r0 = EARTH_M + h
    lowest = np.where(s < 0.0, r0 * np.sqrt(1.0 - s * s) - EARTH_M, h)
    return np.where((lowest < 0.0)[..., None], 1e3, amount)


def columns_to_top(height_m: Floats, sine: Floats) -> NDArray[np.float64]:
    """(..., 3) column amounts of molecules, haze and ozone, each over its whole column from the
    sea up, from heights [m] along ways of a sine of elevation to the top of the air."""
    table = _columns()
    i = np.clip(np.searchsorted(HEIGHTS, height_m) - 1, 0, len(HEIGHTS) - 2)
    j = np.clip(np.searchsorted(SINES, sine) - 1, 0, len(SINES) - 2)
    u = np.clip((height_m - HEIGHTS[i]) / (HEIGHTS[i + 1] - HEIGHTS[i]), 0.0, 1.0)[..., None]
    v = np.clip((sine - SINES[j]) / (SINES[j + 1] - SINES[j]), 0.0, 1.0)[..., None]
    flat, width = table.reshape(-1, 3), len(SINES)
    at = i * width + j
    near = flat.take(at, 0) * (1.0 - v) + flat.take(at + 1, 0) * v
    far = flat.take(at + width, 0) * (1.0 - v) + flat.take(at + width + 1, 0) * v
    return np.asarray(near * (1.0 - u) + far * u)
