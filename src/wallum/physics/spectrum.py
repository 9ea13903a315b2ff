"""Light by wavelength, coarsely: enough for the colours that air gives.

Sixteen wavelengths carry the visible range; luminous RGB comes out by the CIE 1931 observer.
"""

from functools import lru_cache

import numpy as np
from numpy.typing import NDArray

from wallum.physics.arrays import Floats
from wallum.physics.colour import LUMINANCE_WEIGHTS, XYZ_TO_SRGB, observer, planck

__all__ = ["WAVELENGTHS_NM", "luminous_rgb", "raw_rgb", "sun_weights"]

WAVELENGTHS_NM = np.linspace(400.0, 700.0, 16)
# Colour temperature of sunlight outside the air, as a black body: effective temperature of the
# sun, IAU 2015, resolution B3.
SUN_K = 5772.0


@lru_cache(maxsize=1)
def _to_rgb() -> NDArray[np.float64]:
    """(16, 3) from spectral power in the bands around WAVELENGTHS_NM to linear sRGB."""
    table = observer()
    bands = np.stack([np.interp(WAVELENGTHS_NM, table[:, 0], table[:, k]) for k in (1, 2, 3)], axis=1)
    return bands @ XYZ_TO_SRGB.T


@lru_cache(maxsize=1)
def sun_weights() -> NDArray[np.float64]:
    """(16,) spectral power of sunlight outside the air, of luminance 1."""
    power = planck(SUN_K, WAVELENGTHS_NM * 1e-9)
    table = observer()
    return power / (power * np.interp(WAVELENGTHS_NM, table[:, 0], table[:, 2])).sum()


def raw_rgb(spectral: Floats) -> NDArray[np.float64]:
    """(..., 16) spectral power to (..., 3) linear sRGB, parts below 0 where out of its gamut."""
    return np.asarray(spectral) @ _to_rgb()


def luminous_rgb(spectral: Floats) -> NDArray[np.float64]:
    """(..., 16) spectral power to (..., 3) linear sRGB, clipped to the gamut with the
    luminance kept."""
    raw = raw_rgb(spectral)
    weights = LUMINANCE_WEIGHTS
    inside = np.clip(raw, 0.0, None)
    before, after = raw @ weights, inside @ weights
    return (
        inside
        * np.where(after > 0.0, np.clip(before, 0.0, None) / np.where(after > 0.0, after, 1.0), 0.0)[
            ..., None
        ]
    )
