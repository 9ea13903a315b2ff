"""The plain sky dome, and light from any dome by direction.

The dome is a map of luminance, (H, W, 3) [cd/m2]: rows from the zenith down to the nadir,
columns clockwise from north (-Z). Spherical harmonics: Ramamoorthi, Hanrahan 2001,
"An Efficient Representation for Irradiance Environment Maps"; order 2, nine terms.
Twin of the evaluation: shaders/include/sky.glsl.
"""

import numpy as np
from numpy.typing import NDArray

from wallum.physics.arrays import Floats

__all__ = ["FACTORS", "dome_directions", "irradiance", "irradiance_terms", "plain_dome", "sample_dome"]

# How much brighter the horizon is than the zenith, and how fast it falls off.
HORIZON_GAIN, HORIZON_POWER = 2.2, 3.0
# Factors of the clamped cosine, by order: Ramamoorthi, Hanrahan 2001, eq. 8.
COSINE = np.array([np.pi, *[2.0 * np.pi / 3.0] * 3, *[np.pi / 4.0] * 5])


def dome_directions(height: int, width: int) -> tuple[NDArray[np.float64], NDArray[np.float64]]:
    """Unit directions (H, W, 3) of a dome's cells, and their solid angles (H, W) [sr]."""
    edges = np.linspace(0.0, np.pi, height + 1)
    polar = 0.5 * (edges[1:] + edges[:-1])
    azimuth = (np.arange(width) + 0.5) / width * 2.0 * np.pi
    flat = np.sin(polar)[:, None]
    directions = np.stack(
        np.broadcast_arrays(flat * np.sin(azimuth), np.cos(polar)[:, None], -flat * np.cos(azimuth)),
        axis=-1,
    )
    band = (np.cos(edges[:-1]) - np.cos(edges[1:])) * 2.0 * np.pi / width
    return directions, np.broadcast_to(band[:, None], (height, width))


def plain_dome(
    illuminance_lx: float, rgb: Floats, ground_rgb: Floats, height: int = 32, width: int = 64
) -> NDArray[np.float64]:
    """A dome, brighter toward the horizon, that gives level ground `illuminance_lx`.

    rgb        : (3,) of luminance 1, the sky's colour
    ground_rgb : (3,) luminance of the ground below the horizon [cd/m2]
    Returns (height, width, 3) [cd/m2].
    """
    directions, solid = dome_directions(height, width)
    up = directions[..., 1]
    shape = np.where(up > 0.0, 1.0 + HORIZON_GAIN * (1.0 - np.clip(up, 0, 1)) ** HORIZON_POWER, 0)
    total = float((shape * np.clip(up, 0.0, None) * solid).sum())
    # The zenith keeps more of its colour; the horizon is paler at the same luminance.
    pale = np.clip(1.0 - up, 0.0, 1.0)[..., None] ** 2 * 0.6
    tinted = np.asarray(rgb) * (1.0 - pale) + pale
    sky = (illuminance_lx / total) * shape[..., None] * tinted
    return np.where(up[..., None] > 0.0, sky, np.asarray(ground_rgb))


# Constant factors of the nine real harmonics, in the order of `_basis`.
FACTORS = np.array([0.282095, 0.488603, 0.488603, 0.488603, 1.092548, 1.092548, 0.315392, 1.092548, 0.546274])


def _basis(directions: Floats) -> NDArray[np.float64]:
    """(..., 9) real spherical harmonics of orders 0 to 2."""
    x, y, z = np.moveaxis(np.asarray(directions, dtype=np.float64), -1, 0)
    one = np.ones_like(x)
    plain = [one, y, z, x, x * y, y * z, 3.0 * z * z - 1.0, x * z, x * x - y * y]
    return np.stack(plain, axis=-1) * FACTORS


def irradiance_terms(dome: Floats) -> NDArray[np.float64]:
    """(9, 3) terms that `irradiance` sums: the dome's harmonics times the cosine's."""
    directions, solid = dome_directions(*dome.shape[:2])
    terms = np.einsum("hwk,hwc,hw->kc", _basis(directions), dome, solid)
    return terms * COSINE[:, None]


def irradiance(terms: Floats, normals: Floats) -> NDArray[np.float64]:
    """(N, 3) illuminance by channel of surfaces with unit normals (N, 3) [lx]."""
    return np.clip(_basis(normals) @ terms, 0.0, None)


def sample_dome(dome: Floats, directions: Floats) -> NDArray[np.float64]:
    """(N, 3) luminance toward unit directions (N, 3), the nearest cell's [cd/m2]."""
    height, width = dome.shape[:2]
    polar = np.arccos(np.clip(directions[:, 1], -1.0, 1.0))
    azimuth = np.arctan2(directions[:, 0], -directions[:, 2]) % (2.0 * np.pi)
    row = np.minimum((polar / np.pi * height).astype(int), height - 1)
    column = np.minimum((azimuth / (2.0 * np.pi) * width).astype(int), width - 1)
    return np.asarray(dome[row, column], dtype=np.float64)
