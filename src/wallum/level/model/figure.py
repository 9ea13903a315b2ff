"""A stand-in figure 1.8 m tall, with a grey and a mirror ball before it, to judge light by."""

import math
from typing import Final

import numpy as np
from numpy.typing import NDArray

from wallum.level.model.model import Material, Mesh, Part, Primitive
from wallum.level.model.solids import revolve

__all__ = ["FIGURE_PARTS", "figure_parts"]

# Radius and height of the outline [m], crown to feet: a smooth stand-in, and no one.
OUTLINE: Final = np.array([
    (0.001, 1.800), (0.050, 1.786), (0.088, 1.745), (0.104, 1.670), (0.088, 1.590), (0.064, 1.545),
    (0.076, 1.495), (0.170, 1.435), (0.196, 1.360), (0.180, 1.200), (0.152, 1.060), (0.178, 0.920),
    (0.160, 0.740), (0.118, 0.420), (0.122, 0.110), (0.158, 0.020), (0.150, 0.000),
])  # fmt: skip
FLATNESS: Final = 0.66
BALL_M: Final = 0.09
BAR_M: Final = 0.011
HELD_AT: Final = (0.34, 1.24, -0.30)  # how far aside, how high, how far ahead
FIGURE_PARTS: Final = ("figure body", "figure grey ball", "figure mirror ball")


def _ball(material: int) -> Primitive:
    turn = np.linspace(0.0, np.pi, 25)
    return revolve(np.stack([np.sin(turn) * BALL_M, np.cos(turn) * BALL_M], axis=1), 40, material)


def _bar(material: int) -> Primitive:
    """From ball to ball, and a post from it down to the ground."""
    half = HELD_AT[0]
    rod = revolve(np.array([(0.0, half), (BAR_M, half), (BAR_M, -half), (0.0, -half)]), 10, material)
    across = np.array([[0.0, 1.0, 0.0], [-1.0, 0.0, 0.0], [0.0, 0.0, 1.0]])
    positions = rod.positions @ across.T + np.array([0.0, HELD_AT[1], HELD_AT[2]])
    normals = rod.normals @ across.T
    return Primitive(positions.astype(np.float32), normals.astype(np.float32), rod.triangles, material)


def _body(material: int) -> Primitive:
    t = np.linspace(0.0, len(OUTLINE) - 1.0, 68)
    outline = np.stack([np.interp(t, np.arange(len(OUTLINE)), OUTLINE[:, k]) for k in (0, 1)], axis=1)
    solid = revolve(outline, 32, material)
    squeeze = np.array([1.0, 1.0, FLATNESS], np.float32)
    normals = solid.normals / squeeze
    normals /= np.linalg.norm(normals, axis=1, keepdims=True)
    return Primitive(solid.positions * squeeze, normals, solid.triangles, material)


def _placed(position: tuple[float, float, float], turn_deg: float) -> NDArray[np.float64]:
    angle = -math.radians(turn_deg)
    c, s = math.cos(angle), math.sin(angle)
    out = np.eye(4)
    out[:3, :3] = np.array([[c, 0.0, s], [0.0, 1.0, 0.0], [-s, 0.0, c]])
    out[:3, 3] = position
    return out


def figure_parts(
    position: tuple[float, float, float], turn_deg: float, first_mesh: int, first_material: int
) -> tuple[tuple[Mesh, ...], tuple[Part, ...], tuple[Material, ...]]:
    """Meshes, parts and materials of the figure, numbered to stand behind a level's own.

    position : where its feet are [m]; turn_deg : where it faces, clockwise from north (-Z)
    """
    grey = (0.18, 0.18, 0.18, 1.0)
    materials = (
        Material("figure", grey, metallic=0.0, roughness=0.9),
        Material("grey ball", grey, metallic=0.0, roughness=1.0),
        Material("mirror ball", (0.96, 0.96, 0.96, 1.0), metallic=1.0, roughness=0.02),
    )
    cloth, dull, mirror = range(first_material, first_material + 3)
    meshes = (
        Mesh("figure body", (_body(cloth), _bar(cloth))),
        Mesh("figure grey ball", (_ball(dull),)),
        Mesh("figure mirror ball", (_ball(mirror),)),
    )
    stand = _placed(position, turn_deg)
    current = [np.zeros(3), np.array([-HELD_AT[0], *HELD_AT[1:]]), np.array(HELD_AT)]
    parts = []
    for number, (name, at) in enumerate(zip(FIGURE_PARTS, current, strict=True)):
        matrix = stand.copy()
        matrix[:3, 3] += stand[:3, :3] @ at
        parts.append(Part(name, name, first_mesh + number, matrix))
    return meshes, tuple(parts), materials
