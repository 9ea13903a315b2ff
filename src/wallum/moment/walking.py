"""Where the camera is on a walk: along a smooth line through its points, looking ahead."""

from functools import lru_cache

import numpy as np
from numpy.typing import NDArray

from wallum.document.project import Walk
from wallum.moment.camera import Camera
from wallum.physics.arrays import normalised

__all__ = ["walk_camera", "walk_line"]

STEPS_EACH = 24
# How far ahead one looks [m].
AHEAD_M = 2.5


@lru_cache(maxsize=16)
def walk_line(walk: Walk) -> tuple[NDArray[np.float64], NDArray[np.float64]]:
    """(K, 3) places along a walk, and (K,) how far each is from its start [m].

    A line through all points whose direction at each is that between its neighbours (Catmull, Rom 1974).
    """
    points = np.array(walk.points, dtype=np.float64)
    padded = np.concatenate([2.0 * points[:1] - points[1:2], points, 2.0 * points[-1:] - points[-2:-1]])
    t = np.linspace(0.0, 1.0, STEPS_EACH, endpoint=False)[:, None]
    pieces = []
    for a, b, c, d in zip(padded[:-3], padded[1:-2], padded[2:-1], padded[3:], strict=True):
        bend, twist = 2.0 * a - 5.0 * b + 4.0 * c - d, 3.0 * b - a - 3.0 * c + d
        pieces.append(0.5 * (2.0 * b + (c - a) * t + bend * t**2 + twist * t**3))
    line = np.concatenate([*pieces, points[-1:]])
    run = np.concatenate([[0.0], np.cumsum(np.linalg.norm(np.diff(line, axis=0), axis=1))])
    return line, run


def walk_camera(walk: Walk, seconds: float, aspect: float = 16.0 / 9.0, far: float = 1000.0) -> Camera:
    """The camera so many seconds after the start; it goes at one speed and stops at the end."""
    line, run = walk_line(walk)
    share = min(max(seconds / walk.lasts, 0.0), 1.0)
    here = share * run[-1]
    ahead = min(here + AHEAD_M, run[-1])
    eye = np.array([np.interp(here, run, line[:, k]) for k in range(3)])
    there = np.array([np.interp(ahead, run, line[:, k]) for k in range(3)])
    offset = there - eye
    if np.linalg.norm(offset) < 0.05:
        offset = line[-1] - line[-2]
    x, y, z = normalised(offset * np.array([1.0, 0.6, 1.0])).tolist()
    ex, ey, ez = eye.tolist()
    return Camera((ex, ey, ez), (x, y, z), walk.fov, aspect, far=far)
