"""Water as a surface: what is marked as water is dark, smooth and rippled, and mirrors sky and sun."""

from dataclasses import replace
from functools import lru_cache

import numpy as np

from wallum.level.model.model import Material, Mesh, Part, Picture, Primitive, TextureUse
from wallum.level.model.pictures import as_png
from wallum.physics.arrays import cofactors

__all__ = ["RIPPLES_M", "ripple_picture", "water_material", "water_part"]

# One repeat of the ripples, and how steep they are as a root of the mean square.
RIPPLES_M, STEEPNESS = 1.6, 0.055
SIZE, WAVES, SEED = 256, 90, 4
# Light that clear, deep water sends back from within: little, and greenish.
BASE = (0.012, 0.03, 0.034, 1.0)
ROUGHNESS = 0.07


@lru_cache(maxsize=1)
def ripple_picture() -> Picture:
    """Normals of small waves that run mostly one way, made to repeat at the edges."""
    rng = np.random.default_rng(SEED)
    x, y = np.meshgrid(np.arange(SIZE) / SIZE, np.arange(SIZE) / SIZE)
    slope_x, slope_y = np.zeros((SIZE, SIZE)), np.zeros((SIZE, SIZE))
    for _ in range(WAVES):
        length = rng.uniform(3.0, 26.0)
        turn = rng.normal(0.6, 0.75)
        k = np.round(length * np.array([np.cos(turn), np.sin(turn)]))
        slope = (
            np.cos(2.0 * np.pi * (k[0] * x + k[1] * y) + rng.uniform(0.0, 2.0 * np.pi))
            / max(length, 1.0) ** 0.4
        )
        slope_x += slope * k[0] / length
        slope_y += slope * k[1] / length
    scale = STEEPNESS / np.sqrt((slope_x**2 + slope_y**2).mean() / 2.0)
    # Green is up the picture, and its rows go down.
    normal = np.stack([-slope_x * scale, slope_y * scale, np.ones_like(slope_x)], axis=-1)
    normal /= np.linalg.norm(normal, axis=-1, keepdims=True)
    pixels = np.round((normal * 0.5 + 0.5) * 255.0).astype(np.uint8)
    return Picture("ripples", "image/png", as_png(pixels))


def water_material(picture: int) -> Material:
    """The surface of water, its ripples in a picture of that number."""
    return Material(
        "water", BASE, 0.0, ROUGHNESS, double_sided=True, textures={"normal": TextureUse(picture)}
    )


def _rippled(primitive: Primitive, part: Part, material: int) -> Primitive:
    """A primitive in the level's space, its ripples laid from above."""
    positions = primitive.positions @ part.matrix[:3, :3].T.astype(np.float32) + part.matrix[:3, 3].astype(
        np.float32
    )
    normals = primitive.normals @ cofactors(part.matrix[:3, :3]).T.astype(np.float32)
    normals /= np.maximum(np.linalg.norm(normals, axis=1, keepdims=True), 1e-12)
    uv = (positions[:, [0, 2]] / RIPPLES_M).astype(np.float32)
    tangents = np.tile(np.array([1.0, 0.0, 0.0, 1.0], np.float32), (len(positions), 1))
    return replace(
        primitive, positions=positions.astype(np.float32), normals=normals.astype(np.float32), uv0=uv,
        uv1=None, tangents=tangents, colours=None, material=material,
    )  # fmt: skip


def water_part(part: Part, mesh: Mesh, number: int, material: int) -> tuple[Part, Mesh]:
    """A part as water: with a mesh of its own, which gets a number, and of a material."""
    built = Mesh(
        f"{mesh.name} as water", tuple(_rippled(primitive, part, material) for primitive in mesh.primitives)
    )
    return replace(part, mesh=number, matrix=np.eye(4)), built
