"""Points on glowing bodies, for soft shadows.

A ball that glows evenly looks like an even disc from everywhere. Points inside it whose
projection is even on every disc have density 1/sqrt(R2 - r2): the inverse Abel transform
of a constant (Abel 1826; any table of transforms). One set of points then serves all
receivers, which is what a shadow map needs.
"""

import numpy as np
from numpy.typing import NDArray

from wallum.physics.arrays import Floats, normalised

__all__ = ["ball_points", "cone_directions", "disc_points", "halton"]


def halton(start: int, count: int, base: int) -> NDArray[np.float64]:
    """(count,) low-discrepancy numbers in 0..1. Source: Halton 1960."""
    index = np.arange(start + 1, start + count + 1)
    out, fraction = np.zeros(count), 1.0
    while (index > 0).any():
        fraction /= base
        out += fraction * (index % base)
        index = index // base
    return out


def ball_points(u: Floats) -> NDArray[np.float64]:
    """(N, 3) random numbers in 0..1 to points in the unit ball that look like an even disc."""
    angle = np.linspace(0.0, np.pi / 2.0, 257)
    share = (2.0 / np.pi) * (angle - np.sin(angle) * np.cos(angle))
    radius = np.sin(np.interp(u[:, 0], share, angle))
    height = 1.0 - 2.0 * u[:, 1]
    around = 2.0 * np.pi * u[:, 2]
    level = np.sqrt(np.maximum(1.0 - height**2, 0.0))
    unit = np.stack([level * np.cos(around), height, level * np.sin(around)], axis=1)
    return radius[:, None] * unit


def disc_points(u: Floats) -> NDArray[np.float64]:
    """(N, 2) random numbers in 0..1 to points spread evenly on the unit disc."""
    radius, around = np.sqrt(u[:, 0]), 2.0 * np.pi * u[:, 1]
    return np.stack([radius * np.cos(around), radius * np.sin(around)], axis=1)


def cone_directions(axis: Floats, half_angle_rad: float, u: Floats) -> NDArray[np.float64]:
    """(N, 3) unit directions spread evenly over a small cone about a unit axis."""
    helper = np.array([1.0, 0.0, 0.0]) if abs(axis[0]) < 0.9 else np.array([0.0, 1.0, 0.0])
    side = np.cross(axis, helper)
    side = side / np.linalg.norm(side)
    up = np.cross(side, axis)
    spread = disc_points(u) * np.tan(half_angle_rad)
    out = axis + spread[:, :1] * side + spread[:, 1:] * up
    return normalised(out)
