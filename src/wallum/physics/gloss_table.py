"""Directional albedo of the GGX lobe, tabulated by roughness and angle.

The table lies in data/gloss.npy; `python -m wallum.physics.gloss_table FILE` computes it.
Sources: Heitz 2018; Karis 2013 (split sum).
"""

import sys
from functools import lru_cache
from importlib import resources

import numpy as np
from numpy.typing import NDArray

from wallum.physics.arrays import Floats, normalised

__all__ = ["COLUMNS", "falling", "gloss_table", "look_up", "make_table", "mean_fall"]

DIELECTRIC_F0 = 0.04
# Below this the highlight is smaller than a pixel and half floats overflow.
MIN_ROUGHNESS = 0.045
# By roughness, so fine that the nearest row will do; and by the root of the cosine to the eye, for much
# happens at grazing angles.
ROWS, ACROSS = 128, 32
COLUMNS = ("scale", "offset", "kept", "steep")
MIN_COSINE = 1e-3


@lru_cache(maxsize=1)
def gloss_table() -> NDArray[np.float32]:
    """The table, (128, 32, 4) float32: roughness 0.045 to 1, and square root of n.v 0 to 1.

    scale, offset : factors of F0 in the directional albedo, before energy compensation
    kept, steep   : transmission to the diffuse layer below a dielectric at incidence cosine n is
                    kept * (1 - steep * falling(roughness, n)), so that a white furnace stays white
    """
    path = resources.files("wallum.physics").joinpath("data/gloss.npy")
    with path.open("rb") as stream:
        return np.asarray(np.load(stream, allow_pickle=False))


def falling(roughness: Floats, cosine: Floats) -> Floats:
    """Rise of the reflection toward grazing angles, as a blend of cubic and quintic terms.

    roughness, cosine : (...,)
    Returns (...,) [-]; within 2 % of the integral, 16 % at worst at grazing angles.
    """
    x, third = 1.0 - cosine, thirds(roughness)
    return x * x * x * (third + (1.0 - third) * x * x)


def thirds(roughness: Floats) -> Floats:
    """Weight of the cubic term in `falling`.

    roughness : (...,)
    Returns (...,) 0 to 1.
    """
    return np.clip(3.0 * np.asarray(roughness) - 0.15, 0.0, 1.0)


def mean_fall(roughness: Floats) -> Floats:
    """Cosine-weighted mean of `falling` over the hemisphere.

    roughness : (...,)
    Returns (...,) [-].
    """
    third = thirds(roughness)
    return third / 10.0 + (1.0 - third) / 21.0


def look_up(roughness: Floats, n_dot_v: Floats) -> NDArray[np.float32]:
    """Look the table up: nearest roughness, linear in the angle.

    roughness, n_dot_v : (N,)
    Returns (N, 4) float32.
    """
    table = gloss_table().reshape(-1, len(COLUMNS))
    rough = np.clip(np.asarray(roughness, np.float32), MIN_ROUGHNESS, 1.0) - np.float32(MIN_ROUGHNESS)
    row = (rough * np.float32((ROWS - 1) / (1.0 - MIN_ROUGHNESS)) + np.float32(0.5)).astype(np.int32)
    at = np.sqrt(np.clip(np.asarray(n_dot_v, np.float32), 0.0, 1.0)) * np.float32(ACROSS - 1)
    column = np.minimum(at.astype(np.int32), ACROSS - 2)
    first, share = row * ACROSS + column, (at - column)[:, None]
    low = table.take(first, 0)
    return np.asarray(low + (table.take(first + 1, 0) - low) * share)


def _seen_halves(roughness: float, cosine: float, side: int) -> tuple[Floats, NDArray[np.float64]]:
    """Half vectors sampled by the distribution of visible normals on a regular grid.

    Returns (side * side, 3) unit, and the view direction (3,).
    Source: Heitz 2018, "Sampling the GGX Distribution of Visible Normals".
    """
    a = roughness * roughness
    u, v = (grid.ravel() for grid in np.meshgrid(*[(np.arange(side) + 0.5) / side] * 2))
    eye = np.array([np.sqrt(1.0 - cosine * cosine), 0.0, cosine])
    stretched = normalised(eye * [a, a, 1.0])
    across = np.array([0.0, 1.0, 0.0])
    up = np.cross(stretched, across)
    radius, angle = np.sqrt(u), 2.0 * np.pi * v
    p, q = radius * np.sin(angle), radius * np.cos(angle)
    share = 0.5 * (1.0 + stretched[2])
    # Project onto the visible half of the disc.
    q = (1.0 - share) * np.sqrt(np.maximum(1.0 - p * p, 0.0)) + share * q
    out = np.sqrt(np.maximum(1.0 - p * p - q * q, 0.0))
    halves = p[:, None] * across + q[:, None] * up + out[:, None] * stretched
    return normalised(halves * [a, a, 1.0]), eye


def _hidden(a: float, cosine: Floats) -> Floats:
    """Smith's lambda for GGX.

    a      : roughness squared
    cosine : (...,)
    Returns (...,). Source: Heitz 2014, equation 72.
    """
    tangent2 = (1.0 - cosine * cosine) / np.maximum(cosine * cosine, 1e-12)
    return 0.5 * (np.sqrt(1.0 + a * a * tangent2) - 1.0)


def _shares(roughness: float, cosine: float, side: int) -> tuple[float, float]:
    """Directional albedo for F0 = 1, and the Fresnel term for F0 = 0.

    side : samples along each axis of the grid
    Returns two floats [-].
    """
    halves, eye = _seen_halves(roughness, cosine, side)
    toward = halves @ eye
    light = 2.0 * toward * halves[:, 2] - cosine
    a = roughness * roughness
    item = 1.0 + _hidden(a, np.array(cosine))
    seen = np.where(light > 0.0, item / (item + _hidden(a, np.maximum(light, 1e-6))), 0.0)
    return float(seen.mean()), float((seen * (1.0 - np.clip(toward, 0.0, 1.0)) ** 5).mean())


def make_table(rows: int = ROWS, side: int = 192) -> NDArray[np.float32]:
    """Compute the table.

    rows : roughnesses
    side : samples along each axis
    Returns (rows, 32, 4) float32, see `gloss_table`.
    """
    out = np.zeros((rows, ACROSS, len(COLUMNS)))
    cosines = np.maximum(np.linspace(0.0, 1.0, ACROSS) ** 2, MIN_COSINE)
    for row, roughness in enumerate(np.linspace(MIN_ROUGHNESS, 1.0, rows)):
        whole, rise = np.array([_shares(roughness, n, side) for n in cosines]).T
        gloss = (DIELECTRIC_F0 * (whole - rise) + rise) * (1.0 + DIELECTRIC_F0 * (1.0 / whole - 1.0))
        left = 1.0 - gloss
        form = np.stack([np.ones(ACROSS), -falling(roughness, cosines)], axis=1)
        # Weight by the irradiance at each cosine.
        flat, fall = np.linalg.lstsq(form * cosines[:, None], left * cosines, rcond=None)[0]
        steep = np.clip(fall / flat, 0.0, 1.0)
        selected = left / (1.0 - steep * mean_fall(roughness))
        out[row] = np.stack([whole - rise, rise, selected, np.full(ACROSS, steep)], axis=1)
    return out.astype(np.float32)


if __name__ == "__main__":
    np.save(sys.argv[1], make_table())
