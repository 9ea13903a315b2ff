"""Every reader of strangers' files, with small files of our own to begin from."""

import json
import tempfile
from collections.abc import Callable
from dataclasses import dataclass
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
from wallum.level.demos.pale_room import pale_room_project
from wallum.level.importers.gltf.reader import parse_gltf
from wallum.level.importers.images.panorama_file import parse_panorama
from wallum.level.model.flatten import flatten
from wallum.level.model.sanity import sanity_findings
from wallum.realtime.level.bundling import bundle_level
from wallum.transport.scene.rays import RayScene
from wallum_dev.soak.level_seeds import level_seeds

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
    return [dump(day).encode() for day in days]


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


def _day(data: bytes) -> object:
    return parse_day(data, "fuzzed.wallum-day")


def _day_seeds() -> list[bytes]:
    days = [*own_days()[:2], day_of_project(pale_room_project(), "Room")]
    return [json.dumps(day.model_dump(mode="json", exclude_none=True)).encode() for day in days]


def _profile(data: bytes) -> object:
    return parse_profile(data.decode("utf-8", "surrogateescape"), "fuzzed.json")


def _profile_seeds() -> list[bytes]:
    out = []
    for name in PROFILE_NAMES:
        profile = load_profile(name)
        data = {
            "name": profile.name,
            "origin": profile.origin,
            "calibrated": profile.calibrated,
            "coefficients_ms": profile.coefficients,
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
    Reader("level", _level, level_seeds),
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
