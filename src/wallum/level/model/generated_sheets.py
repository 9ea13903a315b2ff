"""Sheets of rolling ground beside each other: levels of any size, for measuring."""

from dataclasses import replace
from pathlib import Path

import numpy as np

from wallum.level.gltf_writer import extensions_used, level_document, to_glb
from wallum.level.model.model import Level, Material, Mesh, Part, Picture, Primitive, TextureUse
from wallum.level.model.pictures import as_png
from wallum.level.model.shading_basis import flat_normals
from wallum.level.model.solids import grid

__all__ = ["grove", "pictured_sheets", "rolling_sheets", "write_level"]

WIDE_M = 10.0
GREY = Material(base=(0.4, 0.4, 0.4, 1.0), metallic=0.0)


def rolling_sheets(count: int, points: int, across: int = 6) -> Level:
    """`count` sheets with `points` corners along each side, `across` of them in a row."""
    side = np.linspace(0.0, WIDE_M, points)
    x, z = np.meshgrid(side, side)
    parts, meshes = [], []
    for number in range(count):
        net = np.stack([x, 0.3 * np.sin(x + number) * np.cos(z), z], axis=-1)
        meshes.append(Mesh(f"sheet {number}", (grid(net[::-1], 0),)))
        matrix = np.eye(4)
        matrix[:3, 3] = (1.1 * WIDE_M * (number % across), 0.0, 1.1 * WIDE_M * (number // across))
        parts.append(Part(f"sheet {number}", f"sheet {number}", number, matrix))
    return Level("sheets", tuple(meshes), tuple(parts), (GREY,))


def grove(count: int, leaves: int) -> Level:
    """A sheet with `count` trees of one shape on it, each of so many leaves of one triangle."""
    rng = np.random.default_rng(7)
    ground = rolling_sheets(1, 3)
    middles = rng.normal(size=(leaves, 3)) * (0.7, 1.0, 0.7) + (0.0, 3.0, 0.0)
    corners = (middles[:, None] + rng.normal(size=(leaves, 3, 3)) * 0.12).reshape(-1, 3).astype(np.float32)
    crown = Primitive(
        corners, flat_normals(corners), np.arange(3 * leaves, dtype=np.uint32).reshape(-1, 3), 1
    )
    leaf = Material("leaf", (0.1, 0.2, 0.05, 1.0), metallic=0.0, double_sided=True)
    parts = [replace(ground.parts[0], matrix=np.diag([20.0, 1.0, 20.0, 1.0]))]
    for number in range(count):
        matrix = np.diag([*np.full(3, rng.uniform(0.7, 1.3)), 1.0])
        matrix[[0, 2], 3] = rng.uniform(0.0, 20.0 * WIDE_M, 2)
        parts.append(Part(f"tree {number}", f"tree {number}", 1, matrix))
    return Level("grove", (*ground.meshes, Mesh("tree", (crown,))), tuple(parts), (GREY, leaf))


def pictured_sheets(count: int, size: int) -> Level:
    """As many sheets, each with a picture of its own of size x size."""
    bare = rolling_sheets(count, 9)
    rng = np.random.default_rng(3)
    pictures, materials, meshes = [], [], []
    for number, mesh in enumerate(bare.meshes):
        tile = rng.integers(60, 200, (min(size, 256),) * 2 + (3,), dtype=np.uint8)
        whole = np.tile(tile, (size // len(tile), size // len(tile), 1))
        pictures.append(Picture(f"picture {number}", "image/png", as_png(whole)))
        materials.append(Material(f"m{number}", metallic=0.0, textures={"base": TextureUse(number)}))
        meshes.append(
            Mesh(mesh.name, tuple(replace(primitive, material=number) for primitive in mesh.primitives))
        )
    return replace(bare, meshes=tuple(meshes), materials=tuple(materials), pictures=tuple(pictures))


def write_level(level: Level, path: Path) -> Path:
    """Write a level as a .glb file, without light."""
    document, data = level_document(level, level.shots, level.name)
    document["extensionsUsed"] = extensions_used(document)
    path.write_bytes(to_glb({key: value for key, value in document.items() if value != []}, data))
    return path
