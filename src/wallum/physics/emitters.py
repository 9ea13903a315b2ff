"""Sample points on glowing bodies and sample directions.

A uniformly glowing ball looks like a uniform disc from everywhere. Points whose projection is uniform on
every disc
have density 1 / sqrt(R^2 - r^2) in the ball (inverse Abel transform of a constant). Uniform points on the
sphere in
four dimensions, projected to three, have this density. One set of points then serves all receivers, as a
shadow map
needs.
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
    """Low-discrepancy sequence.

    start, count : first index and how many
    base         : a prime
    Returns (count,) in 0 to 1. Source: Halton 1960.
    """
    index = np.arange(start + 1, start + count + 1)
    out, fraction = np.zeros(count), 1.0
    while (index > 0).any():
        fraction /= base
        out += fraction * (index % base)
        index = index // base
    return out


def ball_points(u: Floats) -> Floats:
    """Points in the unit ball that look like a uniform disc from everywhere.

    u : (N, 3) random numbers, 0 to 1
    Returns (N, 3). Source: Shoemake 1992, "Uniform Random Rotations" (uniform sphere in four dimensions).
    """
    first, around, other = u[:, 0], 2.0 * np.pi * u[:, 1], 2.0 * np.pi * u[:, 2]
    near, far = np.sqrt(1.0 - first), np.sqrt(first)
    return np.stack([near * np.cos(around), far * np.cos(other), near * np.sin(around)], axis=1)


def disc_points(u: Floats) -> NDArray[np.float64]:
    """Uniform points on the unit disc.

    u : (N, 2) or wider, random numbers 0 to 1
    Returns (N, 2).
    """
    radius, around = np.sqrt(u[:, 0]), 2.0 * np.pi * u[:, 1]
    return np.stack([radius * np.cos(around), radius * np.sin(around)], axis=1)


def cosine_directions(normals: Floats, u: Floats) -> NDArray[np.float32]:
    """Cosine-weighted directions about normals.

    normals : (N, 3) unit
    u       : (N, 2) random numbers, 0 to 1
    Returns (N, 3) float32 unit. Source: Malley's method.
    """
    normals, u = np.asarray(normals, np.float32), np.asarray(u, np.float32)
    side, up = frame_of(normals)
    radius, around = np.sqrt(u[:, 0]), np.float32(2.0 * np.pi) * u[:, 1]
    height = np.sqrt(1.0 - u[:, 0])
    across, along = radius * np.cos(around), radius * np.sin(around)
    return np.asarray(across[:, None] * side + along[:, None] * up + height[:, None] * normals, np.float32)


def sphere_directions(u: Floats) -> NDArray[np.float64]:
    """Uniform directions on the sphere.

    u : (N, 2) random numbers, 0 to 1
    Returns (N, 3) unit. Source: Archimedes' hat-box theorem.
    """
    height, around = 1.0 - 2.0 * u[:, 0], 2.0 * np.pi * u[:, 1]
    flat = np.sqrt(np.maximum(1.0 - height**2, 0.0))
    return np.stack([flat * np.cos(around), height, flat * np.sin(around)], axis=1)


def cone_directions(axis: Floats, half_angle_rad: float, u: Floats) -> NDArray[np.float64]:
    """Uniform directions in a narrow cone.

    axis           : (3,) unit
    half_angle_rad : valid for small angles
    u              : (N, 2) random numbers, 0 to 1
    Returns (N, 3) unit, in the type of the axis.
    """
    spread = disc_points(u) * np.tan(half_angle_rad).astype(u.dtype)
    return normalised(axis + spread @ np.concatenate(frame_of(axis[None])))
