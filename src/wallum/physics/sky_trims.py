"""The artist's trims on a sky: by height over the horizon, by blueness, by a low sun. They are our
own fakes, and labelled so."""

from dataclasses import dataclass

import numpy as np
from numpy.typing import NDArray

from wallum.physics.arrays import Floats
from wallum.physics.colour import LUMINANCE_WEIGHTS, light_colour
from wallum.physics.dome import dome_directions

__all__ = ["SkyTrims", "low_sun_tint", "trimmed"]

Colour = tuple[float, float, float]
WHITE: Colour = (1.0, 1.0, 1.0)
MIDDLE_DEG = 30.0
# A sun lower than the first is low in full, higher than the second not at all [deg].
LOW_SUN_DEG = (4.0, 16.0)
LOW_SUN_K = 5000.0


@dataclass(frozen=True)
class SkyTrims:
    """stops, tints : at the horizon, at 30 degrees and at the zenith; see document.sky."""

    stops: tuple[float, float, float] = (0.0, 0.0, 0.0)
    tints: tuple[Colour, Colour, Colour] = (WHITE, WHITE, WHITE)
    blue_depth: float = 0.0
    low_warmth: float = 0.0
    band_deg: float = 6.0
    band_stops: float = 0.0


def low_sun_tint(warmth: float, sun_deg: float) -> NDArray[np.float64]:
    """(3,) what sunlight of a height is multiplied with, to be warmer by `warmth` kelvin."""
    low, high = LOW_SUN_DEG
    x = min(max((high - sun_deg) / (high - low), 0.0), 1.0)
    share = x * x * (3.0 - 2.0 * x)
    if warmth == 0.0 or share == 0.0:
        return np.ones(3)
    kelvin = min(max(LOW_SUN_K - warmth * share, 1500.0), 15_000.0)
    warm = np.maximum(light_colour(kelvin) / light_colour(LOW_SUN_K), 0.02)
    return np.asarray(warm)


def _by_height(values: Floats, elevation_deg: Floats) -> NDArray[np.float64]:
    """(H, K) between the three heights, softly."""
    table = np.asarray(values, dtype=np.float64).reshape(3, -1)
    x = np.asarray(elevation_deg)
    lower = np.clip(x / MIDDLE_DEG, 0.0, 1.0)[:, None]
    upper = np.clip((x - MIDDLE_DEG) / (90.0 - MIDDLE_DEG), 0.0, 1.0)[:, None]
    soft_lower, soft_upper = (item * item * (3.0 - 2.0 * item) for item in (lower, upper))
    return np.asarray(table[0] + (table[1] - table[0]) * soft_lower + (table[2] - table[1]) * soft_upper)


def trimmed(dome: Floats, trims: SkyTrims, toward_sun: Floats, sun_deg: float) -> NDArray[np.float64]:
    """A dome (H, W, 3) [cd/m2] with the trims on it.

    toward_sun : (3,) unit; sun_deg : the sun's elevation
    """
    out = np.asarray(dome, dtype=np.float64)
    if trims == SkyTrims(band_deg=trims.band_deg):
        return out
    directions, _ = dome_directions(*out.shape[:2])
    elevation = np.degrees(np.arcsin(directions[:, 0, 1]))
    if trims.blue_depth:
        before = out @ LUMINANCE_WEIGHTS
        # As much as it is blue already: glare and a red evening stay what they are.
        blueness = np.clip(1.0 - out[..., 0] / np.maximum(out[..., 2], 1e-12), 0.0, 1.0)
        out = out * 2.0 ** (-trims.blue_depth * blueness[..., None] * np.array([1.0, 0.55, 0.0]))
        after = np.maximum(out @ LUMINANCE_WEIGHTS, 1e-12)
        # Deeper is darker too, by half of what the colour lost.
        out = out * np.sqrt(before / after)[..., None]
    stops = _by_height(np.array(trims.stops), elevation)
    band = trims.band_stops * np.exp(-((elevation / max(trims.band_deg, 0.1)) ** 2))
    tint = _by_height(np.array(trims.tints), elevation)
    out = out * (tint * 2.0 ** (stops + band[:, None]))[:, None]
    warm = low_sun_tint(trims.low_warmth, sun_deg)
    if (warm != 1.0).any():
        near = ((1.0 + directions @ np.asarray(toward_sun)) / 2.0) ** 6
        out = out * (1.0 + (warm - 1.0) * near[..., None])
    return np.asarray(out)
