"""Levels to begin from: together they have all that a glTF file may hold."""

from dataclasses import replace
from typing import Any

import DracoPy
import imagecodecs
import numpy as np

from wallum.level.demos.pale_room import pale_room
from wallum.level.gltf_writer import extensions_used, level_document, to_glb
from wallum.level.model.pictures import as_png

__all__ = ["level_seeds"]


def level_seeds() -> list[bytes]:
    """Small whole files, each with what others have not."""
    out = []
    room = pale_room()
    small = replace(room, parts=room.parts[:3])
    for level in (small, replace(small, parts=())):
        document, data = level_document(level, level.shots, level.name)
        document["extensionsUsed"] = extensions_used(document)
        document = {key: value for key, value in document.items() if value != []}
        out.append(to_glb(document, data))
    return [*out, _rich_level(), _posed_level(), _packed_level(), _squeezed_level()]


def _rich_level() -> bytes:
    """A triangle with all that a file may hold: textures, lights, a camera, sparse and missing data."""
    corners = np.array([[0, 0, 0], [1, 0, 0], [0, 1, 0]], "<f4").tobytes()
    picture = as_png(np.full((4, 4, 3), 90, np.uint8))
    blob = corners + np.array([0, 1, 2, 0], "<u2").tobytes() + picture
    document: dict[str, Any] = {
        "asset": {"version": "2.0"},
        "scene": 0,
        "scenes": [{"nodes": [0, 2, 3]}],
        "nodes": [
            {"name": "a", "mesh": 0, "children": [1], "scale": [1, 2, 1]},
            {"name": "b", "mesh": 0, "rotation": [0, 0, 0, 1], "translation": [1, 0, 0]},
            {"name": "lamp", "extensions": {"KHR_lights_punctual": {"light": 0}}},
            {"name": "eye", "camera": 0},
        ],
        "cameras": [{"type": "perspective", "perspective": {"yfov": 0.8, "znear": 0.1}}],
        "extensionsUsed": ["KHR_lights_punctual"],
        "extensions": {
            "KHR_lights_punctual": {
                "lights": [
                    {"type": "spot", "intensity": 30.0, "spot": {"outerConeAngle": 0.7}, "color": [1, 1, 0]}
                ]
            }
        },
        "meshes": [
            {"primitives": [{"attributes": {"POSITION": 0, "TEXCOORD_0": 2}, "indices": 1, "material": 0}]}
        ],
        "materials": [
            {
                "pbrMetallicRoughness": {"baseColorTexture": {"index": 0}, "baseColorFactor": [1, 1, 1, 1]},
                "normalTexture": {"index": 0, "scale": 0.5},
                "emissiveFactor": [1, 0, 0],
                "alphaMode": "MASK",
            }
        ],
        "textures": [{"source": 0, "sampler": 0}],
        "samplers": [{"wrapS": 33071, "magFilter": 9728}],
        "images": [{"bufferView": 2, "mimeType": "image/png"}],
        "accessors": [
            {"bufferView": 0, "componentType": 5126, "count": 3, "type": "VEC3"},
            {"bufferView": 1, "componentType": 5123, "count": 3, "type": "SCALAR"},
            {
                "componentType": 5126, "count": 3, "type": "VEC2",
                "sparse": {
                    "count": 1,
                    "indices": {"bufferView": 1, "componentType": 5123},
                    "values": {"bufferView": 0},
                },
            },
        ],
        "bufferViews": [
            {"buffer": 0, "byteLength": 36, "byteStride": 12},
            {"buffer": 0, "byteOffset": 36, "byteLength": 6},
            {"buffer": 0, "byteOffset": 44, "byteLength": len(picture)},
        ],
        "buffers": [{"byteLength": len(blob)}],
    }  # fmt: skip
    return to_glb(document, blob + b"\0" * (-len(blob) % 4))


def _file(document: dict[str, Any], arrays: list[bytes]) -> bytes:
    """A file of a document whose buffer views are these, one after the other."""
    blob, views = b"", []
    for array in arrays:
        views.append({"buffer": 0, "byteOffset": len(blob), "byteLength": len(array)})
        blob += array + b"\0" * (-len(array) % 4)
    whole = {
        "asset": {"version": "2.0"},
        "scene": 0,
        "bufferViews": views,
        "buffers": [{"byteLength": len(blob)}],
    }
    return to_glb({**whole, **document}, blob)


def _accessor(view: int | None, kind: str, count: int, component: int = 5126) -> dict[str, Any]:
    out: dict[str, Any] = {"componentType": component, "count": count, "type": kind}
    return out if view is None else {**out, "bufferView": view}


def _posed_level() -> bytes:
    """A triangle with a skin, a morph target and places of its own, one of its nodes hidden."""
    corners = np.array([[0, 0, 0], [1, 0, 0], [0, 1, 0]], "<f4")
    document = {
        "scenes": [{"nodes": [0, 1, 3]}],
        "nodes": [
            {"name": "figure", "mesh": 0, "skin": 0, "weights": [0.5]},
            {"name": "root", "children": [2], "scale": [0.01, 0.01, 0.01]},
            {"name": "joint", "translation": [0, 100, 0]},
            {
                "name": "trees", "mesh": 0,
                "extensions": {
                    "EXT_mesh_gpu_instancing": {"attributes": {"TRANSLATION": 0, "SCALE": 0}},
                    "KHR_node_visibility": {"visible": True},
                },
            },
        ],
        "meshes": [
            {
                "weights": [0.0],
                "primitives": [
                    {
                        "attributes": {"POSITION": 0, "NORMAL": 0, "JOINTS_0": 1, "WEIGHTS_0": 2},
                        "targets": [{"POSITION": 0, "NORMAL": 0}],
                    }
                ],
            }
        ],
        "skins": [{"joints": [1, 2], "inverseBindMatrices": 3}],
        "extensionsUsed": ["EXT_mesh_gpu_instancing", "KHR_node_visibility"],
        "accessors": [
            _accessor(0, "VEC3", 3), _accessor(1, "VEC4", 3, 5121), _accessor(2, "VEC4", 3),
            _accessor(3, "MAT4", 2),
        ],
    }  # fmt: skip
    joints, weights = np.array([[0, 1, 0, 0]] * 3, "u1"), np.array([[0.5, 0.5, 0, 0]] * 3, "<f4")
    binds = np.array([np.eye(4)] * 2, "<f4")
    return _file(document, [item.tobytes() for item in (corners, joints, weights, binds)])


def _packed_level() -> bytes:
    """Two triangles packed by Draco."""
    corners = np.array([[0, 0, 0], [1, 0, 0], [0, 0, -1], [1, 0, -1]], "<f4")
    packed = DracoPy.encode(corners, np.array([[0, 1, 2], [2, 1, 3]], np.uint32), quantization_bits=10)
    how = {"KHR_draco_mesh_compression": {"bufferView": 0, "attributes": {"POSITION": 0}}}
    document = {
        "scenes": [{"nodes": [0]}],
        "nodes": [{"mesh": 0}],
        "meshes": [{"primitives": [{"attributes": {"POSITION": 0}, "indices": 1, "extensions": how}]}],
        "extensionsUsed": list(how),
        "extensionsRequired": list(how),
        "accessors": [_accessor(None, "VEC3", 4), _accessor(None, "SCALAR", 6, 5123)],
    }
    return _file(document, [packed])


def _squeezed(view: int, data: bytes, count: int, stride: int, mode: str) -> dict[str, Any]:
    """The extension of a buffer view that holds packed data from its own start on."""
    return {
        "EXT_meshopt_compression": {
            "buffer": 0, "byteOffset": 64 * view, "byteLength": len(data), "byteStride": stride,
            "count": count, "mode": mode,
        }
    }  # fmt: skip


def _squeezed_level() -> bytes:
    """A triangle of glass whose buffer views are packed: vertices, triangles, and a sequence of indices."""
    corners = np.array([[0, 0, 0], [1, 0, 0], [0, 1, 0]], "<f4")
    vertices = bytes(imagecodecs.meshopt_encode(corners.view(np.uint8).reshape(3, 12)))
    # One triangle of three new vertices; and the same as steps of 0, 1 and 1.
    triangles, sequence = b"\xe1\xfe\x00" + bytes(16), b"\xd1\x00\x04\x04" + bytes(4)
    packed = (vertices, triangles, sequence)
    document = {
        "scenes": [{"nodes": [0]}],
        "nodes": [{"mesh": 0}],
        "meshes": [
            {
                "primitives": [
                    {"attributes": {"POSITION": 0}, "indices": 1, "material": 0},
                    {"attributes": {"POSITION": 0}, "indices": 2, "material": 0},
                ]
            }
        ],
        "materials": [
            {
                "alphaMode": "BLEND",
                "extensions": {
                    "KHR_materials_ior": {"ior": 1.4},
                    "KHR_materials_transmission": {"transmissionFactor": 0.8},
                    "KHR_materials_volume": {"thicknessFactor": 0.1, "attenuationDistance": 0.2},
                    "KHR_materials_clearcoat": {"clearcoatFactor": 0.5},
                    "KHR_materials_specular": {"specularColorFactor": [0.5, 1.0, 1.0]},
                },
            }
        ],
        "extensionsUsed": ["EXT_meshopt_compression"],
        "extensionsRequired": ["EXT_meshopt_compression"],
        "accessors": [
            _accessor(0, "VEC3", 3), _accessor(1, "SCALAR", 3, 5123), _accessor(2, "SCALAR", 3, 5123),
        ],
        "bufferViews": [
            {
                "buffer": 0, "byteLength": length,
                "extensions": _squeezed(view, packed[view], 3, 12 if view == 0 else 2, mode),
            }
            for view, (length, mode) in enumerate(((36, "ATTRIBUTES"), (6, "TRIANGLES"), (6, "INDICES")))
        ],
    }  # fmt: skip
    return _file(document, [item + bytes(64 - len(item)) for item in packed])
