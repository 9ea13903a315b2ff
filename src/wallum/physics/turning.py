"""Rotations: of what looks along a direction, and as quaternions."""

import math

import numpy as np
from numpy.typing import NDArray

from wallum.physics.arrays import Floats, normalised

__all__ = ["look_rotation", "quaternion"]

UP = np.array([0.0, 1.0, 0.0])


def look_rotation(direction: Floats) -> NDArray[np.float64]:
    """(3, 3) rows right, up, back of a camera that looks along a unit direction, upright."""
    back = -normalised(np.asarray(direction, dtype=np.float64))
    helper = UP if abs(back[1]) < 0.99999 else np.array([0.0, 0.0, -1.0 if back[1] > 0 else 1.0])
    right = normalised(np.cross(helper, back))
    return np.stack([right, np.cross(back, right), back])


def quaternion(rotation: NDArray[np.float64]) -> list[float]:
    """(3, 3) rotation to x, y, z, w. Source: Shepperd 1978, by the largest component."""
    m = rotation
    trace = float(np.trace(m))
    squares = np.array([*(1.0 + 2.0 * np.diag(m) - trace), 1.0 + trace])
    best = int(np.argmax(squares))
    s = 2.0 * math.sqrt(squares[best])
    rows = (
        (s / 4, (m[0, 1] + m[1, 0]) / s, (m[0, 2] + m[2, 0]) / s, (m[2, 1] - m[1, 2]) / s),
        ((m[0, 1] + m[1, 0]) / s, s / 4, (m[1, 2] + m[2, 1]) / s, (m[0, 2] - m[2, 0]) / s),
        ((m[0, 2] + m[2, 0]) / s, (m[1, 2] + m[2, 1]) / s, s / 4, (m[1, 0] - m[0, 1]) / s),
        ((m[2, 1] - m[1, 2]) / s, (m[0, 2] - m[2, 0]) / s, (m[1, 0] - m[0, 1]) / s, s / 4),
    )
    out = np.array(rows[best])
    return [float(v) for v in out / np.linalg.norm(out)]
