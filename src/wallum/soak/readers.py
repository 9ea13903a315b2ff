"""Every reader of strangers' files, with small files of our own to begin from."""

import json
import tempfile
from collections.abc import Callable
from dataclasses import dataclass, replace
from pathlib import Path
from typing import Any

import numpy as np

from wallum.document.day_plans import day_of_project, parse_day
from wallum.document.own_days import own_days
from wallum.document.project import Project, base_light
from wallum.document.storage import dump, parse
from wallum.errors import LevelProblem
from wallum.exchange.pictures import write_exr, write_png
from wallum.judge.device import PROFILE_NAMES, load_profile, parse_profile
from wallum.level.flatten import flatten
from wallum.level.gltf_reader import parse_gltf
from wallum.level.gltf_writer import extensions_used, level_document, to_glb
from wallum.level.pale_room import pale_room, pale_room_project
from wallum.level.panorama_file import parse_panorama
from wallum.level.pictures import as_png
from wallum.level.sanity import sanity_findings
from wallum.realtime.bundling import bundle_level
from wallum.transport.rays import RayScene

__all__ = ["READERS", "Reader"]

SMALL = (16, 32)


@dataclass(frozen=True)
class Reader:
    """What reads a file's content and raises nothing but errors of ours; and what to begin from."""

    name: str
    read: Callable[[bytes], object]
    seeds: Callable[[], list[bytes]]


def _project(data: bytes) -> object:
    return parse(data.decode("utf-8", "surrogateescape"), "fuzzed.wallum")


def _project_seeds() -> list[bytes]:
    days = [Project(sources=base_light()), pale_room_project()]
    return [dump(one).encode() for one in days]


def _no_neighbours(uri: str) -> bytes:
    raise LevelProblem("there is no such file", uri)


def _level(data: bytes) -> object:
    """A level, and what is made of it: triangles, rays, what the renderer takes."""
    level = parse_gltf(data, "fuzzed.glb", _no_neighbours)
    sanity_findings(level)
    if level.triangle_count < 20_000:
        triangles = flatten(level)
        rays = RayScene(level, triangles)
        rays.first_visible(np.array([[0.0, 1.0, 0.0]]), np.array([[0.0, -1.0, 0.0]]))
        bundle_level(level, triangles)
    return level


def _level_seeds() -> list[bytes]:
    out = []
    room = pale_room()
    small = replace(room, parts=room.parts[:3])
    for level in (small, replace(small, parts=())):
        document, data = level_document(level, level.shots, level.name)
        document["extensionsUsed"] = extensions_used(document)
        document = {key: value for key, value in document.items() if value != []}
        out.append(to_glb(document, data))
    return [*out, _rich_level()]


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


def _day(data: bytes) -> object:
    return parse_day(data, "fuzzed.wallum-day")


def _day_seeds() -> list[bytes]:
    days = [*own_days()[:2], day_of_project(pale_room_project(), "Room")]
    return [json.dumps(one.model_dump(mode="json", exclude_none=True)).encode() for one in days]


def _profile(data: bytes) -> object:
    return parse_profile(data.decode("utf-8", "surrogateescape"), "fuzzed.json")


def _profile_seeds() -> list[bytes]:
    out = []
    for name in PROFILE_NAMES:
        one = load_profile(name)
        data = {
            "name": one.name,
            "origin": one.origin,
            "calibrated": one.calibrated,
            "coefficients_ms": one.coefficients,
        }
        out.append(json.dumps(data).encode())
    return out


def _sky() -> "np.ndarray[Any, np.dtype[np.float32]]":
    return np.random.default_rng(7).uniform(0.1, 9000.0, (*SMALL, 3)).astype(np.float32)


def _written(suffix: str, write: Callable[[Path], None]) -> bytes:
    with tempfile.TemporaryDirectory() as folder:
        path = Path(folder) / f"sky{suffix}"
        write(path)
        return path.read_bytes()


def _hdr_seeds() -> list[bytes]:
    height, width = SMALL
    head = f"#?RADIANCE\nFORMAT=32-bit_rle_rgbe\n\n-Y {height} +X {width}\n".encode()
    plain = np.random.default_rng(7).integers(0, 255, (height, width, 4), dtype=np.uint8)
    plain[..., 3] = 130
    line = b"\2\2" + bytes([0, width]) + bytes([128 + width, 100]) * 4
    return [head + plain.tobytes(), head + line * height]


def _panorama(suffix: str) -> Callable[[bytes], object]:
    return lambda data: parse_panorama(data, Path(f"fuzzed{suffix}"))


def _exr(data: bytes) -> object:
    # The package reads files only: one in memory, as no disk could keep up.
    with tempfile.NamedTemporaryFile(suffix=".exr", dir="/dev/shm") as file:
        file.write(data)
        file.flush()
        return parse_panorama(data, Path(file.name))


READERS = (
    Reader("project", _project, _project_seeds),
    Reader("level", _level, _level_seeds),
    Reader("day", _day, _day_seeds),
    Reader("profile", _profile, _profile_seeds),
    Reader("hdr", _panorama(".hdr"), _hdr_seeds),
    Reader(
        "png",
        _panorama(".png"),
        lambda: [_written(".png", lambda path: write_png(path, (_sky() / 40.0).astype(np.uint8)))],
    ),
    Reader("exr", _exr, lambda: [_written(".exr", lambda path: write_exr(path, _sky()))]),
)
