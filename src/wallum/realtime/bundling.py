"""Packs a level for the renderer; done once by whoever opened the level."""

from dataclasses import replace

import numpy as np
from numpy.typing import NDArray

from wallum.errors import LevelProblem
from wallum.level.flatten import Triangles, flatten
from wallum.level.model import Level, Material, Slot, TextureUse
from wallum.level.texels import MIRRORED
from wallum.realtime.bundle import GLOW_SCALE, VERTEX, LevelBundle, Surfacing, TextureData
from wallum.realtime.chunking import space_order
from wallum.realtime.coarsening import CELLS_M, coarser

__all__ = ["bundle_level", "chunk_boxes"]

# Lamps that glow may follow: a number in eight bits, and 0 for none.
MOST_FOLLOWED = 255
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
    if material.alpha != "opaque":
        names.add(material.alpha.upper())
    if material.double_sided:
        names.add("DOUBLE_SIDED")
    if coloured:
        names.add("VERTEX_COLOUR")
    return frozenset(names)


def _block(material: Material, follows: int, casts: bool) -> bytes:
    glow = [part * GLOW_SCALE for part in material.glow]
    rows: list[tuple[float, ...]] = [
        material.base,
        (*glow, material.cutoff),
        (material.metallic, material.roughness, material.normal_scale, material.occlusion_strength),
        (float(material.unlit), follows / 255.0, float(casts and material.alpha != "blend"), 0.0),
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
) -> tuple[tuple[Surfacing, ...], tuple[TextureData, ...]]:
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
            Surfacing(
                _features(material, index in coloured),
                _block(material, follows, casts),
                used,
                material.double_sided,
                casts,
            )
        )
    return tuple(surfacings), tuple(textures)


def _by_part(
    level: Level, flat: Triangles, follows: dict[str, str]
) -> tuple[Triangles, list[tuple[int, int, bool]], tuple[str, ...]]:
    """Triangles whose glow follows a lamp, or that cast no shadow, get materials of their own."""
    kinds = [(index, 0, True) for index in range(len(level.materials))]
    lamps = tuple(sorted(set(follows.values())))[:MOST_FOLLOWED]
    number = {lamp: i for i, lamp in enumerate(lamps, start=1)}
    # By part: twice the number of its lamp, and one more where it casts nothing.
    marks = [2 * number.get(follows.get(part.id, ""), 0) + (not part.casts) for part in level.parts]
    group = np.array(marks or [0])[flat.part]
    if not group.any():
        return flat, kinds, ()
    material = flat.material.copy()
    most = max(marks) + 1
    codes = np.flatnonzero(np.bincount((flat.material.astype(np.int64) * most + group)[group > 0]))
    for index, mark in (divmod(int(code), most) for code in codes):
        material[(flat.material == index) & (group == mark)] = len(kinds)
        kinds.append((index, mark // 2, mark % 2 == 0))
    return replace(flat, material=material), kinds, lamps


def chunk_boxes(
    level: Level, flat: Triangles
) -> tuple[NDArray[np.float32], NDArray[np.float32], NDArray[np.int64]]:
    """Corners (C, 3) and (C, 3) of a level's chunks, and the triangles (C,) in each."""
    order, chunks = space_order(flat, level.bounds)
    low, high = _corners(flat.positions, flat.faces[order], chunks)
    return low, high, chunks[:, 1]


def bundle_level(
    level: Level, triangles: Triangles | None = None, follows: dict[str, str] | None = None
) -> LevelBundle:
    """Pack a level. Raises LevelProblem where one of its pictures cannot be read.

    follows : by part id, the id of the lamp that its glow follows
    """
    flat = flatten(level) if triangles is None else triangles
    flat, kinds, lamps = _by_part(level, flat, follows or {})
    if flat.positions.size and not np.isfinite(flat.positions).all():
        raise LevelProblem("a vertex is not at a finite place", level.name)
    bounds = level.bounds
    order, chunks = space_order(flat, bounds)
    faces = flat.faces[order]
    low, high = _corners(flat.positions, faces, chunks)
    coloured = {p.material for mesh in level.meshes for p in mesh.primitives if p.colours is not None}
    surfacings, textures = _surfacings(level, coloured, kinds)
    vertices, faces, copies = _with_copies(_vertices(flat), faces, chunks)
    return LevelBundle(vertices, faces, chunks, low, high, surfacings, textures, bounds, copies, lamps)


def _with_copies(
    vertices: NDArray[np.void], faces: NDArray[np.uint32], chunks: NDArray[np.int64]
) -> tuple[NDArray[np.void], NDArray[np.uint32], tuple[tuple[float, NDArray[np.int64]], ...]]:
    """All vertices and faces with those of the coarser copies behind them, and the copies' chunks."""
    all_vertices, all_faces, copies = [vertices], [faces], []
    first_vertex, first_face = len(vertices), len(faces)
    for cell_m in CELLS_M:
        # Each from the one before, which has fewer.
        vertices, faces, chunks = coarser(vertices, faces, chunks, cell_m)
        all_vertices.append(vertices)
        all_faces.append(faces + np.uint32(first_vertex))
        copies.append((cell_m, chunks + np.array([first_face, 0, 0])))
        first_vertex, first_face = first_vertex + len(vertices), first_face + len(faces)
    return np.concatenate(all_vertices), np.concatenate(all_faces), tuple(copies)
