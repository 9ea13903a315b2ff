"""A panorama as a sky: turned, set to its horizon, its sun found and taken out.

A panorama is equirectangular, (H, W, 3) linear: rows from the zenith down to the nadir,
columns clockwise with north (-Z) in the middle.
"""

from dataclasses import dataclass

import numpy as np
from numpy.typing import NDArray

from wallum.physics.arrays import Floats
from wallum.physics.colour import LUMINANCE_WEIGHTS
from wallum.physics.dome import dome_directions

__all__ = [
    "PanoramaSun",
    "PanoramaView",
    "contrasted",
    "find_sun",
    "panorama_dome",
    "panorama_ground",
    "panorama_light",
    "without_sun",
]

# A sun is looked for this far about the brightest place, and its surroundings out to here [deg].
SUN_DEG, AROUND_DEG = 1.5, 4.0
# A place this much brighter than what is around it is a sun.
STANDS_OUT = 8.0


@dataclass(frozen=True)
class PanoramaSun:
    """Where the sun stands in a panorama [deg], and what it alone gives facing it, RGB [the
    panorama's unit times sr]."""

    azimuth: float
    elevation: float
    energy: tuple[float, float, float]


@dataclass(frozen=True)
class PanoramaView:
    """How a panorama stands as a sky.

    turn_deg    : clockwise, seen from above
    horizon_deg : elevation in the panorama of what becomes the horizon; heights between it and
                  the zenith are drawn out evenly
    contrast, middle : power that luminance over a middle [the panorama's unit] is raised to
    gain, added : what that is multiplied with, and RGB that lies over it [cd/m2]
    """

    turn_deg: float
    horizon_deg: float
    contrast: float = 1.0
    middle: float = 1.0
    gain: float = 1.0
    added: tuple[float, float, float] = (0.0, 0.0, 0.0)


def _angles(shape: tuple[int, ...]) -> tuple[NDArray[np.float64], NDArray[np.float64]]:
    """(H,) elevations and (W,) azimuths of a panorama's cells [rad]."""
    height, width = shape[:2]
    elevation = np.pi * (0.5 - (np.arange(height) + 0.5) / height)
    azimuth = 2.0 * np.pi * ((np.arange(width) + 0.5) / width - 0.5)
    return elevation, azimuth


def _solid(shape: tuple[int, ...]) -> NDArray[np.float64]:
    """(H, 1) solid angle of each cell of a row [sr]."""
    height, width = shape[:2]
    edges = np.sin(np.pi * (0.5 - np.arange(height + 1) / height))
    return ((edges[:-1] - edges[1:]) * 2.0 * np.pi / width)[:, None]


@dataclass(frozen=True)
class _SunDisc:
    """A sun's disc in a panorama: rows and columns (N,), their directions (N, 3), and the light
    around it (3,)."""

    rows: NDArray[np.int64]
    columns: NDArray[np.int64]
    ways: NDArray[np.float64]
    around: NDArray[np.float64]


def _near(panorama: Floats) -> _SunDisc | None:
    """What stands out as a sun; None where nothing does. Only rows near the brightest are looked at."""
    weights = LUMINANCE_WEIGHTS.astype(panorama.dtype)
    grey = panorama @ weights
    row, column = divmod(int(np.argmax(grey)), grey.shape[1])
    elevation, azimuth = _angles(panorama.shape)
    reach = int(np.ceil(AROUND_DEG / 180.0 * len(elevation))) + 1
    first, last = max(row - reach, 0), min(row + reach + 1, len(elevation))
    el, az = elevation[first:last, None], azimuth[None, :]
    cosine = np.sin(el) * np.sin(elevation[row]) + np.cos(el) * np.cos(elevation[row]) * np.cos(
        az - azimuth[column]
    )
    ring = (cosine <= np.cos(np.radians(SUN_DEG))) & (cosine >= np.cos(np.radians(AROUND_DEG)))
    if not ring.any():
        return None
    around = np.median(panorama[first:last][ring], axis=0).astype(np.float64)
    level = float(around @ LUMINANCE_WEIGHTS)
    if grey[row, column] <= STANDS_OUT * max(level, 1e-9):
        return None
    rows, columns = np.nonzero((cosine > np.cos(np.radians(SUN_DEG))) & (grey[first:last] > 2.0 * level))
    rows = rows + first
    flat = np.cos(elevation[rows])
    parts = (flat * np.sin(azimuth[columns]), np.sin(elevation[rows]), -flat * np.cos(azimuth[columns]))
    return _SunDisc(rows, columns, np.stack(parts, axis=1), around)


def find_sun(panorama: Floats) -> PanoramaSun | None:
    """The sun in a panorama (H, W, 3) [cd/m2]; None where no place stands out from what is around it."""
    near = _near(np.asarray(panorama))
    if near is None:
        return None
    disc = np.asarray(panorama)[near.rows, near.columns].astype(np.float64)
    excess = np.maximum(disc - near.around, 0.0) * _solid(panorama.shape)[near.rows]
    weight = excess @ LUMINANCE_WEIGHTS
    x, y, z = (near.ways * weight[:, None]).sum(axis=0)
    elevation = np.degrees(np.arctan2(y, np.hypot(x, z)))
    energy = excess.sum(axis=0)
    azimuth = float(np.degrees(np.arctan2(x, -z)) % 360.0)
    return PanoramaSun(azimuth, float(elevation), (float(energy[0]), float(energy[1]), float(energy[2])))


def without_sun(panorama: Floats) -> Floats:
    """A panorama (H, W, 3) [cd/m2] whose sun is filled in from around it."""
    out = np.array(panorama)
    near = _near(out)
    if near is not None:
        out[near.rows, near.columns] = near.around
    return out


def panorama_light(panorama: Floats, view: PanoramaView, directions: Floats) -> NDArray[np.float64]:
    """(N, 3) luminance of a panorama as a sky toward unit directions (N, 3), those below the
    horizon as on it [cd/m2]."""
    d = np.asarray(directions, dtype=np.float64)
    elevation = np.arcsin(np.clip(d[:, 1], 0.0, 1.0))
    start = np.radians(view.horizon_deg)
    there = start + elevation * (1.0 - start / (0.5 * np.pi))
    read = _read(panorama, there, np.arctan2(d[:, 0], -d[:, 2]) - np.radians(view.turn_deg))
    return contrasted(read, view.contrast, view.middle) * view.gain + np.array(view.added)


def contrasted(light: Floats, contrast: float, middle: float) -> NDArray[np.float64]:
    """(..., 3) light whose luminance over a middle is raised to a power, its colour kept."""
    if contrast == 1.0:
        return np.asarray(light, dtype=np.float64)
    grey = np.maximum(np.asarray(light, dtype=np.float64) @ LUMINANCE_WEIGHTS, 1e-9)
    return np.asarray(light * ((grey / middle) ** (contrast - 1.0))[..., None])


def _read(panorama: Floats, elevation_rad: Floats, azimuth_rad: Floats) -> NDArray[np.float64]:
    """(..., 3) between cells: around in azimuth, held at the poles."""
    height, width = panorama.shape[:2]
    y = np.clip((0.5 - elevation_rad / np.pi) * height - 0.5, 0.0, height - 1.0)
    x = (azimuth_rad / (2.0 * np.pi) + 0.5) * width - 0.5
    top, left = np.minimum(y.astype(int), height - 2), np.floor(x).astype(int)
    b, a = (y - top)[..., None], (x - left)[..., None]
    x0, x1 = left % width, (left + 1) % width
    upper = panorama[top, x0] * (1.0 - a) + panorama[top, x1] * a
    lower = panorama[top + 1, x0] * (1.0 - a) + panorama[top + 1, x1] * a
    return np.asarray(upper * (1.0 - b) + lower * b)


def panorama_dome(
    panorama: Floats, turn_deg: float, horizon_deg: float, size: tuple[int, int], finer: int = 1
) -> NDArray[np.float64]:
    """(H, W, 3) the upper half of a panorama as a dome, in its own unit.

    turn_deg    : clockwise, seen from above
    horizon_deg : elevation in the panorama of what becomes the horizon; heights between it and
                  the zenith are drawn out evenly
    finer       : samples a cell, along each side
    """
    directions, _ = dome_directions(size[0] * finer, size[1] * finer)
    elevation = np.arcsin(np.clip(directions[:, 0, 1], -1.0, 1.0))
    azimuth = 2.0 * np.pi * (np.arange(size[1] * finer) + 0.5) / (size[1] * finer) - np.radians(turn_deg)
    start = np.radians(horizon_deg)
    there = start + elevation * (1.0 - start / (0.5 * np.pi))
    grid = np.broadcast_arrays(there[:, None], azimuth[None, :])
    read = _read(np.asarray(panorama), grid[0], grid[1])
    if finer == 1:
        return read
    solid = dome_directions(size[0] * finer, size[1] * finer)[1][..., None]
    shape = (size[0], finer, size[1], finer, -1)
    light, weight = (read * solid).reshape(shape), np.asarray(solid).reshape(shape)
    return np.asarray(light.sum(axis=(1, 3)) / weight.sum(axis=(1, 3)))


def panorama_ground(panorama: Floats, horizon_deg: float) -> NDArray[np.float64]:
    """(3,) mean luminance of what is below a panorama's horizon, in its own unit."""
    elevation, _ = _angles(panorama.shape)
    below = elevation < np.radians(horizon_deg)
    weight = np.broadcast_to(_solid(panorama.shape), panorama.shape[:2])[below][..., None]
    return np.asarray((panorama[below] * weight).sum(axis=(0, 1)) / weight.sum())
