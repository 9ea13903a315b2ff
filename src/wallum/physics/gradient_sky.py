"""A sky of colours by height, with a glow about the sun: for worlds that are not as ours.
The model is our own, and claims no physics."""

from dataclasses import dataclass

import numpy as np
from numpy.typing import NDArray

from wallum.physics.arrays import Floats
from wallum.physics.dome import dome_directions

__all__ = ["GradientSky", "gradient_dome"]


@dataclass(frozen=True)
class GradientSky:
    """Colours linear; brightness [cd/m2] of a colour of 1, 1, 1; angles in degrees."""

    zenith: tuple[float, float, float]
    middle: tuple[float, float, float]
    horizon: tuple[float, float, float]
    middle_deg: float
    brightness: float
    glow_deg: float = 18.0
    glow_stops: float = 0.0


def gradient_dome(sky: GradientSky, toward_sun: Floats | None) -> NDArray[np.float64]:
    """(H, W, 3) the sky [cd/m2]; no glow without a sun."""
    directions, _ = dome_directions()
    elevation = np.degrees(np.arcsin(directions[:, 0, 1]))
    heights = np.array([0.0, sky.middle_deg, 90.0])
    colours = np.array([sky.horizon, sky.middle, sky.zenith])
    rows = np.stack([np.interp(elevation, heights, colours[:, k]) for k in range(3)], axis=1)
    out = np.broadcast_to(rows[:, None] * sky.brightness, directions.shape).copy()
    if toward_sun is not None and sky.glow_stops > 0.0:
        off = np.degrees(np.arccos(np.clip(directions @ np.asarray(toward_sun), -1.0, 1.0)))
        out *= 2.0 ** (sky.glow_stops * np.exp(-((off / sky.glow_deg) ** 2)))[..., None]
    return out
