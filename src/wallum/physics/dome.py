"""Sky dome: a luminance map of the upper hemisphere, and its irradiance by spherical harmonics.

A dome is (H, W, 3) [cd/m2]. Rows run from the zenith to the horizon and are denser toward it: the elevation
is
90 degrees times (1 - t) squared. Columns run clockwise from north (-Z). Below the horizon lies far ground
of one
luminance (3,).

Source: Ramamoorthi and Hanrahan 2001, "An Efficient Representation for Irradiance Environment Maps"; order 2,
nine terms. GLSL twin of the evaluation: shaders/include/sky.glsl.
"""

from functools import lru_cache

import numpy as np
from numpy.typing import NDArray

from wallum.physics.arrays import Floats

__all__ = [
    "DOME_SIZE",
    "FACTORS",
    "dome_directions",
    "dome_illuminance",
    "irradiance",
    "irradiance_terms",
    "plain_dome",
    "sample_dome",
    "scattered",
]

DOME_SIZE = (48, 96)
# How much brighter the plain dome's horizon is than its zenith, and how fast it falls off.
HORIZON_GAIN, HORIZON_POWER = 2.2, 3.0
# Factors of the clamped cosine, by order: Ramamoorthi, Hanrahan 2001, eq. 8.
COSINE = np.array([np.pi, *[2.0 * np.pi / 3.0] * 3, *[np.pi / 4.0] * 5])


@lru_cache(maxsize=8)
def dome_directions(
    height: int = DOME_SIZE[0], width: int = DOME_SIZE[1]
) -> tuple[NDArray[np.float64], NDArray[np.float64]]:
    """Cells of a dome.

    height, width : size of the dome
    Returns unit directions (H, W, 3), and solid angles (H, W) [sr].
    """
    edges = 0.5 * np.pi * (1.0 - np.linspace(0.0, 1.0, height + 1)) ** 2
    elevation = 0.5 * np.pi * (1.0 - (np.arange(height) + 0.5) / height) ** 2
    azimuth = (np.arange(width) + 0.5) / width * 2.0 * np.pi
    flat = np.cos(elevation)[:, None]
    directions = np.stack(
        np.broadcast_arrays(flat * np.sin(azimuth), np.sin(elevation)[:, None], -flat * np.cos(azimuth)),
        axis=-1,
    )
    band = (np.sin(edges[:-1]) - np.sin(edges[1:])) * 2.0 * np.pi / width
    return directions, np.broadcast_to(band[:, None], (height, width))


def dome_illuminance(dome: Floats) -> NDArray[np.float64]:
    """Illuminance of open, level ground by a dome.

    dome : (H, W) or (H, W, 3) [cd/m2]
    Returns a scalar or (3,) [lx].
    """
    directions, solid = dome_directions(*dome.shape[:2])
    return np.asarray(np.tensordot(directions[..., 1] * solid, dome, axes=2))


def plain_dome(illuminance_lx: float, rgb: Floats) -> NDArray[np.float64]:
    """A dome with a brighter horizon that gives level ground a stated illuminance.

    illuminance_lx : of level ground [lx]
    rgb            : (3,) colour of luminance 1
    Returns (H, W, 3) [cd/m2]. The shape is our own; only the integral is exact.
    """
    directions, _ = dome_directions()
    up = directions[..., 1]
    shape = 1.0 + HORIZON_GAIN * (1.0 - up) ** HORIZON_POWER
    # The zenith keeps more of its colour; the horizon is paler at the same luminance.
    pale = (1.0 - up)[..., None] ** 2 * 0.6
    tinted = np.asarray(rgb) * (1.0 - pale) + pale
    return np.asarray((illuminance_lx / dome_illuminance(shape)) * shape[..., None] * tinted)


# Constant factors of the nine real harmonics, in the order of `_basis`.
FACTORS = np.array([0.282095, 0.488603, 0.488603, 0.488603, 1.092548, 1.092548, 0.315392, 1.092548, 0.546274])


def _monomials(directions: Floats) -> NDArray[np.float64]:
    """Real spherical harmonics of orders 0 to 2 without their constant factors.

    directions : (..., 3) unit
    Returns (9, ...).
    """
    x, y, z = np.moveaxis(np.asarray(directions, dtype=np.float64), -1, 0)
    return np.stack([np.ones_like(x), y, z, x, x * y, y * z, 3.0 * z * z - 1.0, x * z, x * x - y * y])


def _basis(directions: Floats) -> NDArray[np.float64]:
    """Real spherical harmonics of orders 0 to 2.

    directions : (..., 3) unit
    Returns (..., 9).
    """
    return np.moveaxis(_monomials(directions), 0, -1) * FACTORS


@lru_cache(maxsize=8)
def _projection(height: int, width: int) -> NDArray[np.float64]:
    """Matrix from the cells of a dome to its nine coefficients, (9, H * W)."""
    directions, solid = dome_directions(height, width)
    return (_basis(directions) * solid[..., None]).reshape(-1, 9).T.copy()


@lru_cache(maxsize=1)
def _ground_projection() -> NDArray[np.float64]:
    """Coefficients of luminance 1 below the horizon, (9,): the upper half mirrored."""
    directions, solid = dome_directions(256, 64)
    turned = directions * np.array([1.0, -1.0, 1.0])
    return np.asarray(np.einsum("hwk,hw->k", _basis(turned), solid))


def irradiance_terms(dome: Floats, ground: Floats) -> NDArray[np.float64]:
    """Irradiance coefficients of a dome with its ground.

    dome   : (H, W, 3) [cd/m2]
    ground : (3,) [cd/m2]
    Returns (9, 3), convolved with the clamped cosine. Source: Ramamoorthi and Hanrahan 2001, equation 8.
    """
    terms = _projection(*dome.shape[:2]) @ dome.reshape(-1, 3)
    return (terms + np.outer(_ground_projection(), ground)) * COSINE[:, None]


def irradiance(terms: Floats, normals: Floats) -> NDArray[np.float64]:
    """Evaluate irradiance coefficients.

    terms   : (9, 3) from `irradiance_terms`
    normals : (N, 3) unit
    Returns (N, 3) illuminance by channel [lx], clipped at 0.
    """
    return np.clip((terms * FACTORS[:, None]).T @ _monomials(normals), 0.0, None).T


def scattered(terms: Floats, directions: Floats, forwardness: float) -> NDArray[np.float64]:
    """In-scattered luminance of a dome's light, for air lit from all directions.

    terms       : (9, 3) from `irradiance_terms`
    directions  : (N, 3) unit view directions
    forwardness : Henyey-Greenstein asymmetry g [-]; its Legendre coefficients are powers of g
    Returns (N, 3), clipped at 0. GLSL twin: shaders/include/sky.glsl.
    """
    g = forwardness
    by_order = np.array([np.pi, *[np.pi * g] * 3, *[np.pi * g * g] * 5]) / COSINE / np.pi
    return np.asarray(np.maximum(_basis(np.asarray(directions)) @ (terms * by_order[:, None]), 0.0))


def sample_dome(dome: Floats, ground: Floats, directions: Floats) -> NDArray[np.float64]:
    """Luminance of a dome toward directions, nearest cell.

    dome, ground : (H, W, 3) and (3,) [cd/m2]
    directions   : (N, 3) unit
    Returns (N, 3) [cd/m2].
    """
    height, width = dome.shape[:2]
    elevation = np.arcsin(np.clip(directions[:, 1], -1.0, 1.0))
    azimuth = np.arctan2(directions[:, 0], -directions[:, 2]) % (2.0 * np.pi)
    t = 1.0 - np.sqrt(np.clip(elevation / (0.5 * np.pi), 0.0, 1.0))
    row = np.minimum((t * height).astype(int), height - 1)
    column = np.minimum((azimuth / (2.0 * np.pi) * width).astype(int), width - 1)
    out = np.asarray(dome).reshape(-1, 3).take(row * width + column, 0)
    out[np.flatnonzero(directions[:, 1] <= 0.0)] = ground
    return out
