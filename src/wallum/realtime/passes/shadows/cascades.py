"""Where the sun's shadow maps lie: three cascades that stand still while the camera moves a little, and
beyond their reach one coarse map of the whole level. Without any OpenGL.

Each cascade is a square about the part of the view it serves, wider than needed and moved
only in whole steps, so that it need not be drawn again for small moves and its texels stay
where they are. Source: Valient 2007, "Stable Rendering of Cascaded Shadow Maps".
"""

from dataclasses import dataclass
from itertools import pairwise

import numpy as np
from numpy.typing import NDArray

from wallum.moment.camera import Camera, look_rotation
from wallum.moment.scene import SUN_MAPS, Sun

__all__ = [
    "CASCADES",
    "MAX_TEXELS",
    "TEXELS",
    "Cascade",
    "cascades_for",
    "far_cascade",
    "goes_on",
    "nearest_grain",
]

CASCADES = 3
TEXELS, MAX_TEXELS = 1024, 2048
# Share of a cascade's radius by which it moves at once.
STEP = 0.5
# Weight of the logarithmic against the even division of depth: Zhang 2006.
DIVISION = 0.8


@dataclass(frozen=True)
class Cascade:
    """One cascade: level to clip space, how far it serves [m], texel width [m]."""

    matrix: NDArray[np.float64]
    axes: NDArray[np.float64]  # (4, 4) level to the sun's axes, depth 0..1 in z
    at: tuple[float, float]  # middle on the sun's axes, sheared [m]
    shear: tuple[float, float]  # metres aside per metre toward the sun
    half: float
    end: float
    texel: float
    key: bytes


def _ends(near: float, far: float, count: int) -> NDArray[np.float64]:
    step = np.arange(1, count + 1) / count
    logarithmic = near * (far / near) ** step
    even = near + (far - near) * step
    return DIVISION * logarithmic + (1.0 - DIVISION) * even


def _reach(camera: Camera, bounds: NDArray[np.float64], longest_m: float) -> tuple[float, float]:
    """From where to where the level stands before an eye [m], in steps of half a stop so that
    small moves leave it alone; at most `longest_m` deep."""
    eye = np.array(camera.eye)
    nearest = float(np.linalg.norm(np.maximum(np.maximum(bounds[0] - eye, eye - bounds[1]), 0.0)))
    farthest = float(np.linalg.norm(np.maximum(np.abs(bounds[0] - eye), np.abs(bounds[1] - eye))))
    first = 2.0 ** (np.floor(np.log2(nearest) * 2.0) / 2.0) if nearest > 1.0 else camera.near
    last = 2.0 ** (np.ceil(np.log2(max(farthest, 1.0)) * 2.0) / 2.0)
    return float(first), float(min(last, first + longest_m))


def _slice_sphere(camera: Camera, start: float, end: float) -> tuple[NDArray[np.float64], float]:
    """Centre and radius of the sphere about a slice of the view."""
    spread = np.hypot(*camera.tangents)
    middle = min(0.5 * (start + end) * (1.0 + spread**2), end)
    radius = max(np.hypot(end - middle, end * spread), np.hypot(start - middle, start * spread))
    direction = np.array(camera.direction)
    return np.array(camera.eye) + direction * middle, float(radius)


def _shear(rotation: NDArray[np.float64], toward: NDArray[np.float64]) -> tuple[float, float]:
    """How far aside a direction leads per metre toward the sun, on the sun's axes."""
    x, y, z = rotation @ toward
    return float(x / z), float(y / z)


def _sun_axes(
    sun_direction: NDArray[np.float64], bounds: NDArray[np.float64]
) -> tuple[NDArray[np.float64], NDArray[np.float64], float, float]:
    """Turn to the sun's axes; level to these with depth 0..1; nearest and farthest height to the sun."""
    rotation = look_rotation(-sun_direction)
    corners = np.array(np.meshgrid(*bounds.T)).reshape(3, -1).T @ rotation.T
    # Rounding the depths keeps a cascade's key from changing with the last bit.
    high, low = np.ceil(corners[:, 2].max()) + 1.0, np.floor(corners[:, 2].min()) - 1.0
    axes = np.eye(4)
    axes[:3, :3] = rotation
    axes[2] = np.array([*-rotation[2], high]) / (high - low)
    return rotation, axes, float(high), float(low)


def _cascade(
    rotation: NDArray[np.float64],
    axes: NDArray[np.float64],
    at: tuple[float, float],
    shear: tuple[float, float],
    half: float,
    end: float,
    texels: int,
    depths: tuple[float, float],
    sun_direction: NDArray[np.float64],
) -> Cascade:
    high, low = depths
    view = np.eye(4)
    view[:3, :3] = rotation - np.outer([*shear, 0.0], rotation[2])
    view[:3, 3] = (-at[0], -at[1], -high)
    projection = np.diag([1.0 / half, 1.0 / half, -2.0 / (high - low), 1.0])
    projection[2, 3] = -1.0
    key = np.array([*sun_direction, *at, *shear, half, high, low]).tobytes()
    return Cascade(projection @ view, axes, at, shear, half, end, 2.0 * half / texels, key)


def goes_on(bounds: NDArray[np.float64], reach_m: float) -> bool:
    """Whether a level can be seen beyond the reach of the cascades: whatever the camera sees now, so
    that maps do not come and go with it."""
    return float(np.linalg.norm(bounds[1] - bounds[0])) > reach_m


def cascades_for(
    sun_direction: NDArray[np.float64],
    camera: Camera,
    bounds: NDArray[np.float64],
    toward: NDArray[np.float64] | None = None,
    texels: int = TEXELS,
    reach_m: float = SUN_MAPS[0],
    count: int = CASCADES,
) -> list[Cascade]:
    """The cascades of a camera, up to three; they change only in whole steps.

    toward : unit vector to the point of the sun's disc that casts; its middle by default
    """
    first, last = _reach(camera, bounds, reach_m)
    starts = [first, *_ends(max(first, min(1.0, last / 8.0)), last, count)]
    rotation, axes, high, low = _sun_axes(sun_direction, bounds)
    shear = (0.0, 0.0) if toward is None else _shear(rotation, toward)
    out = []
    for start, end in pairwise(starts):
        centre, radius = _slice_sphere(camera, start, end)
        radius = float(2.0 ** (np.ceil(np.log2(radius) * 8.0) / 8.0))
        step = STEP * radius
        half = radius + 0.5 * step
        x, y, z = rotation @ centre
        at = (round(x / step) * step - shear[0] * z, round(y / step) * step - shear[1] * z)
        out.append(_cascade(rotation, axes, at, shear, half, end, texels, (high, low), sun_direction))
    return out


def far_cascade(sun_direction: NDArray[np.float64], bounds: NDArray[np.float64], texels: int) -> Cascade:
    """One map of a whole level, whatever the camera sees; it stays while the sun stands still."""
    rotation, axes, high, low = _sun_axes(sun_direction, bounds)
    corners = np.array(np.meshgrid(*bounds.T)).reshape(3, -1).T @ rotation.T
    middle = 0.5 * (corners.max(axis=0) + corners.min(axis=0))
    half = 0.5 * float(np.ptp(corners[:, :2], axis=0).max()) + 1.0
    at = (float(middle[0]), float(middle[1]))
    return _cascade(rotation, axes, at, (0.0, 0.0), half, np.inf, texels, (high, low), sun_direction)


def nearest_grain(sun: Sun, camera: Camera, bounds: NDArray[np.float64]) -> float:
    """Texels per metre of the sun's shadows nearest to a camera."""
    reach, texels, count = sun.maps
    return 1.0 / cascades_for(sun.direction, camera, bounds, None, texels, reach, count)[0].texel
