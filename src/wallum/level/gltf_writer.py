"""A level's geometry, surfaces and cameras as glTF 2.0: what every file of ours has in common."""

import json
import math
import struct
from collections.abc import Sequence
from dataclasses import replace
from typing import Any

import numpy as np
from numpy.typing import NDArray

from wallum import __version__
from wallum.document.project import Shot
from wallum.level.model.model import Level, Material, Mesh, Part, Primitive, Sampler, TextureUse
from wallum.physics.arrays import cofactors
from wallum.physics.turning import look_rotation, quaternion

__all__ = ["extensions_used", "facing", "level_document", "to_glb"]

Json = dict[str, Any]
FLOAT, UINT = 5126, 5125
ARRAY_BUFFER, ELEMENT_BUFFER = 34962, 34963
WIDTH_NAMES = {1: "SCALAR", 2: "VEC2", 3: "VEC3", 4: "VEC4"}


class _Writer:
    """Collects accessors and their bytes."""

    def __init__(self) -> None:
        self.data = bytearray()
        self.views: list[Json] = []
        self.accessors: list[Json] = []

    def view(self, data: bytes, target: int | None = None) -> int:
        self.data += b"\0" * (-len(self.data) % 4)
        entry: Json = {"buffer": 0, "byteOffset": len(self.data), "byteLength": len(data)}
        if target is not None:
            entry["target"] = target
        self.data += data
        self.views.append(entry)
        return len(self.views) - 1

    def accessor(self, values: NDArray[Any], target: int, bounds: bool = False) -> int:
        kind = UINT if values.dtype.kind == "u" else FLOAT
        rows = np.ascontiguousarray(values.reshape(len(values), -1))
        entry: Json = {
            "bufferView": self.view(rows.tobytes(), target),
            "componentType": kind,
            "count": len(rows),
            "type": WIDTH_NAMES[rows.shape[1]],
        }
        if bounds:
            entry["min"] = [float(v) for v in rows.min(axis=0)]
            entry["max"] = [float(v) for v in rows.max(axis=0)]
        self.accessors.append(entry)
        return len(self.accessors) - 1


def _first_set(given: Primitive) -> NDArray[np.float32] | None:
    """Its first coordinates; zeros where it has none, but others that need them before theirs."""
    if given.uv0 is None and (given.uv1 is not None or given.uv_light is not None):
        return np.zeros((len(given.positions), 2), np.float32)
    return given.uv0


def _primitive(writer: _Writer, given: Primitive, default_material: int) -> Json:
    attributes = {"POSITION": writer.accessor(given.positions, ARRAY_BUFFER, bounds=True)}
    optional = (
        ("NORMAL", given.normals),
        ("TANGENT", given.tangents),
        ("TEXCOORD_0", _first_set(given)),
        ("TEXCOORD_1", given.uv1),
        (f"TEXCOORD_{given.light_set}", given.uv_light),
        ("COLOR_0", given.colours),
    )
    for name, values in optional:
        if values is not None:
            attributes[name] = writer.accessor(values, ARRAY_BUFFER)
    indices = writer.accessor(given.triangles.reshape(-1, 1).astype(np.uint32), ELEMENT_BUFFER)
    out: Json = {"attributes": attributes, "indices": indices}
    if given.material != default_material:
        out["material"] = given.material
    return out


def _texture_info(use: TextureUse, textures: list[Json], samplers: list[Sampler]) -> Json:
    if use.sampler not in samplers:
        samplers.append(use.sampler)
    entry = {"source": use.picture, "sampler": samplers.index(use.sampler)}
    if entry not in textures:
        textures.append(entry)
    out: Json = {"index": textures.index(entry)}
    if use.uv_set:
        out["texCoord"] = use.uv_set
    moved = {"offset": list(use.offset), "rotation": use.rotation_rad, "scale": list(use.scale)}
    if moved != {"offset": [0.0, 0.0], "rotation": 0.0, "scale": [1.0, 1.0]}:
        out["extensions"] = {"KHR_texture_transform": moved}
    return out


def _material(material: Material, textures: list[Json], samplers: list[Sampler]) -> Json:
    infos = {slot: _texture_info(use, textures, samplers) for slot, use in material.textures.items()}
    base = material.base
    if material.transmission > 0.0 and material.double_sided:
        # The standard has volumes of closed bodies alone: of a pane the base colour tints.
        red, green, blue = (float(a * b) for a, b in zip(base[:3], material.tint, strict=True))
        base = (red, green, blue, base[3])
    pbr: Json = {
        "baseColorFactor": list(base),
        "metallicFactor": material.metallic,
        "roughnessFactor": material.roughness,
    }
    out: Json = {
        "name": material.name,
        "pbrMetallicRoughness": pbr,
        "emissiveFactor": list(material.emissive),
    }
    for slot, key, home in (
        ("base", "baseColorTexture", pbr),
        ("metal_rough", "metallicRoughnessTexture", pbr),
        ("normal", "normalTexture", out),
        ("occlusion", "occlusionTexture", out),
        ("emissive", "emissiveTexture", out),
    ):
        if slot in infos:
            home[key] = infos[slot]
    if "normal" in infos:
        infos["normal"]["scale"] = material.normal_scale
    if "occlusion" in infos:
        infos["occlusion"]["strength"] = material.occlusion_strength
    if material.alpha != "opaque":
        out["alphaMode"] = material.alpha.upper()
    if material.alpha == "mask":
        out["alphaCutoff"] = material.cutoff
    if material.double_sided:
        out["doubleSided"] = True
    extensions: Json = {}
    if material.emissive_strength != 1.0:
        extensions["KHR_materials_emissive_strength"] = {"emissiveStrength": material.emissive_strength}
    if material.unlit:
        extensions["KHR_materials_unlit"] = {}
    extensions |= _glass(material)
    if extensions:
        out["extensions"] = extensions
    return out


def _glass(material: Material) -> Json:
    """Extensions of what reflects otherwise than usual, or lets light through."""
    out: Json = {}
    if material.reflectance != Material.reflectance:
        root = math.sqrt(material.reflectance)
        # An index of 0 stands for a surface that reflects all.
        out["KHR_materials_ior"] = {"ior": (1.0 + root) / (1.0 - root) if root < 1.0 else 0.0}
    if material.transmission > 0.0:
        out["KHR_materials_transmission"] = {"transmissionFactor": material.transmission}
        if material.tint != Material.tint and not material.double_sided:
            colour = [float(item) for item in material.tint]
            out["KHR_materials_volume"] = {
                "thicknessFactor": 1.0, "attenuationDistance": 1.0, "attenuationColor": colour,
            }  # fmt: skip
    return out


def facing(direction: tuple[float, ...]) -> list[float]:
    """Rotation of a node whose -Z looks along a direction."""
    return quaternion(look_rotation(np.array(direction, dtype=np.float64)).T)


def _place(matrix: NDArray[np.float64]) -> Json | None:
    """Translation, rotation and scale of a transform; None where it shears."""
    linear = matrix[:3, :3]
    scale = np.linalg.norm(linear, axis=0)
    if (scale < 1e-12).any():
        return None
    scale = scale * (np.array([-1.0, 1.0, 1.0]) if np.linalg.det(linear) < 0.0 else 1.0)
    turn = linear / scale
    if not np.allclose(turn.T @ turn, np.eye(3), atol=1e-5):
        return None
    out: Json = {}
    if matrix[:3, 3].any():
        out["translation"] = [float(v) for v in matrix[:3, 3]]
    if not np.allclose(turn, np.eye(3), atol=1e-12):
        out["rotation"] = quaternion(turn)
    if not np.allclose(scale, 1.0, atol=1e-12):
        out["scale"] = [float(v) for v in scale]
    return out


def _baked(mesh: Mesh, matrix: NDArray[np.float64]) -> Mesh:
    """The mesh with a shearing transform written into its vertices."""
    linear = matrix[:3, :3]
    cofactor = cofactors(linear)
    mirrored = np.linalg.det(linear) < 0.0
    out = []
    for p in mesh.primitives:
        normals = p.normals @ cofactor.T * (-1.0 if mirrored else 1.0)
        normals = normals / np.maximum(np.linalg.norm(normals, axis=1, keepdims=True), 1e-30)
        positions = (p.positions @ linear.T + matrix[:3, 3]).astype(np.float32)
        faces = p.triangles[:, ::-1] if mirrored else p.triangles
        built = replace(p, positions=positions, normals=normals.astype(np.float32), triangles=faces)
        out.append(replace(built, tangents=None, sets=()))
    return Mesh(mesh.name, tuple(out))


def _camera_node(shot: Shot, index: int) -> Json:
    return {
        "name": shot.name,
        "camera": index,
        "translation": list(shot.eye),
        "rotation": facing(shot.direction),
    }


def _part_nodes(parts: tuple[Part, ...], meshes: list[Mesh]) -> list[Json]:
    nodes = []
    for part in parts:
        mesh, place = part.mesh, _place(part.matrix)
        if place is None:
            meshes.append(_baked(meshes[part.mesh], part.matrix))
            mesh, place = len(meshes) - 1, {}
        nodes.append({"name": part.id, "mesh": mesh, **place})
    return nodes


def _surfaces(writer: _Writer, materials: list[Material], level: Level) -> Json:
    """Materials, textures, samplers and images."""
    textures: list[Json] = []
    samplers: list[Sampler] = []
    return {
        "materials": [_material(m, textures, samplers) for m in materials],
        "textures": textures,
        "samplers": [
            {"magFilter": s.mag, "minFilter": s.min, "wrapS": s.wrap_s, "wrapT": s.wrap_t} for s in samplers
        ],
        "images": [
            {"name": p.name, "mimeType": p.mime, "bufferView": writer.view(p.data)} for p in level.pictures
        ],
    }


def _camera(shot: Shot) -> Json:
    lens = {"yfov": math.radians(shot.fov), "znear": 0.05}
    return {"name": shot.name, "type": "perspective", "perspective": lens}


def _with_something_to_draw(meshes: list[Mesh], nodes: list[Json]) -> list[Mesh]:
    """The meshes that a node places and that have triangles, without pieces that have none; nodes
    are renumbered to match."""
    used = {node["mesh"] for node in nodes if "mesh" in node}
    meshes = [
        replace(item, primitives=tuple(p for p in item.primitives if len(p.triangles))) for item in meshes
    ]
    filled = [i for i, mesh in enumerate(meshes) if mesh.primitives and i in used]
    number = {old: new for new, old in enumerate(filled)}
    for node in nodes:
        if "mesh" in node:
            mesh = number.get(node.pop("mesh"))
            if mesh is not None:
                node["mesh"] = mesh
    return [meshes[i] for i in filled]


def _default_material(level: Level) -> int:
    """The last material stands for primitives that name none; -1 where there is no such."""
    last = len(level.materials) - 1
    return last if level.materials and level.materials[last] == Material() else -1


def level_document(
    level: Level, shots: Sequence[Shot], name: str, more_nodes: Sequence[Json] = ()
) -> tuple[Json, bytes]:
    """The document of a level with cameras, and its binary buffer, padded to four bytes.

    more_nodes : nodes that come after those of parts and cameras
    """
    writer = _Writer()
    all_meshes = list(level.meshes)
    nodes = _part_nodes(level.parts, all_meshes)
    nodes += [_camera_node(shot, i) for i, shot in enumerate(shots)]
    nodes += list(more_nodes)
    meshes = _with_something_to_draw(all_meshes, nodes)
    default = _default_material(level)
    scene: Json = {"name": name}
    if nodes:
        scene["nodes"] = list(range(len(nodes)))
    out: Json = {
        "asset": {"version": "2.0", "generator": f"Wallum {__version__}"},
        "scene": 0,
        "scenes": [scene],
        "nodes": nodes,
        "meshes": [
            {"name": mesh.name, "primitives": [_primitive(writer, p, default) for p in mesh.primitives]}
            for mesh in meshes
        ],
        "cameras": [_camera(shot) for shot in shots],
        **_surfaces(writer, [m for i, m in enumerate(level.materials) if i != default], level),
    }
    out["accessors"], out["bufferViews"] = writer.accessors, writer.views
    data = bytes(writer.data) + b"\0" * (-len(writer.data) % 4)
    if data:
        out["buffers"] = [{"byteLength": len(data)}]
    return out, data


def extensions_used(value: Any) -> list[str]:
    """Names of the extensions that a document uses."""
    result: set[str] = set()
    stack = [value]
    while stack:
        item = stack.pop()
        if isinstance(item, dict):
            result |= set(item.get("extensions", {}))
            stack += list(item.values())
        elif isinstance(item, list):
            stack += item
    return sorted(result)


def to_glb(document: Json, data: bytes) -> bytes:
    """One binary file. Source: glTF 2.0, section 4 (GLB)."""
    text = json.dumps(document, allow_nan=False, separators=(",", ":")).encode()
    text += b" " * (-len(text) % 4)
    chunks = struct.pack("<II", len(text), 0x4E4F534A) + text
    if data:
        chunks += struct.pack("<II", len(data), 0x004E4942) + data
    return struct.pack("<4sII", b"glTF", 2, 12 + len(chunks)) + chunks
