"""A level as one run of triangles in its own space, as the renderers take it."""

from dataclasses import dataclass
from functools import cached_property
from typing import Any

import numpy as np
from numpy.typing import NDArray

from wallum.level.model import Level, Part, Primitive
from wallum.physics.arrays import cofactors, crossed, dots, normalised, scaled

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


def _placed(primitive: Primitive, part: Part) -> list[NDArray[Any]]:
    """Vertices of one primitive in the level's space; a mirrored part is turned right."""
    linear, count = part.matrix[:3, :3], len(primitive.positions)
    cofactor = cofactors(linear)
    mirrored = linear[0] @ cofactor[0] < 0.0  # the determinant
    positions = primitive.positions @ linear.T.astype(np.float32)
    positions += part.matrix[:3, 3].astype(np.float32)
    normals = normalised(primitive.normals @ cofactor.T * (-1.0 if mirrored else 1.0))
    tangents = np.zeros((count, 4), np.float32)
    if primitive.tangents is not None:
        tangents[:, :3] = normalised(primitive.tangents[:, :3] @ linear.T)
        tangents[:, 3] = primitive.tangents[:, 3] * (-1.0 if mirrored else 1.0)
    uv = np.concatenate(
        [_or_fill(primitive.uv0, count, 2, 0.0), _or_fill(primitive.uv1, count, 2, 0.0)], axis=1
    )
    faces = primitive.triangles[:, ::-1] if mirrored else primitive.triangles
    colours = _or_fill(primitive.colours, count, 4, 1.0)
    return [positions, normals.astype(np.float32), tangents, uv, colours, faces]


def flatten(level: Level) -> Triangles:
    """Write out every part of a level. An empty level gives arrays of length 0."""
    columns: list[list[NDArray[Any]]] = []
    material, owner, first = [], [], 0
    for number, part in enumerate(level.parts):
        for primitive in level.meshes[part.mesh].primitives:
            *vertices, faces = _placed(primitive, part)
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
