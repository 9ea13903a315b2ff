"""Packs a level for the renderer; done once by whoever opened the level."""

from dataclasses import dataclass, field, replace

import numpy as np
from numpy.typing import NDArray

from wallum.errors import LevelProblem
from wallum.level.model.flatten import Triangles, flatten
from wallum.level.model.model import Level, Material, Part, Slot, TextureUse
from wallum.level.model.texels import MIRRORED
from wallum.realtime.level.batches import MeshInstances, placed_boxes, placings
from wallum.realtime.level.bundle import (
    GLOSSY,
    GLOW_SCALE,
    VEIL,
    VERTEX,
    Batch,
    LevelBundle,
    PackedMaterial,
    TextureData,
)
from wallum.realtime.level.chunking import space_order
from wallum.realtime.level.coarsening import CELLS_M, coarser

__all__ = ["bundle_level", "chunk_boxes"]

# Lamps that glow may follow: a number in eight bits, and 0 for none.
MAX_FOLLOWED = 255
SLOTS: tuple[Slot, ...] = ("base", "metal_rough", "normal", "occlusion", "emissive")
FEATURES = ("BASE_MAP", "METAL_ROUGH_MAP", "NORMAL_MAP", "OCCLUSION_MAP", "EMISSIVE_MAP")
LARGEST_TEXTURE = 4096


def _vertices(triangles: Triangles) -> NDArray[np.void]:
    out = np.zeros(len(triangles.positions), VERTEX)
    out["position"] = triangles.positions
    out["normal"][:, :3] = triangles.normals
    out["tangent"] = triangles.tangents
    out["uv"] = triangles.uv
    out["colour"] = triangles.colours
    return out


def _corners(
    positions: NDArray[np.float32], faces: NDArray[np.uint32], chunks: NDArray[np.int64]
) -> tuple[NDArray[np.float32], NDArray[np.float32]]:
    if not len(chunks):
        return np.zeros((0, 3), np.float32), np.zeros((0, 3), np.float32)
    a, b, c = (positions[faces[:, corner]] for corner in range(3))
    first = chunks[:, 0]
    low = np.minimum.reduceat(np.minimum(np.minimum(a, b), c), first, axis=0)
    high = np.maximum.reduceat(np.maximum(np.maximum(a, b), c), first, axis=0)
    return low, high


def _features(material: Material, coloured: bool) -> frozenset[str]:
    names = {f for f, slot in zip(FEATURES, SLOTS, strict=True) if slot in material.textures}
    if any(not use.plain or _mirrors(use) != (1, 1) for use in material.textures.values()):
        names.add("UV_MOVED")
    if material.alpha == "mask":
        names.add("MASK")
    if material.alpha == "blend":
        names.add("BLEND")
    if material.see_through:
        names.add(VEIL)
    if material.double_sided:
        names.add("DOUBLE_SIDED")
    if coloured:
        names.add("VERTEX_COLOUR")
    return frozenset(names)


def _is_glossy(material: Material) -> bool:
    """Whether it may be smooth enough to mirror the level: a texture may make it smoother than it is."""
    return material.roughness < GLOSSY or "metal_rough" in material.textures


def _kind(material: Material) -> float:
    """What the third channel of a G-buffer's surface holds, see include/surface.glsl: 1 for what asks for
    no light, 0 for the usual reflectance, else a byte that grows with its root."""
    if material.unlit:
        return 1.0
    if material.reflectance == Material.reflectance:
        return 0.0
    return (1.0 + round(253.0 * material.reflectance**0.5)) / 255.0


def _block(material: Material, follows: int, casts: bool) -> bytes:
    glow = [part * GLOW_SCALE for part in material.glow]
    rows: list[tuple[float, ...]] = [
        material.base,
        (*glow, material.cutoff),
        (material.metallic, material.roughness, material.normal_scale, material.occlusion_strength),
        (_kind(material), follows / 255.0, float(casts), material.transmission),
        (*material.tint, material.reflectance),
    ]
    for slot in SLOTS:
        use = material.textures.get(slot)
        row_u, row_v = use.matrix() if use else ((1.0, 0.0, 0.0), (0.0, 1.0, 0.0))
        if use is not None:  # a picture beside its mirror image is twice as wide
            along, down = _mirrors(use)
            row_u = (row_u[0] / along, row_u[1] / along, row_u[2] / along)
            row_v = (row_v[0] / down, row_v[1] / down, row_v[2] / down)
        uv_set = float(use.uv_set == 1) if use else 0.0
        rows += [(*row_u, uv_set), (*row_v, uv_set)]
    return np.array(rows, dtype=np.float32).tobytes()


def _halved(pixels: NDArray[np.uint8]) -> NDArray[np.uint8]:
    step = -(-max(pixels.shape[:2]) // LARGEST_TEXTURE)
    return np.ascontiguousarray(pixels[::step, ::step]) if step > 1 else pixels


def _mirrors(use: TextureUse) -> tuple[int, int]:
    """How often a picture stands along and down in what is repeated: twice where it is mirrored."""
    return 1 + (use.sampler.wrap_s == MIRRORED), 1 + (use.sampler.wrap_t == MIRRORED)


def _with_mirror_image(pixels: NDArray[np.uint8], use: TextureUse) -> NDArray[np.uint8]:
    """A picture with its mirror image beside it and below it, as its wrap asks: then repeated plainly."""
    along, down = _mirrors(use)
    pixels = np.concatenate([pixels, pixels[:, ::-1]], axis=1) if along == 2 else pixels
    return np.concatenate([pixels, pixels[::-1]]) if down == 2 else pixels


def _surfacings(
    level: Level, coloured: set[int], kinds: list[tuple[int, int, bool]]
) -> tuple[tuple[PackedMaterial, ...], tuple[TextureData, ...]]:
    """One for each material, what its glow follows, and whether it casts; and the textures."""
    numbers: dict[tuple[object, ...], int] = {}
    textures: list[TextureData] = []
    surfacings = []
    for index, follows, casts in kinds:
        material = level.materials[index]
        used = {}
        for slot, use in material.textures.items():
            srgb = slot in ("base", "emissive")
            key = (use.picture, srgb, use.sampler)
            if key not in numbers:
                numbers[key] = len(textures)
                s = use.sampler
                pixels = _halved(_with_mirror_image(level.pictures[use.picture].pixels, use))
                textures.append(TextureData(pixels, srgb, s.mag, s.min, s.wrap_s, s.wrap_t))
            used[f"{slot}_map"] = numbers[key]
        surfacings.append(
            PackedMaterial(
                _features(material, index in coloured),
                _block(material, follows, casts),
                used,
                material.double_sided,
                casts,
            )
        )
    return tuple(surfacings), tuple(textures)


class _Kinds:
    """The materials of a bundle: the level's own, and one more for each that glows by a lamp or casts
    no shadow in some part.

    marks  : (P,) by part twice the number of the lamp that its glow follows, one more where it casts nothing
    kinds  : by material its number in the level, the number of its lamp, whether it casts
    """

    def __init__(self, level: Level, follows: dict[str, str]) -> None:
        self.kinds = [(index, 0, True) for index in range(len(level.materials))]
        self.lamps = tuple(sorted(set(follows.values())))[:MAX_FOLLOWED]
        number = {lamp: i for i, lamp in enumerate(self.lamps, start=1)}
        marks = [2 * number.get(follows.get(part.id, ""), 0) + (not part.casts) for part in level.parts]
        self.marks = np.array(marks or [0], np.int64)
        self._made: dict[tuple[int, int], int] = {}

    def marked(self, material: NDArray[np.int32], marks: NDArray[np.int64]) -> NDArray[np.int32]:
        """(F,) materials of triangles in parts of these marks."""
        if not marks.any():
            return material
        out, largest = material.copy(), int(marks.max()) + 1
        codes = np.flatnonzero(np.bincount((material.astype(np.int64) * largest + marks)[marks > 0]))
        for index, mark in (divmod(int(code), largest) for code in codes):
            if (index, mark) not in self._made:
                self._made[index, mark] = len(self.kinds)
                self.kinds.append((index, mark // 2, mark % 2 == 0))
            out[(material == index) & (marks == mark)] = self._made[index, mark]
        return out

    @property
    def followed(self) -> tuple[str, ...]:
        """The lamps that glow follows."""
        return self.lamps if self._made else ()


@dataclass
class _Packed:
    """Vertices and faces one behind the other."""

    vertices: list[NDArray[np.void]] = field(default_factory=list)
    faces: list[NDArray[np.uint32]] = field(default_factory=list)
    first_vertex: int = 0
    first_face: int = 0

    def add(
        self, vertices: NDArray[np.void], faces: NDArray[np.uint32], chunks: NDArray[np.int64]
    ) -> tuple[NDArray[np.int64], tuple[tuple[float, NDArray[np.int64]], ...]]:
        """Put in a mesh and its coarser copies; their chunks as they lie among all."""
        own, copies = self._put(vertices, faces, chunks), []
        for cell_m in CELLS_M:
            # Each from the one before, which has fewer.
            vertices, faces, chunks = coarser(vertices, faces, chunks, cell_m)
            copies.append((cell_m, self._put(vertices, faces, chunks)))
        return own, tuple(copies)

    def _put(
        self, vertices: NDArray[np.void], faces: NDArray[np.uint32], chunks: NDArray[np.int64]
    ) -> NDArray[np.int64]:
        self.vertices.append(vertices)
        self.faces.append(faces + np.uint32(self.first_vertex))
        rows = chunks + np.array([self.first_face, 0, 0])
        self.first_vertex += len(vertices)
        self.first_face += len(faces)
        return rows


def _plain(
    level: Level, triangles: Triangles | None, marks: NDArray[np.int64]
) -> tuple[Triangles, list[MeshInstances]]:
    """Triangles of what is not kept as a batch, and the batches."""
    often = placings(level, marks)
    if not often:
        return (flatten(level) if triangles is None else triangles), []
    plain = np.ones(len(level.parts), bool)
    plain[np.concatenate([item.parts for item in often])] = False
    return flatten(level, plain), often


def _at_home(level: Level, placing: MeshInstances) -> Level:
    """The mesh of a batch alone, where it was made; as its mirror image where that is what is placed."""
    matrix = np.diag([-1.0, 1.0, 1.0, 1.0]) if placing.mirrored else np.eye(4)
    return replace(level, parts=(Part("", "", placing.mesh, matrix),))


def _batch(level: Level, placing: MeshInstances, kinds: _Kinds, packed: _Packed) -> Batch:
    home = _at_home(level, placing)
    flat = flatten(home)
    flat = replace(flat, material=kinds.marked(flat.material, np.full(len(flat.material), placing.mark)))
    _check_finite(flat, level.name)
    order, chunks = space_order(flat, home.bounds)
    faces = flat.faces[order]
    rows, copies = packed.add(_vertices(flat), faces, chunks)
    places = np.array([level.parts[number].matrix for number in placing.parts])
    places = (places @ home.parts[0].matrix)[:, :3]
    corners = placed_boxes(home.bounds, places)
    scale = np.linalg.norm(places[:, :, :3], axis=1).max(axis=1).astype(np.float32)
    return Batch(rows, copies, places.astype(np.float32), *corners, scale)


def _check_finite(flat: Triangles, name: str) -> None:
    if flat.positions.size and not np.isfinite(flat.positions).all():
        raise LevelProblem("a vertex is not at a finite place", name)


def chunk_boxes(
    level: Level, flat: Triangles
) -> tuple[NDArray[np.float32], NDArray[np.float32], NDArray[np.int64]]:
    """Corners (N, 3) and (N, 3) of a level's chunks and placed meshes, and the triangles (N,) in each.

    flat : the whole level
    """
    plain, often = _plain(level, flat, np.zeros(len(level.parts), np.int64))
    order, chunks = space_order(plain, level.bounds)
    low, high = _corners(plain.positions, plain.faces[order], chunks)
    lows, highs, counts = [low], [high], [chunks[:, 1]]
    for item in often:
        home = _at_home(level, item)
        places = np.array([level.parts[number].matrix for number in item.parts]) @ home.parts[0].matrix
        for corners, column in zip(placed_boxes(home.bounds, places[:, :3]), (lows, highs), strict=True):
            column.append(corners)
        counts.append(np.full(len(places), home.triangle_count))
    return np.concatenate(lows), np.concatenate(highs), np.concatenate(counts)


def bundle_level(
    level: Level, triangles: Triangles | None = None, follows: dict[str, str] | None = None
) -> LevelBundle:
    """Pack a level. Raises LevelProblem where one of its pictures cannot be read.

    follows : by part id, the id of the lamp that its glow follows
    """
    kinds = _Kinds(level, follows or {})
    flat, often = _plain(level, triangles, kinds.marks)
    flat = replace(flat, material=kinds.marked(flat.material, kinds.marks[flat.part]))
    _check_finite(flat, level.name)
    bounds = level.bounds
    order, chunks = space_order(flat, bounds)
    faces = flat.faces[order]
    low, high = _corners(flat.positions, faces, chunks)
    packed = _Packed()
    chunks, copies = packed.add(_vertices(flat), faces, chunks)
    batches = tuple(_batch(level, item, kinds, packed) for item in often)
    coloured = {p.material for mesh in level.meshes for p in mesh.primitives if p.colours is not None}
    surfacings, textures = _surfacings(level, coloured, kinds.kinds)
    vertices, faces = np.concatenate(packed.vertices), np.concatenate(packed.faces)
    unusual = any(material.reflectance != Material.reflectance for material in level.materials)
    unlit = any(material.unlit for material in level.materials)
    return LevelBundle(
        vertices, faces, chunks, low, high, surfacings, textures, bounds, copies, kinds.followed, batches,
        unusual, unlit, any(_is_glossy(material) for material in level.materials),
    )  # fmt: skip
