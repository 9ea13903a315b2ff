"""Points on glowing bodies, for soft shadows.

A ball that glows evenly looks like an even disc from everywhere. Points inside it whose
projection is even on every disc have density 1/sqrt(R2 - r2): the inverse Abel transform
of a constant (Abel 1826; any table of transforms). So has the shadow, in three dimensions, of
points strewn evenly on the sphere in four. One set of points then serves all receivers, which
is what a shadow map needs.
"""

import numpy as np
from numpy.typing import NDArray

from wallum.physics.arrays import Floats, normalised
from wallum.physics.frames import frame_of

__all__ = [
    "ball_points",
    "cone_directions",
    "cosine_directions",
    "disc_points",
    "halton",
    "sphere_directions",
]


def halton(start: int, count: int, base: int) -> NDArray[np.float64]:
    """(count,) low-discrepancy numbers in 0..1 [-]. Source: Halton 1960."""
    index = np.arange(start + 1, start + count + 1)
    out, fraction = np.zeros(count), 1.0
    while (index > 0).any():
        fraction /= base
        out += fraction * (index % base)
        index = index // base
    return out


def ball_points(u: Floats) -> Floats:
    """(N, 3) random numbers in 0..1 to points in the unit ball that look like an even disc.

    Source of the even sphere in four dimensions: Shoemake 1992, "Uniform Random Rotations".
    """
    first, around, other = u[:, 0], 2.0 * np.pi * u[:, 1], 2.0 * np.pi * u[:, 2]
    near, far = np.sqrt(1.0 - first), np.sqrt(first)
    return np.stack([near * np.cos(around), far * np.cos(other), near * np.sin(around)], axis=1)


def disc_points(u: Floats) -> NDArray[np.float64]:
    """(N, 2) random numbers in 0..1 to points spread evenly on the unit disc."""
    radius, around = np.sqrt(u[:, 0]), 2.0 * np.pi * u[:, 1]
    return np.stack([radius * np.cos(around), radius * np.sin(around)], axis=1)


def cosine_directions(normals: Floats, u: Floats) -> NDArray[np.float32]:
    """(N, 3) unit directions about unit normals (N, 3), by the cosine, from random numbers in 0..1 (N, 2)."""
    normals, u = np.asarray(normals, np.float32), np.asarray(u, np.float32)
    side, up = frame_of(normals)
    radius, around = np.sqrt(u[:, 0]), np.float32(2.0 * np.pi) * u[:, 1]
    height = np.sqrt(1.0 - u[:, 0])
    across, along = radius * np.cos(around), radius * np.sin(around)
    return np.asarray(across[:, None] * side + along[:, None] * up + height[:, None] * normals, np.float32)


def sphere_directions(u: Floats) -> NDArray[np.float64]:
    """(N, 2) random numbers in 0..1 to (N, 3) unit directions, evenly in solid angle (Archimedes)."""
    height, around = 1.0 - 2.0 * u[:, 0], 2.0 * np.pi * u[:, 1]
    flat = np.sqrt(np.maximum(1.0 - height**2, 0.0))
    return np.stack([flat * np.cos(around), height, flat * np.sin(around)], axis=1)


def cone_directions(axis: Floats, half_angle_rad: float, u: Floats) -> NDArray[np.float64]:
    """(N, 3) unit directions spread evenly over a small cone about a unit axis, in the axis' precision."""
    spread = disc_points(u) * np.tan(half_angle_rad).astype(u.dtype)
    return normalised(axis + spread @ np.concatenate(frame_of(axis[None])))
