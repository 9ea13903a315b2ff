"""Depth of field: what a thin lens leaves sharp, and a picture as it is drawn by it.

A point at a depth d is drawn as a disc of the diameter f2 / N |d - F| / (d (F - f)) on the sensor, for a
focal length f, an f-number N and a focus at F (Ray 2002, "Applied Photographic Optics", chapter 22); the
sensor is 24 mm high, and the focal length is the one that gives the picture its angle. The picture is
gathered: each pixel is the mean of those whose disc reaches it, at half the size, by points of a spiral
(Vogel 1979), what is near apart from what is behind it. What is behind does not reach what is sharper before
it. An approximation: what is hidden behind a near edge is what is seen beside it. Twin of
realtime/passes/post/focus.py with shaders/focus.frag.glsl.
"""

import math
from dataclasses import dataclass
from typing import Final, Literal

import numpy as np
from numpy.typing import NDArray

from wallum.physics.arrays import Floats

__all__ = ["MAXIMUM", "SPIRAL", "Focus", "FocusSide", "focused", "tile_of"]

FocusSide = Literal["both", "far", "near"]
SENSOR_M: Final = 0.024
# Largest radius of a disc, as a share of the picture's height.
MAXIMUM: Final = 0.03
POINTS: Final = 36
# Radius up to which a disc is no larger than its pixel.
SHARP: Final = 0.5


def _spiral() -> NDArray[np.float64]:
    number = np.arange(POINTS)
    away, turn = np.sqrt((number + 0.5) / POINTS), number * math.pi * (3.0 - math.sqrt(5.0))
    return np.stack([away * np.cos(turn), away * np.sin(turn)], axis=-1)


# (36, 2) places in a unit disc.
SPIRAL: Final = _spiral()


@dataclass(frozen=True)
class Focus:
    """at : distance that is sharp [m]; stop : f-number; side : which side of it is drawn unsharp"""

    at: float
    stop: float
    side: FocusSide = "both"

    def strength(self, fov_deg: float) -> float:
        """Radius of the disc of what is endlessly far, as a share of the picture's height."""
        focal = 0.5 * SENSOR_M / math.tan(math.radians(0.5 * fov_deg))
        return 0.5 * focal**2 / (self.stop * max(self.at - focal, 1e-3)) / SENSOR_M

    def radius(self, depth: Floats, fov_deg: float) -> NDArray[np.float64]:
        """(...,) radius of the disc as a share of the picture's height at depths [m], 0 for what is endlessly
        far; below 0 before what is sharp."""
        d = np.asarray(depth, np.float64)
        share = np.where(d > 0.0, 1.0 - self.at / np.maximum(d, 1e-6), 1.0)
        out = np.clip(self.strength(fov_deg) * share, -MAXIMUM, MAXIMUM)
        if self.side == "far":
            return np.maximum(out, 0.0)
        return np.minimum(out, 0.0) if self.side == "near" else out


def tile_of(height: int) -> int:
    """Side of a tile in which the nearest blur radius is searched [pixels at half size]."""
    return max(math.ceil(0.5 * MAXIMUM * height), 4)


def focused(picture: Floats, depth: Floats, focus: Focus, fov_deg: float) -> NDArray[np.float64]:
    """Apply depth of field.

    picture : (H, W, 3) linear
    depth   : (H, W) [m]; 0 for the sky
    fov_deg : vertical field of view [deg]
    Returns (H, W, 3).
    """
    x = np.asarray(picture, np.float64)
    height, width = x.shape[:2]
    exact = focus.radius(depth, fov_deg) * height
    radius = np.sign(exact) * np.maximum(np.abs(exact) - SHARP, 0.0)
    light, half = _halved(x, 0.5 * radius, np.asarray(depth, np.float64))
    behind, near = _gathered(light, half, _near_reach(half, tile_of(height)))
    t = np.clip(radius, 0.0, 1.0)
    share = np.where(radius < 0.0, 1.0, t * t * (3.0 - 2.0 * t))[..., None]
    size = (height, width)
    x = x + (_enlarged(behind, size) - x) * share
    before = _enlarged(near, size)
    return np.asarray(x * (1.0 - before[..., 3:]) + before[..., :3])


def _halved(
    x: NDArray[np.float64], radius: NDArray[np.float64], depth: NDArray[np.float64]
) -> tuple[NDArray[np.float64], NDArray[np.float64]]:
    """Halve light and blur radius.

    The light is the mean of four pixels, the radius that of the nearest of the four.
    Returns (H/2, W/2, 3) and (H/2, W/2).
    """
    rows, columns = -(-x.shape[0] // 2), -(-x.shape[1] // 2)
    y = np.minimum(2 * np.arange(rows)[:, None] + np.array([0, 0, 1, 1]), x.shape[0] - 1)
    z = np.minimum(2 * np.arange(columns)[:, None] + np.array([0, 1, 0, 1]), x.shape[1] - 1)
    four = x[y[:, None, :], z[None, :, :]]
    away = depth[y[:, None, :], z[None, :, :]]
    nearest = np.argmin(np.where(away > 0.0, away, np.inf), axis=2)
    chosen = np.take_along_axis(radius[y[:, None, :], z[None, :, :]], nearest[..., None], axis=2)[..., 0]
    return four.mean(axis=2), chosen


def _near_reach(radius: NDArray[np.float64], tile: int) -> NDArray[np.float64]:
    """Largest near blur radius in the 3 x 3 tiles around each pixel, (H, W) [pixels]."""
    rows, columns = -(-radius.shape[0] // tile), -(-radius.shape[1] // tile)
    padded = np.zeros((rows * tile, columns * tile))
    padded[: radius.shape[0], : radius.shape[1]] = np.maximum(-radius, 0.0)
    largest = padded.reshape(rows, tile, columns, tile).max(axis=(1, 3))
    about = np.pad(largest, 1)
    wide = np.max([about[j : j + rows, i : i + columns] for j in range(3) for i in range(3)], axis=0)
    y, x = np.arange(radius.shape[0]) // tile, np.arange(radius.shape[1]) // tile
    return np.asarray(wide[y][:, x])


def _gathered(
    light: NDArray[np.float64], radius: NDArray[np.float64], near: NDArray[np.float64]
) -> tuple[NDArray[np.float64], NDArray[np.float64]]:
    """Gather far and near blur apart with the points of SPIRAL.

    light, radius, near : (H, W, 3), (H, W), (H, W), at half size
    Returns far light (H, W, 3), and near light times coverage with its coverage (H, W, 4).
    """
    rows, columns = radius.shape
    y, x = np.mgrid[:rows, :columns]
    reach = np.maximum(np.maximum(radius, 0.0), near)
    weight = np.where(radius < 0.0, 0.0, 1.0 / np.maximum(radius**2, 1.0))
    behind, before = light * weight[..., None], np.zeros(light.shape)
    near_weight, cover = np.zeros(radius.shape), np.zeros(radius.shape)
    for across, down in SPIRAL:
        j = np.clip(np.floor(y + down * reach + 0.5), 0, rows - 1).astype(np.int64)
        i = np.clip(np.floor(x + across * reach + 0.5), 0, columns - 1).astype(np.int64)
        other, away = radius[j, i], reach * math.hypot(across, down)
        # Behind a near pixel all farther pixels count; otherwise only pixels that are no sharper.
        own = np.where(other < 0.0, -other, np.minimum(other, np.maximum(radius, 0.0)))
        there = np.clip(own - away + 1.0, 0.0, 1.0)
        there = np.where((other >= 0.0) & (radius < 0.0), 1.0, there)
        share = there / np.maximum(own**2, 1.0)
        far = np.where(other < 0.0, 0.0, share)
        behind += light[j, i] * far[..., None]
        weight += far
        before += light[j, i] * (share - far)[..., None]
        near_weight += share - far
        cover += there * (other < 0.0)
    cover = np.where(near > 0.0, cover / POINTS, 0.0)
    alone = weight <= 0.0
    cover = np.where(alone, 1.0, cover)
    front = before / np.maximum(near_weight, 1e-6)[..., None]
    front = np.where((near_weight > 0.0)[..., None], front, light)
    behind = np.where(alone[..., None], front, behind / np.maximum(weight, 1e-6)[..., None])
    return behind, np.concatenate([front * cover[..., None], cover[..., None]], axis=-1)


def _enlarged(values: NDArray[np.float64], size: tuple[int, int]) -> NDArray[np.float64]:
    """Bilinear upsampling of (h, w, C) to a size (H, W), as a texture lookup does."""
    out = values
    for axis, many in enumerate(size):
        few = values.shape[axis]
        at = np.clip((np.arange(many) + 0.5) / many * few - 0.5, 0.0, few - 1.0)
        first = np.floor(at).astype(np.int64)
        share = (at - first).reshape([-1 if k == axis else 1 for k in range(3)])
        a, b = out.take(first, axis=axis), out.take(np.minimum(first + 1, few - 1), axis=axis)
        out = a + (b - a) * share
    return out
