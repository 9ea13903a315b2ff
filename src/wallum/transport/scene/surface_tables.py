"""What rays hit, as arrays: colours, normals, gloss and glow of many surfaces at once.

All textures of a level lie behind each other in one table, so that a gather serves every
material; texels are read as they are, nearest, and the mean over many rays smooths them.
"""

from dataclasses import dataclass

import numpy as np
from numpy.typing import NDArray

from wallum.level.model.flatten import Triangles
from wallum.level.model.model import Level, Material, Slot
from wallum.level.model.texels import nearest
from wallum.physics.arrays import Floats, crossed, dots, normalised, scaled
from wallum.physics.tone import srgb_decode
from wallum.transport.scene.rays import Hits

__all__ = ["SurfaceTables", "Surfaces"]

SLOTS: tuple[Slot, ...] = ("base", "normal", "metal_rough", "emissive")
ONE = np.float32(1.0)


@dataclass
class Surfaces:
    """N surfaces: normals (N, 3) that face the eye, base (N, 3), metallic, roughness (N,), unlit (N,),
    part (N,); the K that shine: their rows (K,), their glow (K, 3) [cd/m2] without the scene's gain."""

    normals: NDArray[np.float32]
    faces: NDArray[np.float32]
    base: NDArray[np.float32]
    metallic: NDArray[np.float32]
    roughness: NDArray[np.float32]
    shining: NDArray[np.int64]
    glow: NDArray[np.float32]
    unlit: NDArray[np.bool_]
    part: NDArray[np.int64]
    f0: NDArray[np.float32] | None = None  # (N,) where some of the level's is not the usual one
    paper: bool = False  # whether all of them send all light back, alike to all sides

    @classmethod
    def white_paper(cls, normals: Floats, faces: Floats) -> "Surfaces":
        """N surfaces of which the luminance is the illuminance over pi: what is measured with."""
        count = len(normals)
        nothing, ones = np.zeros(count, np.float32), np.ones((count, 3), np.float32)
        no_rows, no_glow = np.zeros(0, np.int64), np.zeros((0, 3), np.float32)
        marks = np.zeros(count, bool), np.full(count, -1, np.int64)
        rough: NDArray[np.float32] = np.ones(count, np.float32)
        facing = np.asarray(normals, np.float32), np.asarray(faces, np.float32)
        return cls(*facing, ones, nothing, rough, no_rows, no_glow, *marks, paper=True)


class SurfaceTables:
    """A level's materials and textures, ready to be gathered from. shines : by material, whether it glows"""

    def __init__(self, level: Level, triangles: Triangles) -> None:
        self._flat = triangles
        # All of a triangle in one row, for one gather: its first corner, and the ways to the others.
        columns = (triangles.normals, triangles.tangents, triangles.uv, triangles.colours[:, :3])
        corners = np.concatenate(columns, axis=1).astype(np.float32)
        a, b, c = (corners.take(triangles.faces[:, k], 0) for k in range(3))
        self._rows = np.concatenate([a, b - a, c - a], axis=1)
        materials = level.materials
        self._base = _table([m.base[:3] for m in materials] or [(1.0,) * 3])
        self._glow = _table([m.glow for m in materials] or [(0.0,) * 3])
        self.shines = self._glow.any(axis=1)
        self._gloss = _table([(m.metallic, m.roughness) for m in materials] or [(0.0, 1.0)])
        unusual = any(m.reflectance != Material.reflectance for m in materials)
        self._f0 = _table([m.reflectance for m in materials]) if unusual else None
        # What goes through is not sent back by what lies under the gloss.
        self._base *= (1.0 - _table([m.transmission for m in materials] or [0.0]))[:, None]
        self._double = np.array([m.double_sided for m in materials] or [True])
        self._unlit = np.array([m.unlit for m in materials] or [False])
        self._bump = _table([m.normal_scale for m in materials] or [1.0])
        self._decode = srgb_decode(np.arange(256) / 255.0).astype(np.float32)
        texels: list[NDArray[np.uint8]] = [np.full((1, 4), 255, np.uint8)]
        starts: dict[int, tuple[int, int, int]] = {}
        first = 1
        for index in sorted({use.picture for m in materials for use in m.textures.values()}):
            pixels = level.pictures[index].pixels
            starts[index] = (first, pixels.shape[1], pixels.shape[0])
            texels.append(pixels.reshape(-1, 4))
            first += len(texels[-1])
        self._texels = np.concatenate(texels)
        rows = {slot: self._use_rows(level, slot, starts) for slot in SLOTS}
        self._uses = {slot: pair[0] for slot, pair in rows.items()}
        self._shapes = {slot: pair[1] for slot, pair in rows.items()}

    @staticmethod
    def _use_rows(
        level: Level, slot: Slot, starts: dict[int, tuple[int, int, int]]
    ) -> tuple[NDArray[np.float32], NDArray[np.int32]]:
        """By material: whether it has such a map and the transform's rows (7); the first texel, width,
        height, whether it reads the second coordinates, how it wraps each way (6)."""
        places = np.zeros((max(len(level.materials), 1), 7), np.float32)
        shapes = np.tile(np.array([0, 1, 1, 0, 0, 0], np.int32), (len(places), 1))
        for number, material in enumerate(level.materials):
            use = material.textures.get(slot)
            if use is not None:
                (a, b, c), (d, e, f) = use.matrix()
                places[number] = (1.0, a, b, c, d, e, f)
                wraps = (use.sampler.wrap_s, use.sampler.wrap_t)
                shapes[number] = (*starts[use.picture], use.uv_set, *wraps)
        return places, shapes

    def _texel(self, slot: Slot, material: NDArray[np.int32], uv: Floats) -> NDArray[np.uint8]:
        place, shape = self._uses[slot].take(material, 0), self._shapes[slot].take(material, 0)
        u, v = uv[:, 0], uv[:, 1]
        if shape[:, 3].any():
            second = shape[:, 3] > 0
            u, v = np.where(second, uv[:, 2], u), np.where(second, uv[:, 3], v)
        x = place[:, 1] * u + place[:, 2] * v + place[:, 3]
        y = place[:, 4] * u + place[:, 5] * v + place[:, 6]
        wide = shape[:, 1]
        column, line = nearest(x, wide, shape[:, 4]), nearest(y, shape[:, 2], shape[:, 5])
        return self._texels.take(shape[:, 0] + line * wide + column, 0)

    def at(self, hits: Hits, directions: Floats) -> Surfaces:
        """The surfaces that rays have met; every hit must be one. directions : (N, 3) of the rays."""
        flat, result = self._flat, hits.triangle
        material = flat.material.take(result)
        faces = flat.face_normals.take(result, 0)
        a, b, c = np.split(self._rows.take(result, 0), 3, axis=1)
        row = a + b * hits.weights[:, :1] + c * hits.weights[:, 1:]
        uv: Floats = row[:, 7:11]
        normals: Floats = normalised(row[:, :3])
        front = -dots(faces, directions)
        faces = scaled(faces, np.copysign(ONE, front))
        normals = scaled(normals, np.copysign(ONE, dots(normals, faces)))
        bumped = np.flatnonzero(self._uses["normal"][:, 0].take(material))
        if len(bumped):
            own = row.take(bumped, 0)
            normals[bumped] = self._bumped(
                material.take(bumped), own[:, 7:11], normals.take(bumped, 0), own[:, 3:7]
            )
        base = self._base.take(material, 0) * row[:, 11:14]
        texel = self._texel("base", material, uv)
        for k in range(3):
            base[:, k] *= self._decode.take(texel[:, k])
        # What has one side only does not shine from behind.
        shining = np.flatnonzero(self.shines.take(material) & ((front >= 0.0) | self._double.take(material)))
        glow = self._glow_of(material.take(shining), uv.take(shining, 0))
        gloss: Floats = self._gloss.take(material, 0)
        if self._uses["metal_rough"][:, 0].take(material).any():
            gloss = gloss * (self._texel("metal_rough", material, uv)[:, [2, 1]] / np.float32(255.0))
        unlit, part = self._unlit.take(material), flat.part.take(result).astype(np.int64)
        f0 = None if self._f0 is None else self._f0.take(material)
        return Surfaces(normals, faces, base, gloss[:, 0], gloss[:, 1], shining, glow, unlit, part, f0)

    def shining(self, hits: Hits) -> NDArray[np.bool_]:
        """(N,) which of what rays hit may glow, or asks for no light."""
        shown = self.shines | self._unlit
        return (hits.triangle >= 0) & shown.take(self._flat.material.take(hits.triangle))

    def _glow_of(self, material: NDArray[np.int32], uv: Floats) -> NDArray[np.float32]:
        glow = self._glow.take(material, 0)
        if len(material):
            glow *= self._decode.take(self._texel("emissive", material, uv)[:, :3])
        return glow

    def glow_at(self, triangles: NDArray[np.int64], weights: Floats) -> NDArray[np.float32]:
        """(N, 3) what triangles (N,) give at weights (N, 2) of their second and third corners [cd/m2]."""
        a, b, c = np.split(self._rows.take(triangles, 0), 3, axis=1)
        row = a + b * weights[:, :1] + c * weights[:, 1:]
        return self._glow_of(self._flat.material.take(triangles), row[:, 7:11])

    def declared_glow(self, triangles: NDArray[np.int64]) -> NDArray[np.float32]:
        """(N, 3) what triangles (N,) give where their picture is white [cd/m2]."""
        return self._glow.take(self._flat.material.take(triangles), 0)

    def _bumped(
        self, material: NDArray[np.int32], uv: Floats, normals: Floats, lines: Floats
    ) -> NDArray[np.float32]:
        """Normals by their map; never turned away from their face."""
        bump = self._texel("normal", material, uv).T[:3] / np.float32(127.5) - ONE
        bump[:2] *= self._bump.take(material)
        along = normalised(lines[:, :3])
        across = scaled(crossed(normals, along), np.sign(lines[:, 3]) * bump[1])
        raised = scaled(normals, np.maximum(bump[2], np.float32(0.05)))
        return normalised(scaled(along, bump[0]) + across + raised)


def _table(values: object) -> NDArray[np.float32]:
    return np.array(values, dtype=np.float32)
