"""The ground of the works and the land around: yard, lane, valley, canyon, mesas."""

from collections.abc import Iterator
from typing import Final

import numpy as np
from numpy.typing import NDArray

from wallum.level.demos.kilnworks.shapes import sheet
from wallum.level.demos.kilnworks.surfaces import Surface
from wallum.level.model.model import Primitive
from wallum.level.model.solids import grid

__all__ = ["STAIR", "ground_at", "ground_height", "ground_pieces", "mesas"]

# The stair's hole in the ground: x from and to, z from and to.
STAIR: Final = (-18.9, -12.3, 2.9, 5.1)
# How far the ground goes on below its lowest place [m].
BELOW_M: Final = 0.5


def _rise(x: NDArray[np.float64]) -> NDArray[np.float64]:
    t = np.clip(x, 0.0, 1.0)
    return t * t * (3.0 - 2.0 * t)


def ground_height(x: NDArray[np.float64], z: NDArray[np.float64]) -> NDArray[np.float64]:
    """Height of the ground [m]: nearly level in the works, a valley north, the mesa's foot east."""
    x, z = np.asarray(x, float), np.asarray(z, float)
    away = np.maximum(np.abs(x) - 22.0, np.maximum(-z - 24.0, z - 40.0))
    outside = _rise(away / 26.0)
    ruts = 0.035 * np.sin(x * 0.9 + 0.7) * np.cos(z * 0.7) + 0.02 * np.sin(x * 2.3 + z * 1.1)
    lane = -0.05 * np.exp(-(((np.abs(x - 6.0) - 0.85) / 0.22) ** 2)) * _rise((z - 12.0) / 4.0)
    rolling = 1.6 * np.sin(x * 0.045 + 1.0) * np.cos(z * 0.05) + 0.7 * np.sin(x * 0.13) * np.sin(
        z * 0.11 + 2.0
    )
    valley = -26.0 * _rise((-z - 28.0) / 90.0) + 7.0 * _rise((-z - 260.0) / 200.0)
    foot = 22.0 * _rise((x - 34.0) / 120.0) * _rise((z + 150.0) / 120.0)
    west = 6.0 * _rise((-x - 60.0) / 160.0)
    wash = -5.0 * np.exp(-(((x + 70.0 + 0.25 * z) / 14.0) ** 2)) * _rise((-x - 34.0) / 20.0)
    return ruts * (1.0 - outside) + lane + outside * rolling + valley + foot + west + wash


def ground_at(x: float, z: float) -> float:
    """Height of the ground at one place [m]."""
    return float(ground_height(np.array(x), np.array(z)))


def _axis(
    low: float, inner_low: float, inner_high: float, high: float, lines: tuple[float, ...]
) -> NDArray[np.float64]:
    inner = np.arange(inner_low, inner_high + 0.01, 1.25)
    steps = 1.0 - np.geomspace(1.0, 0.035, 22)
    reach = steps / steps[-1]
    left = inner_low - (inner_low - low) * reach[1:] ** 1.7
    right = inner_high + (high - inner_high) * reach[1:] ** 1.7
    out = np.unique(np.round(np.concatenate([left, inner, right, np.array(lines)]), 3))
    return out


def ground_pieces() -> tuple[Primitive, ...]:
    """The ground as a sheet without the stair's hole, and what makes a body of it: a low sun would shine from
    below its edge into all that is dug."""
    x0, x1, z0, z1 = STAIR
    xs = _axis(-620.0, -24.0, 24.0, 560.0, (x0, x1))
    zs = _axis(-760.0, -29.0, 42.0, 420.0, (z0, z1))
    gx, gz = np.meshgrid(xs, zs)
    points = np.stack([gx, ground_height(gx, gz), gz], axis=-1)
    built = sheet(points[::-1], Surface.EARTH)
    middles = built.positions[built.triangles].mean(axis=1)
    inside = (middles[:, 0] > x0) & (middles[:, 0] < x1) & (middles[:, 2] > z0) & (middles[:, 2] < z1)
    above = Primitive(
        built.positions, built.normals, built.triangles[~inside], built.material, built.tangents, built.uv0
    )
    return above, *_below(points)


def _below(ground: NDArray[np.float64]) -> Iterator[Primitive]:
    """Sides and bottom of a body of which the ground (R, C, 3) is the top; rows and columns go along z and x."""
    low = float(ground[..., 1].min()) - BELOW_M
    for edge in (ground[0], ground[-1, ::-1], ground[::-1, 0], ground[:, -1]):
        foot = edge.copy()
        foot[:, 1] = low
        yield grid(np.stack([edge, foot]), Surface.EARTH, (1.0, 1.0))
    corners = ground[::-1][:: len(ground) - 1, :: ground.shape[1] - 1].copy()
    corners[..., 1] = low
    yield grid(corners[::-1], Surface.EARTH, (1.0, 1.0))


def _mesa(
    rng: np.random.Generator, x: float, z: float, radius: float, height: float, stretch: float
) -> Primitive:
    """A table of rock: a slope of rubble, cliffs in steps, a flat top."""
    around = np.linspace(0.0, 2.0 * np.pi, 91)
    outline = np.ones_like(around)
    for k in range(2, 16):
        outline += 0.30 / k**0.85 * rng.normal() * np.sin(k * around + 6.3 * rng.random())
    outline[-1] = outline[0]
    profile = [(0.0, 1.0), (0.55, 1.0), (0.70, 0.985), (0.715, 0.80), (0.75, 0.78), (0.765, 0.60),
               (0.80, 0.575), (0.815, 0.43), (0.90, 0.30), (1.02, 0.17), (1.2, 0.06), (1.45, -0.12)]  # fmt: skip
    rows = []
    for reach, tall in profile:
        flutes = 0.022 * np.sin(around * 31.0 + 2.0 * np.sin(around * 5.0)) + 0.018 * np.sin(
            around * 47.0 + 1.3
        )
        rough = (
            1.0 + flutes * (0.6 < reach < 0.95) + 0.03 * np.sin(around * 17.0 + tall * 9.0) * (reach > 0.85)
        )
        r = radius * reach * (outline * 0.7 + 0.3) * rough
        y = height * tall * (1.0 + 0.03 * np.sin(around * 3.0 + x))
        rows.append(np.stack([x + r * np.cos(around) * stretch, y, z + r * np.sin(around)], axis=-1))
    points = np.stack(rows)
    points[..., 1] += ground_at(x, z)
    built = sheet(points, Surface.ROCK)
    uv = np.stack(
        [
            np.tile(around / (2 * np.pi) * 14.0 * np.ceil(6.3 * radius / 14.0), len(rows)),
            -points[..., 1].ravel(),
        ],
        axis=1,
    ).astype(np.float32)
    return Primitive(built.positions, built.normals, built.triangles, built.material, built.tangents, uv)


def mesas() -> Iterator[tuple[str, Primitive]]:
    """The table mountains: one stands over the works, the others far over the valley."""
    rng = np.random.default_rng(77)
    stand = (
        ("near mesa", 150.0, -88.0, 74.0, 92.0, 1.0),
        ("east mesa", 235.0, 90.0, 80.0, 62.0, 1.0),
        ("north mesa", -60.0, -430.0, 120.0, 112.0, 1.5),
        ("butte", -190.0, -330.0, 30.0, 92.0, 1.0),
        ("west mesa", -330.0, -170.0, 100.0, 90.0, 1.0),
        ("far mesa", 120.0, -560.0, 110.0, 104.0, 1.6),
    )
    for name, x, z, radius, height, stretch in stand:
        yield name, _mesa(rng, x, z, radius, height, stretch)
