"""The sky that a far light makes in the air: scattered once, and over and over again.

Spherical air; transmittance from columns (physics.sky_air), a table of what is scattered more
than once by height and sun, and the sky as it is seen from the level, by elevation and azimuth
from the sun. Source: Hillaire 2020, "A Scalable and Production Ready Sky and Atmosphere
Rendering Technique"; its isotropic closure for the second and all further scatterings.
Eight bands of two of `spectrum`'s wavelengths each; luminous at the end.
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
# What is seen: elevations denser toward the horizon, azimuths from the sun's.
ELEVATIONS = 90.0 * np.linspace(0.03, 1.0, 26) ** 2
OFF_SUN = np.linspace(0.0, 180.0, 13)
STEPS = 24
# Under this height of the sun its sky changes fast [deg].
FINE_BELOW_DEG = 10.0
# What is scattered again, by height and the sun's sine there.
AGAIN_HEIGHTS = 60_000.0 * np.linspace(0.0, 1.0, 12) ** 2
AGAIN_SINES = np.sin(
    np.radians(np.concatenate([np.linspace(-20.0, 12.0, 17), [20.0, 32.0, 48.0, 66.0, 90.0]]))
)
AGAIN_WAYS, AGAIN_STEPS = 24, 10
# A coarser look, for sums alone.
COARSE_ELEVATIONS, COARSE_OFF = np.array([1.5, 5.0, 12.0, 24.0, 42.0, 62.0, 80.0]), np.linspace(0.0, 180.0, 7)


@lru_cache(maxsize=16)
def _depths(air: SkyAir) -> NDArray[np.float32]:
    """(3, BANDS) vertical optical depth from the sea up."""
    return optical_depths(air).reshape(3, BANDS, 2).mean(axis=2).astype(np.float32)


@lru_cache(maxsize=1)
def _to_rgb() -> NDArray[np.float64]:
    """(BANDS, 3) from transport of a band to linear sRGB of a sun of luminance 1 outside the air."""
    bands = np.repeat(np.eye(BANDS), 2, axis=1)
    return raw_rgb(bands * sun_weights())


def _kept(columns: Floats, air: SkyAir) -> NDArray[np.float32]:
    """(..., BANDS) what is left of light after column amounts (..., 3)."""
    depth = columns.astype(np.float32) @ _depths(air)
    return np.asarray(np.exp(-np.minimum(depth, np.float32(80.0))))


def _scattering(air: SkyAir) -> tuple[NDArray[np.float32], NDArray[np.float32]]:
    """(BANDS,) what molecules and haze scatter, over their density."""
    depths = _depths(air)
    return depths[0], depths[1] * np.float32(HAZE_ALBEDO)


def _sphere(count: int) -> NDArray[np.float64]:
    """(N, 3) directions spread evenly, by the golden angle."""
    height = 1.0 - 2.0 * (np.arange(count) + 0.5) / count
    around = np.pi * (1.0 + 5.0**0.5) * np.arange(count)
    flat = np.sqrt(1.0 - height**2)
    return np.stack([flat * np.cos(around), height, flat * np.sin(around)], axis=1)


def multiple_scattering_table(air: SkyAir) -> NDArray[np.float64]:
    """(heights, sines, BANDS) light that arrives scattered already, as a mean over all
    directions [cd/m2 for 1 lx outside the air], with what the ground sends back."""
    return _multiple_scattering_table(replace(air, forwardness=0.0, height_m=0.0))


@lru_cache(maxsize=32)
def _multiple_scattering_table(air: SkyAir) -> NDArray[np.float64]:
    """Scattered evenly, whichever way haze sends it; heights are over the sea."""
    h, s, w = np.meshgrid(AGAIN_HEIGHTS, AGAIN_SINES, np.arange(AGAIN_WAYS), indexing="ij")
    ways = _sphere(AGAIN_WAYS)
    up = ways[w, 1]
    r = EARTH_M + h
    below = r * r * (up * up - 1.0) + EARTH_M**2
    to_ground = -r * up - np.sqrt(np.maximum(below, 0.0))
    grounded = (below > 0.0) & (up < 0.0)
    length = np.where(grounded, np.maximum(to_ground, 0.0), np.minimum(to_top(h, up), FARTHEST_M))
    edges = np.linspace(0.0, 1.0, AGAIN_STEPS + 1) ** 2
    along = length[..., None] * (0.5 * (edges[1:] + edges[:-1]))
    piece = length[..., None] * np.diff(edges)
    distance = np.sqrt(r[..., None] ** 2 + along**2 + 2.0 * r[..., None] * along * up[..., None])
    # The sun stands in the plane of x; what is far along the way sees it higher or lower.
    toward = ways[w, 0] * np.sqrt(1.0 - s * s) + up * s
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
    """(..., BANDS) of `multiple_scattering_table` between its places."""
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
    """(3, E, A, 3) light by molecules and haze without their phase functions, and scattered again;
    linear sRGB for a sun of 1 lx outside the air, not clipped."""
    elevation, off, sun = np.radians(elevation_deg), np.radians(off_deg), np.radians(sun_deg)
    sine = np.sin(elevation)[:, None]
    start = EARTH_M + air.height_m
    length = np.minimum(to_top(np.full_like(sine, air.height_m), sine), FARTHEST_M)
    edges = np.linspace(0.0, 1.0, STEPS + 1) ** 2
    way = length * (0.5 * (edges[1:] + edges[:-1]))  # (E, S)
    piece = length * np.diff(edges)
    distance = np.sqrt(start**2 + way**2 + 2.0 * start * way * sine)
    height = distance - EARTH_M
    density = densities(height)  # (E, S, 3)
    passed = np.cumsum(density * piece[..., None], axis=1) - 0.5 * density * piece[..., None]
    toward = np.cos(elevation)[:, None] * np.cos(off) * np.cos(sun) + sine * np.sin(sun)  # (E, A)
    # Sine of the sun's elevation at each place along the way.
    there = (start * np.sin(sun) + way[:, None] * toward[..., None]) / distance[:, None]  # (E, A, S)
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
    """Phase functions of molecules and haze [1/sr]. Source: Rayleigh; Henyey, Greenstein 1941."""
    haze = (1.0 - g * g) / (4.0 * np.pi * (1.0 + g * g - 2.0 * g * cosine) ** 1.5)
    return 3.0 / (16.0 * np.pi) * (1.0 + np.asarray(cosine) ** 2), haze


@lru_cache(maxsize=512)
def _view_at(air: SkyAir, sun_deg: float) -> NDArray[np.float64]:
    return _sums(air, sun_deg, ELEVATIONS, OFF_SUN)


def _view(air: SkyAir, sun_deg: float) -> NDArray[np.float64]:
    """What is seen from the level, between sun heights that are kept; `air` without its
    forwardness, which no sum needs."""
    step = 0.5 if sun_deg < FINE_BELOW_DEG else 2.0
    low = float(np.floor(sun_deg / step) * step)
    share = (sun_deg - low) / step
    if share < 1e-9:
        return _view_at(air, low)
    return _view_at(air, low) * (1.0 - share) + _view_at(air, low + step) * share


@lru_cache(maxsize=1)
def _rows() -> tuple[NDArray[np.int64], NDArray[np.float64]]:
    """Row of the table below each row of a dome, and the share of the next."""
    directions, _ = dome_directions()
    elevation = np.degrees(np.arcsin(directions[:, 0, 1]))
    row = np.clip(np.searchsorted(ELEVATIONS, elevation) - 1, 0, len(ELEVATIONS) - 2)
    share = (elevation - ELEVATIONS[row]) / (ELEVATIONS[row + 1] - ELEVATIONS[row])
    return row, np.clip(share, 0.0, 1.0)


def _spread(sums: NDArray[np.float64], azimuth_rad: float) -> NDArray[np.float32]:
    """(3, H, 3, W) of the table's sums over a dome, for a sun at an azimuth: kind, row, R G B, column."""
    row, share = _rows()
    width, count = dome_directions()[1].shape[1], len(OFF_SUN)
    rows = sums[:, row] * (1.0 - share)[:, None, None] + sums[:, row + 1] * share[:, None, None]
    columns = np.arange(width)
    off = np.abs(((columns + 0.5) / width * 360.0 - np.degrees(azimuth_rad) + 180.0) % 360.0 - 180.0)
    at = off / 180.0 * (count - 1)
    low = np.minimum(at.astype(int), count - 2)
    # Columns between those of the table, as one product of matrices.
    between = np.zeros((count, width), np.float32)
    between[low, columns], between[low + 1, columns] = 1.0 - (at - low), at - low
    flat = np.moveaxis(rows, 3, 2).astype(np.float32).reshape(-1, count)
    return np.asarray((flat @ between).reshape(3, len(row), 3, width))


def atmosphere_dome(direction: Floats, elevation_deg: float, air: SkyAir) -> NDArray[np.float64]:
    """(H, W, 3) the sky that a far light of 1 lx outside the air makes [cd/m2].

    direction     : (3,) unit, to the light
    elevation_deg : its geometric elevation
    """
    directions, _ = dome_directions()
    azimuth = float(np.arctan2(direction[0], -direction[2]))
    by_molecules, by_haze, multiple = _spread(_view(replace(air, forwardness=0.0), elevation_deg), azimuth)
    molecules, haze = _phases(directions @ np.asarray(direction), air.forwardness)
    out = by_molecules * molecules[:, None] + by_haze * haze[:, None] + multiple
    return np.ascontiguousarray(np.moveaxis(np.maximum(out, 0.0), 1, 2))


@lru_cache(maxsize=8192)
def ground_illuminance(elevation_deg: float, air: SkyAir) -> float:
    """Illuminance of open, level ground by the sky that a far light of 1 lx outside the air
    makes, by a coarser look [lx]."""
    sums = _sums(air, elevation_deg, COARSE_ELEVATIONS, COARSE_OFF) @ LUMINANCE_WEIGHTS
    elevation, off, sun = np.radians(COARSE_ELEVATIONS), np.radians(COARSE_OFF), np.radians(elevation_deg)
    toward = np.cos(elevation)[:, None] * np.cos(off) * np.cos(sun) + np.sin(elevation)[:, None] * np.sin(sun)
    molecules, haze = _phases(toward, air.forwardness)
    seen = np.maximum(sums[0] * molecules + sums[1] * haze + sums[2], 0.0)
    ring = np.trapezoid(seen, off, axis=1) * 2.0
    ends = np.radians([0.0, *(0.5 * (COARSE_ELEVATIONS[1:] + COARSE_ELEVATIONS[:-1])), 90.0])
    return float((ring * 0.5 * np.diff(np.sin(ends) ** 2)).sum())
