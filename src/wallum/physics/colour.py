"""Colour of light: correlated colour temperature, tint, linear sRGB.

Planck's law integrated with the CIE 1931 observer below 4,000 K, the CIE daylight locus
above 5,000 K, blended between. Sources: CIE 15:2018 (daylight locus, observer), CIE 224.
"""

from functools import lru_cache
from importlib import resources

import numpy as np
from numpy.typing import NDArray

from wallum.physics.arrays import Floats

__all__ = [
    "LUMINANCE_WEIGHTS",
    "MAX_CCT_K",
    "MIN_CCT_K",
    "cct_of",
    "light_colour",
    "luminance",
    "luminance_of",
    "observer",
    "planck",
    "xy_from_cct",
]

# Linear sRGB to luminance: IEC 61966-2-1, rounded to four digits there.
LUMINANCE_SHARES = (0.2126, 0.7152, 0.0722)
LUMINANCE_WEIGHTS = np.array(LUMINANCE_SHARES)
# CIE XYZ to linear sRGB, D65 white: IEC 61966-2-1.
XYZ_TO_SRGB = np.array([[3.2406, -1.5372, -0.4986], [-0.9689, 1.8758, 0.0415], [0.0557, -0.2040, 1.0570]])
MIN_CCT_K, MAX_CCT_K = 1000.0, 20000.0
# Second radiation constant, exact since 2019 (h c / k): SI Brochure, 9th ed.
C2_M_K = 1.438776877e-2


def luminance_of(red: float, green: float, blue: float) -> float:
    """Luminance of one linear sRGB colour.

    red, green, blue : linear components in any unit
    Returns the luminance in that unit. Source: IEC 61966-2-1.
    """
    r, g, b = LUMINANCE_SHARES
    return r * red + g * green + b * blue


def luminance(rgb: Floats) -> Floats:
    """Luminance of linear sRGB colours.

    rgb : (..., 3) in any unit
    Returns (...,) in that unit. Source: IEC 61966-2-1.
    """
    return np.asarray(rgb) @ LUMINANCE_WEIGHTS


@lru_cache(maxsize=1)
def observer() -> NDArray[np.float64]:
    """CIE 1931 2 degree standard observer.

    Returns (M, 4): wavelength [nm] and the colour matching functions x, y, z. Source: CIE 15:2018, table T.4.
    """
    text = resources.files("wallum.physics").joinpath("data/cie-1931-observer.csv").read_text()
    return np.loadtxt(text.splitlines(), delimiter=",", comments="#")


def planck(kelvin: float, wavelength_m: Floats) -> NDArray[np.float64]:
    """Spectral exitance of a black body, without its constant factor.

    kelvin       : temperature
    wavelength_m : (N,) [m]
    Returns (N,), proportional to the exitance. Source: Planck's law; c2 exact since the SI of 2019.
    """
    return np.asarray(wavelength_m**-5 / np.expm1(C2_M_K / (wavelength_m * kelvin)))


def _planck_xy(kelvin: float) -> NDArray[np.float64]:
    """CIE 1931 (x, y) of a black body, integrated with `observer`."""
    table = observer()
    xyz = planck(kelvin, table[:, 0] * 1e-9) @ table[:, 1:]
    return xyz[:2] / xyz.sum()


def _daylight_xy(kelvin: float) -> NDArray[np.float64]:
    """CIE 1931 (x, y) on the daylight locus.

    kelvin : stated by the source for 4,000 to 25,000 K
    Source: CIE 15:2018, equations 4.10 to 4.12.
    """
    t = 1e3 / kelvin
    if kelvin <= 7000.0:
        x = -4.6070 * t**3 + 2.9678 * t**2 + 0.09911 * t + 0.244063
    else:
        x = -2.0064 * t**3 + 1.9018 * t**2 + 0.24748 * t + 0.237040
    return np.array([x, -3.0 * x * x + 2.870 * x - 0.275])


def _locus_xy(kelvin: float) -> NDArray[np.float64]:
    """Black body locus below 4,000 K, daylight locus above 5,000 K, blended linearly between."""
    if kelvin <= 4000.0:
        return _planck_xy(kelvin)
    if kelvin >= 5000.0:
        return _daylight_xy(kelvin)
    mix = (kelvin - 4000.0) / 1000.0
    return (1.0 - mix) * _planck_xy(kelvin) + mix * _daylight_xy(kelvin)


def _uv_from_xy(xy: NDArray[np.float64]) -> NDArray[np.float64]:
    """CIE 1931 (x, y) to CIE 1960 (u, v). Source: CIE 15:2018, section 9."""
    return np.array([4.0 * xy[0], 6.0 * xy[1]]) / (-2.0 * xy[0] + 12.0 * xy[1] + 3.0)


def _xy_from_uv(uv: NDArray[np.float64]) -> NDArray[np.float64]:
    """CIE 1960 (u, v) to CIE 1931 (x, y); the inverse of `_uv_from_xy`."""
    return np.array([3.0 * uv[0], 2.0 * uv[1]]) / (2.0 * uv[0] - 8.0 * uv[1] + 4.0)


def xy_from_cct(kelvin: float, tint_duv: float = 0.0) -> NDArray[np.float64]:
    """CIE 1931 chromaticity of a light by correlated colour temperature and tint.

    kelvin   : 1,000 to 20,000 K
    tint_duv : distance from the locus in CIE 1960 uv; positive is toward green
    Returns (2,) x and y; nan outside the range of `kelvin`.
    Source: CIE 15:2018, section 9; CIE 224:2017.
    """
    if not MIN_CCT_K <= kelvin <= MAX_CCT_K:
        return np.full(2, np.nan)
    xy = _locus_xy(kelvin)
    if tint_duv == 0.0:
        return xy
    here = _uv_from_xy(xy)
    ahead = _uv_from_xy(_locus_xy(min(kelvin * 1.001, MAX_CCT_K)))
    behind = _uv_from_xy(_locus_xy(max(kelvin * 0.999, MIN_CCT_K)))
    along = ahead - behind
    normal = np.array([along[1], -along[0]]) / np.linalg.norm(along)
    normal = normal if normal[1] > 0.0 else -normal
    return _xy_from_uv(here + tint_duv * normal)


@lru_cache(maxsize=4096)
def _light_colour(kelvin: float, tint_duv: float) -> tuple[float, float, float]:
    """Cached core of `light_colour`, on plain floats."""
    x, y = xy_from_cct(kelvin, tint_duv)
    rgb = np.clip(XYZ_TO_SRGB @ np.array([x / y, 1.0, (1.0 - x - y) / y]), 0.0, None)
    rgb = rgb / luminance(rgb)
    return float(rgb[0]), float(rgb[1]), float(rgb[2])


def light_colour(kelvin: float, tint_duv: float = 0.0) -> NDArray[np.float64]:
    """Linear sRGB of luminance 1 for a light.

    kelvin, tint_duv : see `xy_from_cct`
    Returns (3,); nan outside the range. Components outside the gamut are clipped to 0 and luminance 1 is
    restored after that, so that a luminous quantity times this triple keeps its stated amount.
    """
    return np.array(_light_colour(float(kelvin), float(tint_duv)))


def _grid_uv() -> tuple[NDArray[np.float64], NDArray[np.float64]]:
    """Sampled locus: (M,) kelvin and (M, 2) CIE 1960 uv. Computed once."""
    if not _GRID:
        kelvin = np.geomspace(MIN_CCT_K, MAX_CCT_K, 400)
        _GRID.append((kelvin, np.array([_uv_from_xy(_locus_xy(k)) for k in kelvin])))
    return _GRID[0]


_GRID: list[tuple[NDArray[np.float64], NDArray[np.float64]]] = []


def cct_of(rgb: Floats) -> float:
    """Correlated colour temperature of linear sRGB light.

    rgb : (3,)
    Returns kelvin; nan for no light, outside 1,000 to 20,000 K, and farther than 0.05 uv from the locus,
    where
    the quantity is not defined (CIE 15:2018, section 9.5).
    """
    xyz = np.linalg.solve(XYZ_TO_SRGB, np.asarray(rgb, dtype=np.float64))
    if xyz.sum() <= 0.0:
        return float("nan")
    kelvin, locus = _grid_uv()
    far = np.linalg.norm(locus - _uv_from_xy(xyz[:2] / xyz.sum()), axis=1)
    best = int(far.argmin())
    if far[best] > 0.05 or best in (0, len(kelvin) - 1):
        return float("nan")
    left, middle, right = far[best - 1 : best + 2] ** 2
    shift = 0.5 * (left - right) / max(left - 2.0 * middle + right, 1e-18)
    return float(np.interp(best + np.clip(shift, -0.5, 0.5), np.arange(len(kelvin)), kelvin))
