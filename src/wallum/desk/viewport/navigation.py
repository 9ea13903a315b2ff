"""Moves of the camera: orbit, look, slide, approach, fly, frame. Plain arithmetic, no Qt."""

import math
from dataclasses import replace

import numpy as np
from numpy.typing import NDArray

from wallum.moment.camera import Camera
from wallum.moment.evaluate import direction_to

__all__ = ["approach", "fly", "frame", "look", "orbit", "slide"]

STEEPEST_DEG = 89.0
Point = NDArray[np.float64]


def _angles(direction: tuple[float, float, float]) -> tuple[float, float]:
    """Azimuth and elevation of a direction [deg]."""
    x, y, z = direction
    return math.degrees(math.atan2(x, -z)), math.degrees(math.asin(max(-1.0, min(1.0, y))))


def _triple(values: Point) -> tuple[float, float, float]:
    x, y, z = (float(v) for v in values)
    return x, y, z


def look(camera: Camera, right_deg: float, up_deg: float) -> Camera:
    """Turn on the spot; never past straight up or down."""
    azimuth, elevation = _angles(camera.direction)
    elevation = max(-STEEPEST_DEG, min(STEEPEST_DEG, elevation + up_deg))
    return replace(camera, direction=_triple(direction_to(azimuth + right_deg, elevation)))


def orbit(camera: Camera, pivot: Point, right_deg: float, up_deg: float) -> Camera:
    """Go round a point that keeps its place in the picture."""
    turned = look(camera, right_deg, up_deg)
    local = camera.rotation() @ (np.asarray(pivot) - np.array(camera.eye))
    return replace(turned, eye=_triple(np.asarray(pivot) - turned.rotation().T @ local))


def slide(camera: Camera, right_m: float, up_m: float) -> Camera:
    """Move parallel to the picture."""
    right, up, _ = camera.rotation()
    return replace(camera, eye=_triple(np.array(camera.eye) + right * right_m + up * up_m))


def approach(camera: Camera, target: Point, share: float) -> Camera:
    """Go a share of the way to a point (below 0: away), stopping short of it."""
    offset = np.asarray(target) - np.array(camera.eye)
    distance = float(np.linalg.norm(offset))
    if share > 0.0 and distance * (1.0 - share) < 4.0 * camera.near:
        return camera
    return replace(camera, eye=_triple(np.array(camera.eye) + offset * share))


def fly(camera: Camera, right_m: float, up_m: float, ahead_m: float) -> Camera:
    """Move along the camera's own axes; up is the level's up."""
    right, _, back = camera.rotation()
    step = right * right_m - back * ahead_m + np.array([0.0, up_m, 0.0])
    return replace(camera, eye=_triple(np.array(camera.eye) + step))


def frame(camera: Camera, low: Point, high: Point) -> Camera:
    """Step back along the view until a box fits the picture."""
    middle = 0.5 * (np.asarray(low) + np.asarray(high))
    radius = max(0.5 * float(np.linalg.norm(np.asarray(high) - np.asarray(low))), 0.25)
    tangent = min(camera.tangents)
    distance = radius / math.sin(math.atan(tangent))
    return replace(camera, eye=_triple(middle - np.array(camera.direction) * distance))
