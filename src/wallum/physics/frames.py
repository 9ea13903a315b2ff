"""Orthonormal frames, and boxes turned about the vertical axis."""

import math

import numpy as np
from numpy.typing import NDArray

from wallum.physics.arrays import Floats

__all__ = ["along_sides", "corners_about", "frame_of"]


def frame_of(n: Floats) -> tuple[Floats, Floats]:
    """Two unit tangents for each normal.

    n : (N, 3) unit
    Returns two (N, 3), orthogonal to n and to each other, in the type of n.
    Source: Duff et al. 2017, "Building an Orthonormal Basis, Revisited".
    """
    x, y, z = n[:, 0], n[:, 1], n[:, 2]
    sign = np.copysign(np.ones_like(z), z)
    a = -1.0 / (sign + z)
    b = x * y * a
    side = np.stack([1.0 + sign * x * x * a, sign * b, -sign * x], axis=1)
    return side, np.stack([b, sign + y * y * a, -y], axis=1)


def along_sides(points: Floats, centre: Floats, turn_rad: float) -> NDArray[np.float64]:
    """Points in the local frame of a turned box.

    points   : (N, 3) [m]
    centre   : (3,) of the box [m]
    turn_rad : rotation about the vertical, clockwise from above
    Returns (N, 3) [m].
    """
    away = np.asarray(points, np.float64) - centre
    c, s = math.cos(turn_rad), math.sin(turn_rad)
    return np.stack([c * away[:, 0] + s * away[:, 2], away[:, 1], c * away[:, 2] - s * away[:, 0]], axis=1)


def corners_about(
    centre: Floats, half: tuple[float, float, float], turn_rad: float
) -> tuple[NDArray[np.float64], NDArray[np.float64]]:
    """Axis-aligned bounds of a turned box.

    half : half extents along its sides [m]
    Returns lowest and highest corner, each (3,) [m].
    """
    c, s = abs(math.cos(turn_rad)), abs(math.sin(turn_rad))
    x, y, z = half
    reach = np.array([c * x + s * z, y, c * z + s * x])
    return centre - reach, centre + reach
