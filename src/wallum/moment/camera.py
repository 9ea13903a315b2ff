"""A camera: where it is, where it looks, and its matrices (OpenGL clip space)."""

import math
from dataclasses import dataclass, replace
from functools import lru_cache
from typing import TYPE_CHECKING

import numpy as np
from numpy.typing import NDArray

from wallum.physics.arrays import Floats, normalised
from wallum.physics.turning import look_rotation

if TYPE_CHECKING:  # the renderer's process starts faster without the document
    from wallum.document.project import Shot

__all__ = ["Camera", "boxes_inside", "far_for", "frustum_planes", "look_rotation", "perspective"]


def perspective(tan_x: float, tan_y: float, near: float, far: float) -> NDArray[np.float64]:
    """(4, 4) projection for half-angle tangents, depth -1 at near to 1 at far."""
    out = np.zeros((4, 4))
    out[0, 0], out[1, 1] = 1.0 / tan_x, 1.0 / tan_y
    out[2, 2], out[2, 3] = (far + near) / (near - far), 2.0 * far * near / (near - far)
    out[3, 2] = -1.0
    return out


def frustum_planes(view_projection: Floats) -> NDArray[np.float64]:
    """(6, 4) planes, inside where n.x + d >= 0. Source: Gribb, Hartmann 2001."""
    m = np.asarray(view_projection)
    planes = np.stack([m[3] + m[0], m[3] - m[0], m[3] + m[1], m[3] - m[1], m[3] + m[2], m[3] - m[2]])
    return planes / np.linalg.norm(planes[:, :3], axis=1, keepdims=True)


@lru_cache(maxsize=64)
def _rotation(direction: tuple[float, ...]) -> NDArray[np.float64]:
    """A picture asks for the same one a dozen times."""
    return look_rotation(np.array(direction))


@dataclass(frozen=True)
class Camera:
    """Eye and direction in the level [m]; fov is the vertical angle [deg]."""

    eye: tuple[float, float, float]
    direction: tuple[float, float, float]
    fov: float = 50.0
    aspect: float = 16.0 / 9.0
    near: float = 0.05
    far: float = 1000.0

    @classmethod
    def of_shot(cls, shot: "Shot", aspect: float, far: float = 1000.0) -> "Camera":
        """The camera of a saved shot."""
        return cls(shot.eye, shot.direction, shot.fov, aspect, far=far)

    def with_aspect(self, aspect: float) -> "Camera":
        return replace(self, aspect=aspect)

    @property
    def tangents(self) -> tuple[float, float]:
        """Tangents of the half angles, across and up."""
        tan_y = math.tan(math.radians(self.fov) / 2.0)
        return tan_y * self.aspect, tan_y

    def rotation(self) -> NDArray[np.float64]:
        """(3, 3) rows right, up, back."""
        return _rotation(tuple(self.direction)).copy()

    def view(self) -> NDArray[np.float64]:
        """(4, 4) from the level's space to the camera's."""
        out = np.eye(4)
        out[:3, :3] = self.rotation()
        out[:3, 3] = -out[:3, :3] @ np.array(self.eye)
        return out

    def projection(self, jitter: tuple[float, float] = (0.0, 0.0)) -> NDArray[np.float64]:
        """(4, 4) projection, moved by `jitter` in clip units (2 / size is one pixel)."""
        out = perspective(*self.tangents, self.near, self.far)
        out[0, 2] -= jitter[0]
        out[1, 2] -= jitter[1]
        return out

    def rays(self, x: Floats, y: Floats) -> NDArray[np.float64]:
        """(N, 3) unit directions through picture places, 0..1 from the left and the top;
        in the places' precision."""
        tan_x, tan_y = self.tangents
        right, up, back = self.rotation()
        on_film = np.stack([(2.0 * np.asarray(x) - 1.0) * tan_x, (1.0 - 2.0 * np.asarray(y)) * tan_y], axis=1)
        across = np.stack([right, up]).astype(on_film.dtype)
        return normalised(on_film @ across - back.astype(on_film.dtype))

    def place_in_picture(self, points: Floats) -> NDArray[np.float64]:
        """(N, 3) points to (N, 3): x and y in 0..1 from the left and the top, depth [m]."""
        local = (np.asarray(points) - np.array(self.eye)) @ self.rotation().T
        depth = -local[:, 2]
        tan_x, tan_y = self.tangents
        safe = np.where(np.abs(depth) < 1e-9, 1e-9, depth)
        x = 0.5 + 0.5 * local[:, 0] / (safe * tan_x)
        y = 0.5 - 0.5 * local[:, 1] / (safe * tan_y)
        return np.stack([x, y, depth], axis=1)


def boxes_inside(low: Floats, high: Floats, planes: Floats) -> NDArray[np.bool_]:
    """(C,) whether each box (low, high) (C, 3) may lie inside the planes (P, 4)."""
    inside = np.ones(len(low), dtype=bool)
    for plane in planes:
        farthest = np.where(plane[:3] > 0.0, high, low)
        inside &= farthest @ plane[:3] + plane[3] >= 0.0
    return inside


def far_for(bounds: NDArray[np.float64]) -> float:
    """Where a camera of a level of these bounds (2, 3) may stop seeing [m]."""
    diagonal = float(np.linalg.norm(bounds[1] - bounds[0]))
    return max(3.0 * diagonal, 50.0)
