"""Pictures of a glTF file. One that cannot be had never refuses the level: a stand-in takes its
place, and a finding names it."""

import base64
from collections.abc import Callable, Iterator
from concurrent.futures import ThreadPoolExecutor
from dataclasses import dataclass, replace
from typing import Any, Final

import numpy as np

from wallum.errors import LevelProblem
from wallum.faults import reading, said
from wallum.level.importers.gltf.accessors import Accessors
from wallum.level.importers.gltf.document import Gltf
from wallum.level.importers.images.ktx2 import KTX2, decode_ktx2, ktx2_size
from wallum.level.model.model import Finding, Material, Picture, Slot, TextureUse
from wallum.level.model.pictures import as_png, picture_size
from wallum.limits import MAX_PICTURES_PIXELS

__all__ = ["Fetch", "ReadPictures", "data_uri", "read_pictures"]

Fetch = Callable[[str], bytes]
DECODERS: Final = 2
# What stands in: a surface of mid grey, a glow of none. Other slots go without.
STAND_INS: Final[dict[Slot, int]] = {"base": 118, "emissive": 0}
MIMES: Final = {b"\x89PNG": "image/png", b"RIFF": "image/webp"}


def data_uri(uri: str, source: str) -> bytes:
    """The bytes in a data address. Raises LevelProblem."""
    head, _, body = uri.partition(",")
    if not head.endswith(";base64"):
        raise LevelProblem("a data address is not in base64", source)
    with reading(LevelProblem, "a data address is broken", source):
        return base64.b64decode(body, validate=False)


@dataclass(frozen=True)
class ReadPictures:
    """All pictures of a file, stand-ins last; and materials that use those that are there."""

    pictures: tuple[Picture, ...]
    materials: tuple[Material, ...]
    findings: tuple[Finding, ...]


def _bytes_of(image: Any, accessors: Accessors, fetch: Fetch, source: str) -> bytes:
    if image.bufferView is not None:
        return bytes(accessors.view_bytes(image.bufferView))
    uri = image.uri
    if not isinstance(uri, str) or not uri:
        raise LevelProblem("it has no data", source)
    if uri.startswith("data:"):
        return data_uri(uri, source)
    try:
        return fetch(uri)
    except LevelProblem:
        # Written on a system whose folders are parted the other way.
        if "\\" not in uri:
            raise
        return fetch(uri.replace("\\", "/"))


def _called(image: Any, number: int) -> str:
    """What a picture is known by to those who made it: its file, else its name."""
    uri = image.uri if isinstance(image.uri, str) and not image.uri.startswith("data:") else ""
    return uri or (str(image.name) if image.name else f"picture {number}")


def _read(gltf: Gltf, accessors: Accessors, fetch: Fetch, source: str) -> Iterator[Picture | str]:
    """Each picture, or why it cannot be had."""
    pixels = 0
    for number, image in enumerate(gltf.images):
        name = _called(image, number)
        try:
            with reading(LevelProblem, "it cannot be read", name):
                data = _bytes_of(image, accessors, fetch, name)
            if not data:
                raise LevelProblem("it is empty", name)
            data, pixels = _taken(data, name, pixels)
        except LevelProblem as problem:
            yield said(problem).removeprefix(f"{name}: ")
            continue
        mime = MIMES.get(data[:4]) or image.mimeType or "image/jpeg"
        yield Picture(str(image.name or name), str(mime), data)


def _taken(data: bytes, name: str, pixels: int) -> tuple[bytes, int]:
    """A picture in a form that any program decodes, and the pixels of all pictures with its own."""
    packed = data.startswith(KTX2)
    with reading(LevelProblem, "it cannot be read", name):
        width, height = ktx2_size(data) if packed else picture_size(data, name)
    pixels += width * height
    if pixels > MAX_PICTURES_PIXELS:
        raise LevelProblem(f"the pictures have more than {MAX_PICTURES_PIXELS:,} pixels together", name)
    if packed:
        with reading(LevelProblem, "it cannot be unpacked", name):
            data = as_png(decode_ktx2(data))
    return data, pixels


def _decoded(pictures: list[Picture | str]) -> list[Picture | str]:
    """The same, decoded beside each other: one that is cut short shows only then."""

    def look(item: Picture | str) -> Picture | str:
        if isinstance(item, str):
            return item
        try:
            assert item.pixels.size
        except LevelProblem as problem:
            return problem.what
        return item

    with ThreadPoolExecutor(DECODERS) as pool:
        return list(pool.map(look, pictures))


def _plain(value: int) -> Picture:
    return Picture("stand-in", "image/png", as_png(np.full((4, 4, 3), value, np.uint8)))


def _patched(
    textures: dict[Slot, TextureUse], broken: set[int], stand_in: dict[Slot, int]
) -> dict[Slot, TextureUse]:
    out: dict[Slot, TextureUse] = {}
    for slot, use in textures.items():
        if use.picture not in broken:
            out[slot] = use
        elif slot in stand_in:
            out[slot] = replace(use, picture=stand_in[slot])
    return out


def read_pictures(
    gltf: Gltf, accessors: Accessors, fetch: Fetch, materials: tuple[Material, ...], source: str
) -> ReadPictures:
    """Read all pictures; `fetch` brings what lies beside the file. Raises nothing for a bad one."""
    decoded = _decoded(list(_read(gltf, accessors, fetch, source)))
    broken = {number for number, item in enumerate(decoded) if isinstance(item, str)}
    if not broken:
        return ReadPictures(tuple(item for item in decoded if isinstance(item, Picture)), materials, ())
    grey = _plain(STAND_INS["base"])
    pictures = [item if isinstance(item, Picture) else grey for item in decoded]
    stand_in: dict[Slot, int] = {}
    for slot, value in STAND_INS.items():
        stand_in[slot] = len(pictures)
        pictures.append(_plain(value))
    findings = []
    for number in sorted(broken):
        name = _called(gltf.images[number], number)
        users = sum(
            any(use.picture == number for use in material.textures.values()) for material in materials
        )
        text = (
            f"{name} is not shown ({decoded[number]}): a plain stand-in is on {users} surfaces that use it."
        )
        findings.append(Finding("picture missing", name, "warning", text))
    patched = tuple(
        replace(material, textures=_patched(material.textures, broken, stand_in)) for material in materials
    )
    return ReadPictures(tuple(pictures), patched, tuple(findings))
