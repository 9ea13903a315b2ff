"""The lit level as glTF 2.0 with KHR_lights_punctual: .glb, or .gltf with a .bin beside it.

What the standard cannot say of a source (its radius, kelvin, shadow, role) is kept in the
light's extras, so that Wallum reads back what it wrote.
"""

import json
import math
import struct
from pathlib import Path
from typing import Any

import numpy as np
from numpy.typing import NDArray

from wallum import __version__
from wallum.document.lanes import format_clock
from wallum.document.project import Project, Shot
from wallum.document.sources import GROUPS, FarLight, Lamp, SkySource, SpotSource, SunSource
from wallum.document.storage import write_atomically
from wallum.errors import ExportProblem
from wallum.level.gltf_nodes import SOURCE_EXTRAS
from wallum.level.model import Level, Material, Mesh, Part, Primitive, Sampler, TextureUse
from wallum.moment.camera import look_rotation
from wallum.moment.evaluate import direction_to, evaluate
from wallum.moment.hour import at_hour
from wallum.moment.switching import is_on
from wallum.physics.colour import luminance

__all__ = ["build_gltf", "export_gltf", "to_glb"]

Json = dict[str, Any]
FLOAT, UINT = 5126, 5125
ARRAY_BUFFER, ELEMENT_BUFFER = 34962, 34963
WIDTH_NAMES = {1: "SCALAR", 2: "VEC2", 3: "VEC3", 4: "VEC4"}
KEPT_FIELDS = ("on", "role", "colour_by", "kelvin", "tint", "colour", "shadow")


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


def _primitive(writer: _Writer, given: Primitive, default_material: int) -> Json:
    attributes = {"POSITION": writer.accessor(given.positions, ARRAY_BUFFER, bounds=True)}
    optional = (
        ("NORMAL", given.normals),
        ("TANGENT", given.tangents),
        ("TEXCOORD_0", given.uv0),
        ("TEXCOORD_1", given.uv1),
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
    pbr: Json = {
        "baseColorFactor": list(material.base),
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
    if extensions:
        out["extensions"] = extensions
    return out


def quaternion(rotation: NDArray[np.float64]) -> list[float]:
    """(3, 3) rotation to x, y, z, w. Source: Shepperd 1978, by the largest component."""
    m = rotation
    trace = float(np.trace(m))
    squares = np.array([*(1.0 + 2.0 * np.diag(m) - trace), 1.0 + trace])
    best = int(np.argmax(squares))
    s = 2.0 * math.sqrt(squares[best])
    rows = (
        (s / 4, (m[0, 1] + m[1, 0]) / s, (m[0, 2] + m[2, 0]) / s, (m[2, 1] - m[1, 2]) / s),
        ((m[0, 1] + m[1, 0]) / s, s / 4, (m[1, 2] + m[2, 1]) / s, (m[0, 2] - m[2, 0]) / s),
        ((m[0, 2] + m[2, 0]) / s, (m[1, 2] + m[2, 1]) / s, s / 4, (m[1, 0] - m[0, 1]) / s),
        ((m[2, 1] - m[1, 2]) / s, (m[0, 2] - m[2, 0]) / s, (m[1, 0] - m[0, 1]) / s, s / 4),
    )
    out = np.array(rows[best])
    return [float(v) for v in out / np.linalg.norm(out)]


def _facing(direction: tuple[float, ...]) -> list[float]:
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
    cofactor = np.linalg.det(linear) * np.linalg.pinv(linear).T
    mirrored = np.linalg.det(linear) < 0.0
    out = []
    for p in mesh.primitives:
        normals = p.normals @ cofactor.T * (-1.0 if mirrored else 1.0)
        normals = normals / np.maximum(np.linalg.norm(normals, axis=1, keepdims=True), 1e-30)
        positions = (p.positions @ linear.T + matrix[:3, 3]).astype(np.float32)
        faces = p.triangles[:, ::-1] if mirrored else p.triangles
        out.append(
            Primitive(positions, normals.astype(np.float32), faces, p.material, None, p.uv0, p.uv1, p.colours)
        )
    return Mesh(mesh.name, tuple(out))


def _light(source: SunSource | Lamp) -> Json:
    """A KHR_lights_punctual light; its colour's largest part is 1."""
    rgb = np.array(source.luminous_rgb())
    colour = rgb / rgb.max()
    weight = float(colour @ np.array([0.2126, 0.7152, 0.0722]))
    strength = source.intensity if isinstance(source, Lamp) else source.illuminance
    kept: Json = {name: getattr(source, name) for name in KEPT_FIELDS if hasattr(source, name)}
    out: Json = {
        "name": source.name,
        "color": [float(v) for v in colour],
        "intensity": strength / weight if source.on else 0.0,
    }
    if isinstance(source, SunSource):
        kept["disc"] = source.disc
        if source.elevation >= 90.0 - 1e-6:
            kept["azimuth"] = source.azimuth
        out["type"] = "directional"
    else:
        assert isinstance(source, Lamp)
        kept["radius"] = source.radius
        out["type"] = "spot" if isinstance(source, SpotSource) else "point"
        if source.range > 0.0:
            out["range"] = source.range
    if not source.on:
        # The standard knows no switch: off is no intensity, and the strength is kept aside.
        kept["intensity" if isinstance(source, Lamp) else "illuminance"] = strength
    if isinstance(source, SpotSource):
        out["spot"] = {
            "innerConeAngle": math.radians(source.inner),
            "outerConeAngle": math.radians(source.outer),
        }
    out["extras"] = {SOURCE_EXTRAS: kept}
    return out


def _lamps_as_now(project: Project) -> list[Lamp]:
    """The lamps as they are at the project's hour: lanes, switching and trims taken in."""
    hour = project.setting.clock
    now = at_hour(project, hour)
    lamps = [one for one in now.sources if isinstance(one, Lamp)]
    return [_plain_lamp(one, project, is_on(project, one, hour)) for one in lamps]


def _plain_lamp(lamp: Lamp, project: Project, on: bool) -> Lamp:
    """A lamp whose intensity has the trims in it: the standard knows none."""
    stops = lamp.trim + getattr(project.balance, GROUPS[lamp.role])
    if stops == 0.0 and on == lamp.on:
        return lamp
    return lamp.revised(on=on, intensity=min(lamp.intensity * 2.0**stops, 1e7), trim=0.0)


def _is_plain(sun: SunSource) -> bool:
    """Whether a sun's own numbers are its light."""
    return (sun.stands, sun.light, sun.trim) == ("where set", "own", 0.0)


def _far_light(project: Project) -> list[SunSource]:
    """The one far light in force, as a sun that stands where set with a light of its own.

    Where none is, the sun of the project, switched off.
    """
    far = evaluate(project).sun
    suns = [one for one in project.sources if isinstance(one, SunSource)]
    source = project.source(far.id) if far else None
    if far is None or not isinstance(source, FarLight):
        return [one.revised(on=False) for one in suns]
    if isinstance(source, SunSource) and _is_plain(source) and project.balance.base == 0.0:
        return [source]
    x, y, z = far.direction.tolist()
    strength = float(luminance(far.illuminance))
    red, green, blue = (far.illuminance / far.illuminance.max()).tolist()
    sun = SunSource(
        id=source.id, name=source.name, stands="where set", light="own", illuminance=strength,
        azimuth=math.degrees(math.atan2(x, -z)) % 360.0, elevation=math.degrees(math.asin(y)),
        colour_by="colour", colour=(red, green, blue), disc=source.disc, shadow=source.shadow,
    )  # fmt: skip
    return [sun]


def _light_node(source: SunSource | Lamp, index: int) -> Json:
    node: Json = {"name": source.name, "extensions": {"KHR_lights_punctual": {"light": index}}}
    if isinstance(source, Lamp):
        node["translation"] = list(source.position)
    if isinstance(source, SpotSource):
        node["rotation"] = _facing(source.direction)
    if isinstance(source, SunSource):
        node["rotation"] = _facing(tuple(-direction_to(source.azimuth, source.elevation)))
    return node


def _camera_node(shot: Shot, index: int) -> Json:
    return {
        "name": shot.name,
        "camera": index,
        "translation": list(shot.eye),
        "rotation": _facing(shot.direction),
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


def _without_empty_meshes(meshes: list[Mesh], nodes: list[Json]) -> list[Mesh]:
    """The meshes that have something to draw; nodes are renumbered to match."""
    filled = [i for i, mesh in enumerate(meshes) if mesh.primitives]
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


def build_gltf(project: Project, level: Level) -> tuple[Json, bytes, list[str]]:
    """The document, its binary buffer, and warnings of what the format cannot say."""
    writer = _Writer()
    lit: list[SunSource | Lamp] = [*_far_light(project), *_lamps_as_now(project)]
    skies = [one for one in project.sources if isinstance(one, SkySource) and one.on]
    all_meshes = list(level.meshes)
    nodes = _part_nodes(level.parts, all_meshes)
    nodes += [_camera_node(shot, i) for i, shot in enumerate(project.shots)]
    nodes += [_light_node(source, i) for i, source in enumerate(lit)]
    meshes = _without_empty_meshes(all_meshes, nodes)
    default = _default_material(level)
    scene: Json = {"name": project.name}
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
        "cameras": [_camera(shot) for shot in project.shots],
        **_surfaces(writer, [m for i, m in enumerate(level.materials) if i != default], level),
    }
    out["accessors"], out["bufferViews"] = writer.accessors, writer.views
    if lit:
        out["extensions"] = {"KHR_lights_punctual": {"lights": [_light(s) for s in lit]}}
    out["extensionsUsed"] = _extensions_used(out)
    data = bytes(writer.data) + b"\0" * (-len(writer.data) % 4)
    if data:
        out["buffers"] = [{"byteLength": len(data)}]
    warnings = [f"{one.name}: glTF has no sky; it is left out" for one in skies]
    if project.lanes or any(isinstance(one, Lamp) and one.switched != "by hand" for one in project.sources):
        clock = format_clock(project.setting.clock)
        warnings.append(f"The day plan is left out: all light is as it is at {clock}")
    if project.balance.glow != 0.0 or project.follows:
        warnings.append("Glow is written as the level has it, without its trim and the lamps it follows")
    return {key: value for key, value in out.items() if value != []}, data, warnings


def _extensions_used(value: Any) -> list[str]:
    found: set[str] = set()
    stack = [value]
    while stack:
        item = stack.pop()
        if isinstance(item, dict):
            found |= set(item.get("extensions", {}))
            stack += list(item.values())
        elif isinstance(item, list):
            stack += item
    return sorted(found)


def to_glb(document: Json, data: bytes) -> bytes:
    """One binary file. Source: glTF 2.0, section 4 (GLB)."""
    text = json.dumps(document, allow_nan=False, separators=(",", ":")).encode()
    text += b" " * (-len(text) % 4)
    chunks = struct.pack("<II", len(text), 0x4E4F534A) + text
    if data:
        chunks += struct.pack("<II", len(data), 0x004E4942) + data
    return struct.pack("<4sII", b"glTF", 2, 12 + len(chunks)) + chunks


def export_gltf(project: Project, level: Level, path: Path) -> list[str]:
    """Write .glb, or .gltf and .bin. Returns warnings; raises ExportProblem."""
    document, data, warnings = build_gltf(project, level)
    try:
        if path.suffix.lower() == ".glb":
            write_atomically(path, to_glb(document, data))
            return warnings
        if data:
            beside = path.with_suffix(".bin")
            document["buffers"][0]["uri"] = beside.name
            write_atomically(beside, data)
        write_atomically(path, json.dumps(document, allow_nan=False, indent=1).encode())
    except OSError as error:
        raise ExportProblem(f"cannot be written: {error.strerror}", str(path)) from None
    return warnings
