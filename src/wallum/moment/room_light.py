"""A box with light of its own from all around, alike within it: what games without probes have. A fake."""

import math
from dataclasses import dataclass

import numpy as np
from numpy.typing import NDArray

from wallum.physics.arrays import Floats

__all__ = ["MOST_ROOMS", "RoomLight"]

MOST_ROOMS = 8


@dataclass(frozen=True)
class RoomLight:
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
        away = np.asarray(points, np.float64) - np.array(self.centre)
        c, s = math.cos(self.turn_rad), math.sin(self.turn_rad)
        local = np.stack(
            [c * away[:, 0] + s * away[:, 2], away[:, 1], c * away[:, 2] - s * away[:, 0]], axis=1
        )
        inside = (np.array(self.half) - np.abs(local)).min(axis=1)
        return np.clip(inside / max(self.fade, 1e-3), 0.0, 1.0)

    @property
    def corners(self) -> tuple[NDArray[np.float64], NDArray[np.float64]]:
        """(3,) lowest and highest of the box along the level's axes."""
        c, s = abs(math.cos(self.turn_rad)), abs(math.sin(self.turn_rad))
        x, y, z = self.half
        half = np.array([c * x + s * z, y, c * z + s * x])
        return np.array(self.centre) - half, np.array(self.centre) + half
