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

__all__ = ["FoundSun", "find_sun", "panorama_dome", "panorama_ground", "without_sun"]

# A sun is looked for this far about the brightest place, and its surroundings out to here [deg].
SUN_DEG, AROUND_DEG = 1.5, 4.0
# A place this much brighter than what is around it is a sun.
STANDS_OUT = 8.0


@dataclass(frozen=True)
class FoundSun:
    """Where the sun stands in a panorama [deg], and what it alone gives facing it, RGB [the
    panorama's unit times sr]."""

    azimuth: float
    elevation: float
    energy: tuple[float, float, float]


def _angles(shape: tuple[int, ...]) -> tuple[NDArray[np.float64], NDArray[np.float64]]:
    """(H,) elevations and (W,) azimuths of a panorama's cells [rad]."""
    height, width = shape[:2]
    elevation = np.pi * (0.5 - (np.arange(height) + 0.5) / height)
    azimuth = 2.0 * np.pi * ((np.arange(width) + 0.5) / width - 0.5)
    return elevation, azimuth


def _directions(shape: tuple[int, ...]) -> NDArray[np.float64]:
    elevation, azimuth = _angles(shape)
    flat = np.cos(elevation)[:, None]
    parts = (flat * np.sin(azimuth), np.sin(elevation)[:, None], -flat * np.cos(azimuth))
    return np.stack(np.broadcast_arrays(*parts), axis=-1)


def _solid(shape: tuple[int, ...]) -> NDArray[np.float64]:
    """(H, 1) solid angle of each cell of a row [sr]."""
    height, width = shape[:2]
    edges = np.sin(np.pi * (0.5 - np.arange(height + 1) / height))
    return ((edges[:-1] - edges[1:]) * 2.0 * np.pi / width)[:, None]


def _near(panorama: Floats) -> tuple[NDArray[np.bool_], NDArray[np.float64], NDArray[np.float64]] | None:
    """Cells of a sun's disc, its direction, and the light around it; None where none stands out."""
    grey = panorama @ LUMINANCE_WEIGHTS
    row, column = np.unravel_index(int(np.argmax(grey)), grey.shape)
    ways = _directions(panorama.shape)
    cosine = ways @ ways[row, column]
    ring = (cosine <= np.cos(np.radians(SUN_DEG))) & (cosine >= np.cos(np.radians(AROUND_DEG)))
    if not ring.any():
        return None
    around = np.median(panorama[ring], axis=0)
    level = float(around @ LUMINANCE_WEIGHTS)
    if grey[row, column] <= STANDS_OUT * max(level, 1e-9):
        return None
    disc = (cosine > np.cos(np.radians(SUN_DEG))) & (grey > 2.0 * level)
    return disc, ways, around


def find_sun(panorama: Floats) -> FoundSun | None:
    """The sun in a panorama; None where no place stands out from what is around it."""
    found = _near(np.asarray(panorama, dtype=np.float64))
    if found is None:
        return None
    disc, ways, around = found
    excess = (
        np.maximum(panorama[disc] - around, 0.0)
        * np.broadcast_to(_solid(panorama.shape), disc.shape)[disc][:, None]
    )
    weight = excess @ LUMINANCE_WEIGHTS
    x, y, z = (ways[disc] * weight[:, None]).sum(axis=0)
    elevation = np.degrees(np.arctan2(y, np.hypot(x, z)))
    energy = excess.sum(axis=0)
    azimuth = float(np.degrees(np.arctan2(x, -z)) % 360.0)
    return FoundSun(azimuth, float(elevation), (float(energy[0]), float(energy[1]), float(energy[2])))


def without_sun(panorama: Floats) -> NDArray[np.float64]:
    """A panorama whose sun is filled in from around it."""
    out = np.array(panorama, dtype=np.float64)
    found = _near(out)
    if found is not None:
        disc, _, around = found
        out[disc] = around
    return out


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
