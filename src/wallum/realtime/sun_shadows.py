"""Shadow maps of the sun: three cascades that stand still while the camera moves a little.

Each cascade is a square about the part of the view it serves, wider than needed and moved
only in whole steps, so that it need not be drawn again for small moves and its texels stay
where they are. Source: Valient 2007, "Stable Rendering of Cascaded Shadow Maps".
"""

from dataclasses import dataclass
from itertools import pairwise

import moderngl
import numpy as np
from numpy.typing import NDArray

from wallum.moment.camera import Camera, frustum_planes, look_rotation
from wallum.realtime.drawing import LevelOnGpu

__all__ = ["CASCADES", "Cascade", "SunShadows"]

CASCADES = 3
TEXELS = 1024
LONGEST_M = 150.0
# Share of a cascade's radius by which it moves at once.
STEP = 0.5
# Weight of the logarithmic against the even division of depth: Zhang 2006.
DIVISION = 0.8


@dataclass(frozen=True)
class Cascade:
    """One cascade: level to clip space, how far it serves [m], texel width [m]."""

    matrix: NDArray[np.float64]
    axes: NDArray[np.float64]  # (4, 4) level to the sun's axes, depth 0..1 in z
    at: tuple[float, float]  # middle on the sun's axes [m]
    half: float
    end: float
    texel: float
    key: bytes


def _ends(near: float, far: float) -> NDArray[np.float64]:
    step = np.arange(1, CASCADES + 1) / CASCADES
    logarithmic = near * (far / near) ** step
    even = near + (far - near) * step
    return DIVISION * logarithmic + (1.0 - DIVISION) * even


def _slice_sphere(camera: Camera, start: float, end: float) -> tuple[NDArray[np.float64], float]:
    """Centre and radius of the sphere about a slice of the view."""
    spread = np.hypot(*camera.tangents)
    middle = min(0.5 * (start + end) * (1.0 + spread**2), end)
    radius = max(np.hypot(end - middle, end * spread), np.hypot(start - middle, start * spread))
    direction = np.array(camera.direction)
    return np.array(camera.eye) + direction * middle, float(radius)


def cascades_for(
    sun_direction: NDArray[np.float64], camera: Camera, bounds: NDArray[np.float64]
) -> list[Cascade]:
    """The three cascades of a camera; they change only in whole steps."""
    diagonal = float(np.linalg.norm(bounds[1] - bounds[0])) or 1.0
    longest = min(diagonal, LONGEST_M)
    starts = [camera.near, *_ends(min(1.0, longest / 8.0), longest)]
    rotation = look_rotation(-sun_direction)
    corners = np.array(np.meshgrid(*bounds.T)).reshape(3, -1).T @ rotation.T
    # Rounding the depths keeps a cascade's key from changing with the last bit.
    high, low = np.ceil(corners[:, 2].max()) + 1.0, np.floor(corners[:, 2].min()) - 1.0
    axes = np.eye(4)
    axes[:3, :3] = rotation
    axes[2] = np.array([*-rotation[2], high]) / (high - low)
    out = []
    for start, end in pairwise(starts):
        centre, radius = _slice_sphere(camera, start, end)
        radius = float(2.0 ** (np.ceil(np.log2(radius) * 8.0) / 8.0))
        step = STEP * radius
        half = radius + 0.5 * step
        at = np.round((rotation @ centre)[:2] / step) * step
        view = np.eye(4)
        view[:3, :3] = rotation
        view[:3, 3] = (-at[0], -at[1], -high)
        projection = np.diag([1.0 / half, 1.0 / half, -2.0 / (high - low), 1.0])
        projection[2, 3] = -1.0
        key = np.array([*sun_direction, *at, half, high, low]).tobytes()
        middle = (float(at[0]), float(at[1]))
        out.append(Cascade(projection @ view, axes, middle, half, end, 2.0 * half / TEXELS, key))
    return out


class SunShadows:
    """Three tiles of one atlas, each redrawn when its cascade moved or the sun did."""

    def __init__(self, context: moderngl.Context) -> None:
        self._context = context
        self.atlas = context.depth_texture((2 * TEXELS, 2 * TEXELS))
        self.atlas.compare_func = "<="
        self.atlas.filter = (moderngl.LINEAR, moderngl.LINEAR)
        self.frame = context.framebuffer([], self.atlas)
        self._drawn: list[bytes] = [b""] * CASCADES
        self.cascades: list[Cascade] = []

    def level_changed(self) -> None:
        """Every cascade shows what is no longer there."""
        self._drawn = [b""] * CASCADES

    def assign(
        self, direction: NDArray[np.float64], camera: Camera, bounds: NDArray[np.float64]
    ) -> list[int]:
        """Place the cascades for a sun in a direction; returns the numbers of those to draw anew."""
        self.cascades = cascades_for(direction, camera, bounds)
        return [i for i, cascade in enumerate(self.cascades) if self._drawn[i] != cascade.key]

    def keep(self, index: int, cascade: Cascade) -> None:
        """Go on with what a tile shows already, though the sun or camera moved."""
        self.cascades[index] = cascade

    def draw(self, index: int, level: LevelOnGpu) -> dict[str, int]:
        """Draw one cascade; returns the work done."""
        cascade = self.cascades[index]
        context = self._context
        context.enable_only(moderngl.DEPTH_TEST)
        context.depth_func = "<"
        context.polygon_offset = 2.0, 4.0
        place = (index % 2 * TEXELS, index // 2 * TEXELS, TEXELS, TEXELS)
        self.frame.use()
        self.frame.viewport = place
        self.frame.scissor = place
        self.frame.clear(depth=1.0)
        triangles = level.draw_depth(cascade.matrix, frustum_planes(cascade.matrix))
        self.frame.scissor = None
        context.polygon_offset = 0.0, 0.0
        self._drawn[index] = cascade.key
        return {"triangles": triangles, "texels": TEXELS**2, "tiles": 1}

    def uniforms(self) -> dict[str, object]:
        """Values of include/sun_shadow.glsl."""
        places = []
        for index, cascade in enumerate(self.cascades):
            scale = 0.25 / cascade.half
            x, y = (
                0.25 + 0.5 * part - scale * middle
                for part, middle in zip((index % 2, index // 2), cascade.at, strict=True)
            )
            places.append((scale, x, y, cascade.texel))
        return {
            "sun_axes": self.cascades[0].axes.T.astype("f4").tobytes(),
            "cascade_place": places,
            "cascade_end": tuple(cascade.end for cascade in self.cascades),
        }
