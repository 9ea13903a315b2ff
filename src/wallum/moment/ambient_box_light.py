"""A box with light of its own from all around, alike within it: what games without probes have. A fake."""

from dataclasses import dataclass

import numpy as np
from numpy.typing import NDArray

from wallum.physics.arrays import Floats
from wallum.physics.frames import along_sides, corners_about

__all__ = ["MAX_ROOMS", "AmbientBoxLight"]

MAX_ROOMS = 8


@dataclass(frozen=True)
class AmbientBoxLight:
    """centre, half : of the box [m]; turn_rad : clockwise from above
    fade : how far within its sides its light comes up [m]; light : illuminance, RGB [lx]
    mirrored : whether an image is taken in its middle for the smooth surfaces in it
    """

    id: str
    centre: tuple[float, float, float]
    half: tuple[float, float, float]
    turn_rad: float
    fade: float
    light: tuple[float, float, float]
    mirrored: bool = False

    def share(self, points: Floats) -> NDArray[np.float64]:
        """(N,) share of its light that places (N, 3) have. Twin: shaders/include/rooms.glsl."""
        local = along_sides(points, np.array(self.centre), self.turn_rad)
        inside = (np.array(self.half) - np.abs(local)).min(axis=1)
        return np.clip(inside / max(self.fade, 1e-3), 0.0, 1.0)

    @property
    def corners(self) -> tuple[NDArray[np.float64], NDArray[np.float64]]:
        """(3,) lowest and highest of the box along the level's axes."""
        return corners_about(np.array(self.centre), self.half, self.turn_rad)
