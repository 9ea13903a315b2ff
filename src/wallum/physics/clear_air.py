"""Clear air over a round Earth: how much of what light passes, and the colour it gets.

Three constituents, each a column amount times an optical depth by wavelength: molecules
(Rayleigh: Hansen, Travis 1974, eq. 2.30), haze (Angstrom 1964, exponent 1.3) and ozone (the
Chappuis band, as one bell over the measured cross sections of Serdyuchenko et al. 2014,
300 DU). Scattered once; luminances are in no unit: only their colour is used.
"""

from functools import lru_cache

import numpy as np
from numpy.typing import NDArray

from wallum.physics.arrays import Floats
from wallum.physics.spectrum import WAVELENGTHS_NM, luminous_rgb, sun_weights

__all__ = ["air_mass", "optical_depths", "scattered_colour", "transmitted"]

EARTH_M, TOP_M = 6_371_000.0, 80_000.0
MOLECULES_M, HAZE_M = 8_000.0, 1_200.0  # scale heights
OZONE_M, OZONE_WIDTH_M = 25_000.0, 15_000.0  # a tent: middle and half width
# Haze of a clear day: optical depth at 1 um, about 45 km of visibility.
TURBIDITY = 0.04
HAZE_G = 0.76
STEPS = 24


@lru_cache(maxsize=1)
def optical_depths() -> NDArray[np.float64]:
    """(3, 16) vertical optical depth of molecules, haze and ozone at sea level."""
    um = WAVELENGTHS_NM * 1e-3
    molecules = 0.008569 * um**-4 * (1.0 + 0.0113 * um**-2 + 0.00013 * um**-4)
    haze = TURBIDITY * um**-1.3
    ozone = 0.041 * np.exp(-0.5 * ((WAVELENGTHS_NM - 592.0) / 52.0) ** 2)
    return np.stack([molecules, haze, ozone])


def air_mass(elevation_deg: Floats | float) -> NDArray[np.float64]:
    """Relative air mass toward an apparent elevation; 38 at the horizon and held below.

    Source: Kasten, Young 1989.
    """
    seen = np.clip(np.asarray(elevation_deg, dtype=np.float64), 0.0, 90.0)
    return np.asarray(1.0 / (np.sin(np.radians(seen)) + 0.50572 * (seen + 6.07995) ** -1.6364))


@lru_cache(maxsize=1)
def _transmission() -> tuple[NDArray[np.float64], NDArray[np.float64]]:
    """Air masses 0 to 40 and the (N, 3) RGB that sunlight of luminance 1 keeps of itself."""
    masses = np.linspace(0.0, 40.0, 401)
    depth = masses[:, None] * optical_depths().sum(axis=0)
    return masses, luminous_rgb(sun_weights() * np.exp(-depth))


def transmitted(elevation_deg: float) -> NDArray[np.float64]:
    """(3,) RGB of sunlight of luminance 1 outside the air, after its way through it."""
    masses, rgb = _transmission()
    mass = float(air_mass(elevation_deg))
    return np.array([np.interp(mass, masses, rgb[:, k]) for k in range(3)])


def _density(height_m: Floats) -> NDArray[np.float64]:
    """(..., 3) density of the constituents, each over its column at sea level [1/m]."""
    h = np.maximum(height_m, 0.0)
    ozone = np.clip(1.0 - np.abs(h - OZONE_M) / OZONE_WIDTH_M, 0.0, None) / OZONE_WIDTH_M
    return np.stack([np.exp(-h / MOLECULES_M) / MOLECULES_M, np.exp(-h / HAZE_M) / HAZE_M, ozone], axis=-1)


def _to_top(height_m: Floats, sine: Floats) -> NDArray[np.float64]:
    """Distance to the top of the air along a direction with a sine of elevation [m]."""
    r = EARTH_M + np.asarray(height_m)
    return np.asarray(-r * sine + np.sqrt(np.maximum((r * sine) ** 2 + (EARTH_M + TOP_M) ** 2 - r * r, 0.0)))


HEIGHTS = np.concatenate([[0.0], np.geomspace(200.0, TOP_M, 31)])
SINES = np.sin(np.radians(np.concatenate([np.linspace(-12.0, 6.0, 73), np.linspace(8.0, 90.0, 24)])))


@lru_cache(maxsize=1)
def _columns() -> NDArray[np.float64]:
    """(heights, sines, 3) column amounts to the top; huge where the Earth is in the way."""
    h, s = np.meshgrid(HEIGHTS, SINES, indexing="ij")
    length = _to_top(h, s)
    share = (np.arange(96) + 0.5) / 96.0
    # Steps grow with the distance: the air is dense at the near end or at the lowest point.
    way = length[..., None] * share
    r = EARTH_M + h[..., None]
    height = np.sqrt(r * r + way * way + 2.0 * r * way * s[..., None]) - EARTH_M
    amount = (_density(height) * (length / 96.0)[..., None, None]).sum(axis=2)
    r0 = EARTH_M + h
    lowest = np.where(s < 0.0, r0 * np.sqrt(1.0 - s * s) - EARTH_M, h)
    return np.where((lowest < 0.0)[..., None], 1e3, amount)


def _column(height_m: NDArray[np.float64], sine: NDArray[np.float64]) -> NDArray[np.float64]:
    """(..., 3) column amounts, between the table's places."""
    table = _columns()
    i = np.clip(np.searchsorted(HEIGHTS, height_m) - 1, 0, len(HEIGHTS) - 2)
    j = np.clip(np.searchsorted(SINES, sine) - 1, 0, len(SINES) - 2)
    u = np.clip((height_m - HEIGHTS[i]) / (HEIGHTS[i + 1] - HEIGHTS[i]), 0.0, 1.0)[..., None]
    v = np.clip((sine - SINES[j]) / (SINES[j + 1] - SINES[j]), 0.0, 1.0)[..., None]
    near = table[i, j] * (1.0 - v) + table[i, j + 1] * v
    far = table[i + 1, j] * (1.0 - v) + table[i + 1, j + 1] * v
    return np.asarray(near * (1.0 - u) + far * u)


def _phases(cosine: NDArray[np.float64]) -> tuple[NDArray[np.float64], NDArray[np.float64]]:
    """Phase functions of molecules and haze [1/sr]. Source: Rayleigh; Henyey, Greenstein 1941."""
    g = HAZE_G
    haze = (1.0 - g * g) / (4.0 * np.pi * (1.0 + g * g - 2.0 * g * cosine) ** 1.5)
    return 3.0 / (16.0 * np.pi) * (1.0 + cosine**2), haze


def scattered_colour(sun_deg: float, elevation_deg: Floats, off_sun_deg: Floats) -> NDArray[np.float64]:
    """(H, A, 3) RGB of the sky of a clear day or twilight, scattered once; in no unit.

    sun_deg       : geometric elevation of the sun
    elevation_deg : (H,) elevations looked at, above 0
    off_sun_deg   : (A,) azimuths looked at, from the sun's
    """
    elevation, off = np.radians(elevation_deg), np.radians(off_sun_deg)
    sun = np.radians(sun_deg)
    sine = np.sin(elevation)[:, None]
    length = np.minimum(_to_top(np.zeros_like(sine), sine), 600_000.0)
    edges = np.linspace(0.0, 1.0, STEPS + 1) ** 2
    way = length * (0.5 * (edges[1:] + edges[:-1]))  # (H, S)
    piece = length * np.diff(edges)
    distance = np.sqrt(EARTH_M**2 + way**2 + 2.0 * EARTH_M * way * sine)
    height = distance - EARTH_M
    density = _density(height)  # (H, S, 3)
    passed = np.cumsum(density * piece[..., None], axis=1) - 0.5 * density * piece[..., None]
    toward = np.cos(elevation)[:, None] * np.cos(off) * np.cos(sun) + sine * np.sin(sun)  # (H, A)
    # Sine of the sun's elevation at each place along the way.
    there = (EARTH_M * np.sin(sun) + way[:, None] * toward[..., None]) / distance[:, None]  # (H, A, S)
    column = _column(np.broadcast_to(height[:, None], there.shape), there)
    depth = (column + passed[:, None]) @ optical_depths()  # (H, A, S, 16)
    light = np.exp(-np.minimum(depth, 80.0))
    amount = density * piece[..., None]
    molecules, haze = _phases(toward)
    power = optical_depths()
    sums = np.einsum("hask,hsc->hack", light, amount[..., :2])
    scattered = sums[:, :, 0] * molecules[..., None] * power[0] + sums[:, :, 1] * haze[..., None] * power[1]
    return luminous_rgb(scattered * sun_weights())
