"""Baked light beside the project: one file, whole or not there; and, while it is worked on, what is done."""

import hashlib
import json
import logging
from dataclasses import fields
from pathlib import Path
from typing import Any, Final

import numpy as np

from wallum.document.derived import derived_folder
from wallum.document.project import Project
from wallum.errors import ValueProblem
from wallum.files import written_whole
from wallum.level.model.model import Level
from wallum.level.model.unwrapping import UnwrappedTriangles
from wallum.transport.field.baked_light import BakedLight
from wallum.transport.field.field_cache import level_key
from wallum.transport.scene.rays import RayScene

__all__ = [
    "bake_file",
    "baked_key",
    "clear_bake",
    "fitting_bake",
    "load_bake",
    "load_part",
    "part_file",
    "save_bake",
    "save_part",
    "unwrapped_of",
]

log = logging.getLogger("wallum.derived")
VERSION: Final = 1
MAX_BYTES: Final = 2 << 30


def bake_file(project: Project, file: Path | None) -> Path:
    """Where a project's baked light is kept; of projects without a file by their level."""
    word = "" if file is not None else "-" + hashlib.sha256(project.level.encode()).hexdigest()[:12]
    return derived_folder(file) / f"baked{word}.npz"


def part_file(project: Project, file: Path | None) -> Path:
    """Where unfinished baked light is kept, so that it can be gone on with."""
    whole = bake_file(project, file)
    return whole.with_name(f"{whole.stem}-unfinished.npz")


def save_bake(baked: BakedLight, path: Path) -> None:
    """Keep baked light, in the place of what was there. Raises OSError."""
    messages = {
        "version": VERSION, "straight": baked.straight, "state": baked.state, "when": baked.when,
        "settings": baked.settings, "noise": baked.noise, "level": baked.level,
        "size": baked.laid.size, "pages": baked.laid.pages,
    }  # fmt: skip
    arrays: dict[str, Any] = {
        name: value
        for name in (field_.name for field_ in fields(UnwrappedTriangles))
        if isinstance(value := getattr(baked.laid, name), np.ndarray)
    }
    path.parent.mkdir(parents=True, exist_ok=True)
    with written_whole(path) as part, open(part, "r+b") as stream:
        np.savez(stream, told=np.array(json.dumps(messages)), light=baked.pages, **arrays)


def load_bake(path: Path) -> BakedLight | None:
    """Kept baked light; None where there is none. Raises ValueProblem where it cannot be read."""
    try:
        with open(path, "rb") as stream, np.load(stream, allow_pickle=False) as selected:
            if sum(item.file_size for item in selected.zip.infolist()) > MAX_BYTES:
                raise ValueProblem("the baked light is too large", str(path))
            return _read(selected)
    except FileNotFoundError:
        return None
    except ValueProblem:
        raise
    except Exception as error:  # zipfile, json and numpy raise kinds of their own for broken files
        raise ValueProblem(f"the baked light is broken: {error}", str(path), "bake it anew") from None


def unwrapped_of(kept: Any, size: tuple[int, int], pages: int) -> UnwrappedTriangles:
    """Triangles on pages, from arrays by name."""
    triangles, vertices, uv, page, faces = (
        kept[name] for name in ("triangles", "vertices", "uv", "page", "faces")
    )
    return UnwrappedTriangles(triangles, vertices, uv, page, faces, size, pages)


def _read(kept: Any) -> BakedLight:
    messages = json.loads(str(kept["told"]))
    if messages["version"] != VERSION:
        raise ValueError(f"version {messages['version']} is not known")
    width, height = (int(item) for item in messages["size"])
    laid = unwrapped_of(kept, (width, height), int(messages["pages"]))
    light = kept["light"].astype(np.float32)
    if light.shape != (laid.pages, height, width, 3) or not np.isfinite(light).all():
        raise ValueError("its pages are of another size, or not all numbers")
    count = len(laid.vertices)
    whole = laid.faces.max(initial=0) < max(count, 1) and len(laid.uv) == count == len(laid.page)
    if not whole or len(laid.faces) != len(laid.triangles) or laid.page.max(initial=0) >= laid.pages:
        raise ValueError("parts of different sizes")
    texels, smallest, paths = messages["settings"]
    return BakedLight(
        laid, light, bool(messages["straight"]), dict(messages["state"]), str(messages["when"]),
        (float(texels), float(smallest), int(paths)), float(messages["noise"]), str(messages["level"]),
    )  # fmt: skip


def baked_key(rays: RayScene, level: Level) -> str:
    """The level that light is baked of, as a short word."""
    return level_key(rays, level, "baked light")


def fitting_bake(project: Project, file: Path | None, rays: RayScene, level: Level) -> BakedLight | None:
    """What was baked of a project's level, where that is as it was then. Raises ValueProblem"""
    baked = load_bake(bake_file(project, file))
    return baked if baked is not None and baked.level == baked_key(rays, level) else None


def clear_bake(project: Project, file: Path | None) -> bool:
    """Throw away a project's baked light; whether there was any. Raises OSError"""
    there = False
    for path in (bake_file(project, file), part_file(project, file)):
        there |= path.exists()
        path.unlink(missing_ok=True)
    return there


def save_part(path: Path, key: str, values: dict[str, Any]) -> None:
    """Keep what is done of a bake; not to be able to is no harm."""
    try:
        path.parent.mkdir(parents=True, exist_ok=True)
        with written_whole(path) as part, open(part, "r+b") as stream:
            np.savez(stream, key=np.array(key), **values)
    except OSError as error:
        log.warning("what is done of the baked light could not be kept: %s", error)


def load_part(path: Path, key: str) -> dict[str, Any] | None:
    """What was done of this very bake; None where nothing was, or it cannot be read."""
    try:
        with open(path, "rb") as stream, np.load(stream, allow_pickle=False) as selected:
            if str(selected["key"]) == key:
                return {name: selected[name] for name in selected.files if name != "key"}
    except Exception as error:  # zipfile and numpy raise kinds of their own for broken files
        log.debug("no unfinished bake: %s", error)
    return None
