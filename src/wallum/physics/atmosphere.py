"""Clear sky by single and multiple scattering in a spherical atmosphere.

Transmittance comes from column amounts (physics.sky_air). Multiple scattering is a table over height and sun
elevation. The sky view is a table over elevation and azimuth relative to the sun. Eight bands, each of two of
`spectrum`'s wavelengths, are converted to luminous linear sRGB at the end.

Source: Hillaire 2020, "A Scalable and Production Ready Sky and Atmosphere Rendering Technique", with its
isotropic closure for the second and all further orders of scattering.
"""

from dataclasses import replace
from functools import lru_cache

import numpy as np
from numpy.typing import NDArray

from wallum.physics.arrays import Floats
from wallum.physics.colour import LUMINANCE_WEIGHTS
from wallum.physics.dome import dome_directions
from wallum.physics.sky_air import EARTH_M, SkyAir, columns_to_top, densities, optical_depths, to_top
from wallum.physics.spectrum import raw_rgb, sun_weights

__all__ = ["atmosphere_dome", "ground_illuminance", "multiple_scattering_table"]

BANDS = 8
# Share of light that haze scatters and does not swallow.
HAZE_ALBEDO = 0.92
FARTHEST_M = 600_000.0
# Sky view table: elevations denser toward the horizon, azimuths relative to the sun.
ELEVATIONS = 90.0 * np.linspace(0.03, 1.0, 26) ** 2
OFF_SUN = np.linspace(0.0, 180.0, 13)
STEPS = 24
# Below this elevation of the sun the sky changes fast [deg].
FINE_BELOW_DEG = 10.0
# Axes of the multiple scattering table: height [m], and sine of the sun's elevation there.
AGAIN_HEIGHTS = 60_000.0 * np.linspace(0.0, 1.0, 12) ** 2
AGAIN_SINES = np.sin(
    np.radians(np.concatenate([np.linspace(-20.0, 12.0, 17), [20.0, 32.0, 48.0, 66.0, 90.0]]))
)
AGAIN_WAYS, AGAIN_STEPS = 24, 10
# Coarse axes, for illuminance only.
COARSE_ELEVATIONS, COARSE_OFF = np.array([1.5, 5.0, 12.0, 24.0, 42.0, 62.0, 80.0]), np.linspace(0.0, 180.0, 7)


@lru_cache(maxsize=16)
def _depths(air: SkyAir) -> NDArray[np.float32]:
    """Vertical optical depth from sea level to space, by species and band.

    Returns (3, BANDS) float32: molecules, haze, ozone.
    """
    return optical_depths(air).reshape(3, BANDS, 2).mean(axis=2).astype(np.float32)


@lru_cache(maxsize=1)
def _to_rgb() -> NDArray[np.float64]:
    """Matrix from band transport to linear sRGB.

    Returns (BANDS, 3), for a sun of luminance 1 outside the atmosphere.
    """
    bands = np.repeat(np.eye(BANDS), 2, axis=1)
    return raw_rgb(bands * sun_weights())


def _kept(columns: Floats, air: SkyAir) -> NDArray[np.float32]:
    """Transmittance by Beer's law.

    columns : (..., 3) column amounts of molecules, haze and ozone, relative to a vertical column
    Returns (..., BANDS) float32 [-].
    """
    depth = columns.astype(np.float32) @ _depths(air)
    return np.asarray(np.exp(-np.minimum(depth, np.float32(80.0))))


def _scattering(air: SkyAir) -> tuple[NDArray[np.float32], NDArray[np.float32]]:
    """Scattering coefficients of molecules and haze, relative to their densities.

    Returns two (BANDS,) float32.
    """
    depths = _depths(air)
    return depths[0], depths[1] * np.float32(HAZE_ALBEDO)


def _sphere(count: int) -> NDArray[np.float64]:
    """Directions spread evenly over the sphere by the golden angle (Fibonacci lattice).

    Returns (count, 3) unit vectors.
    """
    height = 1.0 - 2.0 * (np.arange(count) + 0.5) / count
    around = np.pi * (1.0 + 5.0**0.5) * np.arange(count)
    flat = np.sqrt(1.0 - height**2)
    return np.stack([flat * np.cos(around), height, flat * np.sin(around)], axis=1)


def multiple_scattering_table(air: SkyAir) -> NDArray[np.float64]:
    """Mean luminance of light that has already been scattered, ground reflection included.

    air : the atmosphere; its forwardness and its base height do not count
    Returns (heights, sines, BANDS) [cd/m2 for 1 lx outside the atmosphere], over AGAIN_HEIGHTS [m] and
    AGAIN_SINES, the sine of the sun's elevation.
    """
    return _multiple_scattering_table(replace(air, forwardness=0.0, height_m=0.0))


@lru_cache(maxsize=32)
def _multiple_scattering_table(air: SkyAir) -> NDArray[np.float64]:
    """The table for isotropic scattering; heights are above sea level.

    Source: Hillaire 2020, equations 5 to 10: the second order is integrated, all further orders are a
    geometric
    series.
    """
    h, s, w = np.meshgrid(AGAIN_HEIGHTS, AGAIN_SINES, np.arange(AGAIN_WAYS), indexing="ij")
    sphere = _sphere(AGAIN_WAYS)
    up = sphere[w, 1]
    r = EARTH_M + h
    below = r * r * (up * up - 1.0) + EARTH_M**2
    to_ground = -r * up - np.sqrt(np.maximum(below, 0.0))
    grounded = (below > 0.0) & (up < 0.0)
    length = np.where(grounded, np.maximum(to_ground, 0.0), np.minimum(to_top(h, up), FARTHEST_M))
    edges = np.linspace(0.0, 1.0, AGAIN_STEPS + 1) ** 2
    along = length[..., None] * (0.5 * (edges[1:] + edges[:-1]))
    piece = length[..., None] * np.diff(edges)
    distance = np.sqrt(r[..., None] ** 2 + along**2 + 2.0 * r[..., None] * along * up[..., None])
    # The sun lies in the x-y plane. Farther along the ray its elevation differs: the Earth is round.
    toward = sphere[w, 0] * np.sqrt(1.0 - s * s) + up * s
    there = (r[..., None] * s[..., None] + along * toward[..., None]) / distance
    height = np.maximum(distance - EARTH_M, 0.0)
    density = densities(height)
    passed = np.cumsum(density * piece[..., None], axis=-2) - 0.5 * density * piece[..., None]
    lit = _kept(columns_to_top(height, there), air)
    selected = _kept(passed, air)
    molecules, haze = _scattering(air)
    amount = (density * piece[..., None]).astype(np.float32)
    scattered = (amount[..., :1] * molecules + amount[..., 1:2] * haze) * selected
    once = (scattered * lit).sum(axis=-2) / (4.0 * np.pi)
    end = _kept(passed[..., -1, :] + 0.5 * density[..., -1, :] * piece[..., -1:], air)
    at_end = (r * s + length * toward) / np.maximum(distance[..., -1], EARTH_M)
    sun_there = _kept(columns_to_top(np.zeros_like(at_end), at_end), air) * np.maximum(at_end, 0.0)[..., None]
    once = once + np.where(grounded[..., None], end * sun_there * air.albedo / np.pi, 0.0)
    share = scattered.sum(axis=-2) + np.where(grounded[..., None], end * air.albedo, 0.0)
    return np.asarray(once.mean(axis=2) / (1.0 - np.minimum(share.mean(axis=2), 0.98)))


def _multiple_scattering(air: SkyAir, height_m: Floats, sine: Floats) -> NDArray[np.float32]:
    """Bilinear lookup in `multiple_scattering_table`.

    height_m : (...,) above sea level [m]
    sine     : (...,) sine of the sun's elevation
    Returns (..., BANDS) float32.
    """
    table = multiple_scattering_table(air).astype(np.float32)
    at = np.sqrt(np.clip(height_m / AGAIN_HEIGHTS[-1], 0.0, 1.0)) * (len(AGAIN_HEIGHTS) - 1)
    i = np.minimum(at.astype(int), len(AGAIN_HEIGHTS) - 2)
    u = (at - i)[..., None].astype(np.float32)
    j = np.clip(np.searchsorted(AGAIN_SINES, sine) - 1, 0, len(AGAIN_SINES) - 2)
    v = np.clip((sine - AGAIN_SINES[j]) / (AGAIN_SINES[j + 1] - AGAIN_SINES[j]), 0.0, 1.0)
    v = v[..., None].astype(np.float32)
    flat, width = table.reshape(-1, BANDS), len(AGAIN_SINES)
    at_low = i * width + j
    low = flat.take(at_low, 0) * (1.0 - v) + flat.take(at_low + 1, 0) * v
    high = flat.take(at_low + width, 0) * (1.0 - v) + flat.take(at_low + width + 1, 0) * v
    return np.asarray(low * (1.0 - u) + high * u)


def _sums(air: SkyAir, sun_deg: float, elevation_deg: Floats, off_deg: Floats) -> NDArray[np.float64]:
    """Sky view integrals without phase functions, so that these can change without a new integration.

    sun_deg                : elevation of the sun
    elevation_deg, off_deg : (E,) and (A,) elevation, and azimuth relative to the sun
    Returns (3, E, A, 3): molecules, haze, multiple scattering; linear sRGB for a sun of 1 lx outside the
    atmosphere, not clipped to the gamut.
    """
    elevation, off, sun = np.radians(elevation_deg), np.radians(off_deg), np.radians(sun_deg)
    sine = np.sin(elevation)[:, None]
    start = EARTH_M + air.height_m
    length = np.minimum(to_top(np.full_like(sine, air.height_m), sine), FARTHEST_M)
    edges = np.linspace(0.0, 1.0, STEPS + 1) ** 2
    direction = length * (0.5 * (edges[1:] + edges[:-1]))  # (E, S)
    piece = length * np.diff(edges)
    distance = np.sqrt(start**2 + direction**2 + 2.0 * start * direction * sine)
    height = distance - EARTH_M
    density = densities(height)  # (E, S, 3)
    passed = np.cumsum(density * piece[..., None], axis=1) - 0.5 * density * piece[..., None]
    toward = np.cos(elevation)[:, None] * np.cos(off) * np.cos(sun) + sine * np.sin(sun)  # (E, A)
    # Sine of the sun's elevation at each place along the way.
    there = (start * np.sin(sun) + direction[:, None] * toward[..., None]) / distance[:, None]  # (E, A, S)
    heights = np.broadcast_to(height[:, None], there.shape)
    selected = _kept(passed, air)[:, None]  # (E, 1, S, BANDS)
    lit = _kept(columns_to_top(heights, there), air) * selected
    amount = (density * piece[..., None]).astype(np.float32)
    molecules, haze = _scattering(air)
    once = np.einsum("easb,esc->ceab", lit, amount[..., :2])
    weight = amount[:, None, :, :1] * molecules + amount[:, None, :, 1:2] * haze
    multiple = (_multiple_scattering(air, heights, there) * selected * weight).sum(axis=2)
    return np.stack([once[0] * molecules, once[1] * haze, multiple]) @ _to_rgb()


def _phases(cosine: Floats, g: float) -> tuple[NDArray[np.float64], NDArray[np.float64]]:
    """Phase functions of molecules and haze.

    cosine : (...,) of the scattering angle
    g      : Henyey-Greenstein asymmetry of haze
    Returns two (...,) [1/sr]. Source: Rayleigh; Henyey and Greenstein 1941.
    """
    haze = (1.0 - g * g) / (4.0 * np.pi * (1.0 + g * g - 2.0 * g * cosine) ** 1.5)
    return 3.0 / (16.0 * np.pi) * (1.0 + np.asarray(cosine) ** 2), haze


@lru_cache(maxsize=512)
def _view_at(air: SkyAir, sun_deg: float) -> NDArray[np.float64]:
    """Cached sky view table at one of the tabulated sun elevations."""
    return _sums(air, sun_deg, ELEVATIONS, OFF_SUN)


def _view(air: SkyAir, sun_deg: float) -> NDArray[np.float64]:
    """Sky view table between tabulated sun elevations.


    The steps are 0.5 degrees below FINE_BELOW_DEG and 2 degrees above. `air` must come without its
    forwardness:
    no integral depends on it, and it would split the cache.
    """
    step = 0.5 if sun_deg < FINE_BELOW_DEG else 2.0
    low = float(np.floor(sun_deg / step) * step)
    share = (sun_deg - low) / step
    if share < 1e-9:
        return _view_at(air, low)
    return _view_at(air, low) * (1.0 - share) + _view_at(air, low + step) * share


@lru_cache(maxsize=1)
def _rows() -> tuple[NDArray[np.int64], NDArray[np.float64]]:
    """Rows of the sky view table for each row of a dome.

    Returns the row below (H,), and the weight of the next row (H,) [-].
    """
    directions, _ = dome_directions()
    elevation = np.degrees(np.arcsin(directions[:, 0, 1]))
    row = np.clip(np.searchsorted(ELEVATIONS, elevation) - 1, 0, len(ELEVATIONS) - 2)
    share = (elevation - ELEVATIONS[row]) / (ELEVATIONS[row + 1] - ELEVATIONS[row])
    return row, np.clip(share, 0.0, 1.0)


def _spread(sums: NDArray[np.float64], azimuth_rad: float) -> NDArray[np.float32]:
    """Interpolate a sky view table over a dome.

    sums        : (3, E, A, 3) from `_sums`
    azimuth_rad : of the sun
    Returns (3, H, 3, W) float32: species, row, RGB, column.
    """
    row, share = _rows()
    width, count = dome_directions()[1].shape[1], len(OFF_SUN)
    rows = sums[:, row] * (1.0 - share)[:, None, None] + sums[:, row + 1] * share[:, None, None]
    columns = np.arange(width)
    off = np.abs(((columns + 0.5) / width * 360.0 - np.degrees(azimuth_rad) + 180.0) % 360.0 - 180.0)
    at = off / 180.0 * (count - 1)
    low = np.minimum(at.astype(int), count - 2)
    # Interpolation between columns as one matrix product.
    between = np.zeros((count, width), np.float32)
    between[low, columns], between[low + 1, columns] = 1.0 - (at - low), at - low
    flat = np.moveaxis(rows, 3, 2).astype(np.float32).reshape(-1, count)
    return np.asarray((flat @ between).reshape(3, len(row), 3, width))


def atmosphere_dome(direction: Floats, elevation_deg: float, air: SkyAir) -> NDArray[np.float64]:
    """Luminance of the clear sky lit by one far light.

    direction     : (3,) unit vector to the light
    elevation_deg : its geometric elevation [deg]
    air           : the atmosphere
    Returns (H, W, 3) [cd/m2 for 1 lx outside the atmosphere].
    Source: Hillaire 2020; see the module.
    """
    directions, _ = dome_directions()
    azimuth = float(np.arctan2(direction[0], -direction[2]))
    by_molecules, by_haze, multiple = _spread(_view(replace(air, forwardness=0.0), elevation_deg), azimuth)
    molecules, haze = _phases(directions @ np.asarray(direction), air.forwardness)
    out = by_molecules * molecules[:, None] + by_haze * haze[:, None] + multiple
    return np.ascontiguousarray(np.moveaxis(np.maximum(out, 0.0), 1, 2))


@lru_cache(maxsize=8192)
def ground_illuminance(elevation_deg: float, air: SkyAir) -> float:
    """Illuminance of open, level ground by the clear sky alone, from a coarse table.

    elevation_deg : geometric elevation of the light [deg]
    Returns lx for 1 lx outside the atmosphere.
    """
    sums = _sums(air, elevation_deg, COARSE_ELEVATIONS, COARSE_OFF) @ LUMINANCE_WEIGHTS
    elevation, off, sun = np.radians(COARSE_ELEVATIONS), np.radians(COARSE_OFF), np.radians(elevation_deg)
    toward = np.cos(elevation)[:, None] * np.cos(off) * np.cos(sun) + np.sin(elevation)[:, None] * np.sin(sun)
    molecules, haze = _phases(toward, air.forwardness)
    seen = np.maximum(sums[0] * molecules + sums[1] * haze + sums[2], 0.0)
    ring = np.trapezoid(seen, off, axis=1) * 2.0
    ends = np.radians([0.0, *(0.5 * (COARSE_ELEVATIONS[1:] + COARSE_ELEVATIONS[:-1])), 90.0])
    return float((ring * 0.5 * np.diff(np.sin(ends) ** 2)).sum())
