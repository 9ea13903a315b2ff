"""A level as one run of triangles in its own space, as the renderers take it."""

from dataclasses import dataclass
from functools import cached_property
from typing import Any

import numpy as np
from numpy.typing import NDArray

from wallum.level.model.model import Level, Primitive
from wallum.physics.arrays import crossed, dots, normalised, scaled

__all__ = ["Triangles", "flatten"]


@dataclass(frozen=True)
class Triangles:
    """Every triangle of a level, instances written out.

    positions, normals : (V, 3) float32 [m], unit
    tangents           : (V, 4) float32, zeros where none are needed
    uv                 : (V, 4) float32, first and second set
    colours            : (V, 4) float32 linear, ones where none are given
    faces              : (T, 3) uint32 into the vertices
    material, part     : (T,) int32 per triangle
    """

    positions: NDArray[np.float32]
    normals: NDArray[np.float32]
    tangents: NDArray[np.float32]
    uv: NDArray[np.float32]
    colours: NDArray[np.float32]
    faces: NDArray[np.uint32]
    material: NDArray[np.int32]
    part: NDArray[np.int32]

    @cached_property
    def _facing(self) -> tuple[NDArray[np.float32], NDArray[np.float32]]:
        a, b, c = (self.positions.take(self.faces[:, k], 0) for k in range(3))
        twice = crossed(np.subtract(b, a, dtype=np.float64), np.subtract(c, a, dtype=np.float64))
        length = np.sqrt(dots(twice, twice))
        unit = scaled(twice, 1.0 / np.where(length == 0.0, 1.0, length))
        return unit.astype(np.float32), (0.5 * length).astype(np.float32)

    @property
    def face_normals(self) -> NDArray[np.float32]:
        """(T, 3) unit, by the order of the corners; zeros for triangles without area."""
        return self._facing[0]

    @property
    def areas(self) -> NDArray[np.float32]:
        """(T,) [m2]."""
        return self._facing[1]


def _or_fill(values: NDArray[np.float32] | None, count: int, width: int, fill: float) -> NDArray[np.float32]:
    return np.full((count, width), fill, np.float32) if values is None else values


def _placed(primitive: Primitive, matrices: NDArray[np.float64]) -> list[NDArray[Any]]:
    """Vertices of one primitive in the level's space, once for each of (I, 4, 4) places; what a place
    mirrors is turned right."""
    linear, places, count = matrices[:, :3, :3], len(matrices), len(primitive.positions)
    cofactor = np.cross(linear[:, [1, 2, 0]], linear[:, [2, 0, 1]])
    mirrored = dots(linear[:, 0], cofactor[:, 0]) < 0.0  # the determinant
    side = np.where(mirrored, -1.0, 1.0)
    positions = primitive.positions @ linear.transpose(0, 2, 1).astype(np.float32)
    positions += matrices[:, None, :3, 3].astype(np.float32)
    turning = (cofactor * side[:, None, None]).transpose(0, 2, 1).astype(np.float32)
    normals = normalised(primitive.normals @ turning)
    tangents = np.zeros((places, count, 4), np.float32)
    if primitive.tangents is not None:
        tangents[..., :3] = normalised(
            primitive.tangents[:, :3] @ linear.transpose(0, 2, 1).astype(np.float32)
        )
        tangents[..., 3] = primitive.tangents[:, 3] * side[:, None]
    uv = np.concatenate(
        [_or_fill(primitive.uv0, count, 2, 0.0), _or_fill(primitive.uv1, count, 2, 0.0)], axis=1
    )
    faces = np.broadcast_to(primitive.triangles, (places, *primitive.triangles.shape))
    if mirrored.any():
        faces = np.where(mirrored[:, None, None], faces[:, :, ::-1], faces)
    colours = _or_fill(primitive.colours, count, 4, 1.0)
    repeated = (np.broadcast_to(item, (places, *item.shape)) for item in (uv, colours))
    return [positions, normals, tangents, *repeated, faces]


def _by_mesh(level: Level, numbers: list[int]) -> dict[int, dict[int, list[list[NDArray[Any]]]]]:
    """By mesh and then by part: the arrays of each primitive. All places of a mesh are worked out at once."""
    parts: dict[int, list[int]] = {}
    for number in numbers:
        parts.setdefault(level.parts[number].mesh, []).append(number)
    out: dict[int, dict[int, list[list[NDArray[Any]]]]] = {}
    for mesh, placed in parts.items():
        matrices = np.array([level.parts[number].matrix for number in placed])
        built = [_placed(primitive, matrices) for primitive in level.meshes[mesh].primitives]
        out[mesh] = {
            number: [[column[row] for column in columns] for columns in built]
            for row, number in enumerate(placed)
        }
    return out


def flatten(level: Level, only: NDArray[np.bool_] | None = None) -> Triangles:
    """Write out every part of a level, or those chosen (P,). No part gives arrays of length 0."""
    numbers = np.flatnonzero(np.ones(len(level.parts), bool) if only is None else only).tolist()
    placed = _by_mesh(level, numbers)
    columns: list[list[NDArray[Any]]] = []
    material, owner, first = [], [], 0
    for number in numbers:
        mesh = level.parts[number].mesh
        for primitive, (*vertices, faces) in zip(
            level.meshes[mesh].primitives, placed[mesh][number], strict=True
        ):
            columns.append([*vertices, faces + np.uint32(first)])
            first += len(vertices[0])
            material.append(np.full(len(faces), primitive.material, np.int32))
            owner.append(np.full(len(faces), number, np.int32))
    if not columns:
        p, n, t, u, c = (np.zeros((0, width), np.float32) for width in (3, 3, 4, 4, 4))
        nothing = np.zeros(0, np.int32)
        return Triangles(p, n, t, u, c, np.zeros((0, 3), np.uint32), nothing, nothing)
    p, n, t, u, c, f = (np.concatenate(column) for column in zip(*columns, strict=True))
    return Triangles(p, n, t, u, c, f.astype(np.uint32), np.concatenate(material), np.concatenate(owner))
