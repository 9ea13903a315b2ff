"""A level from a glTF 2.0 file: .glb, or .gltf with data inside or beside it."""

import base64
import binascii
import json
import warnings
from collections.abc import Callable
from pathlib import Path
from typing import Final
from urllib.parse import unquote

from pydantic import ValidationError
from pygltflib import GLTF2

from wallum.document.paths import refusal
from wallum.errors import LevelProblem
from wallum.level.gltf_accessors import Accessors
from wallum.level.gltf_json import QuickGLTF2
from wallum.level.gltf_meshes import read_meshes
from wallum.level.gltf_nodes import read_nodes
from wallum.level.gltf_surfaces import read_materials
from wallum.level.model import Finding, Level, Picture

__all__ = ["load_gltf", "parse_gltf"]

# Extensions whose meaning is fully read here.
READ: Final = {
    "KHR_lights_punctual",
    "KHR_materials_emissive_strength",
    "KHR_materials_unlit",
    "KHR_mesh_quantization",
    "KHR_texture_transform",
    "EXT_texture_webp",
}
MAGIC: Final = b"glTF"
Fetch = Callable[[str], bytes]


def load_gltf(path: Path) -> Level:
    """Read a level file. Raises LevelProblem."""
    folder = path.parent

    def fetch(uri: str) -> bytes:
        if "://" in uri:
            raise LevelProblem(f"{uri} is an address on a network", str(path), "a file beside it")
        try:
            return (folder / unquote(uri)).read_bytes()
        except OSError as error:
            raise LevelProblem(f"{uri} cannot be read: {error.strerror}", str(path)) from None

    try:
        data = path.read_bytes()
    except OSError as error:
        raise LevelProblem(f"cannot be read: {error.strerror}", str(path)) from None
    return parse_gltf(data, path.name, fetch)


def _open(data: bytes, source: str) -> GLTF2:
    try:
        with warnings.catch_warnings():
            # Its advice on unread keys; what matters of them is a finding of ours.
            warnings.simplefilter("ignore")
            if data[:4] == MAGIC:
                gltf = QuickGLTF2.load_from_bytes(data)
            else:
                text = data.decode("utf-8")
                if "asset" not in json.loads(text):  # the package would make one up
                    raise LevelProblem("not a glTF file", source, "glTF 2.0")
                gltf = QuickGLTF2.from_json(text)
    except LevelProblem:
        raise
    except Exception as error:  # the package lets through whatever its parts raise
        raise LevelProblem(f"not a glTF file: {error}", source, "glTF 2.0") from None
    if gltf is None or not str(gltf.asset.version or "").startswith("2"):
        raise LevelProblem("not a glTF 2.0 file", source, "asset version 2")
    return gltf


def _data_uri(uri: str, source: str) -> bytes:
    head, _, body = uri.partition(",")
    if not head.endswith(";base64"):
        raise LevelProblem("a data address is not in base64", source)
    try:
        return base64.b64decode(body, validate=False)
    except binascii.Error:
        raise LevelProblem("a data address is broken", source) from None


def _buffers(gltf: GLTF2, fetch: Fetch, source: str) -> list[bytes]:
    out = []
    for number, buffer in enumerate(gltf.buffers):
        if buffer.uri is None:
            blob = gltf.binary_blob()
            if blob is None:
                raise LevelProblem(f"buffer {number} has no data", source)
            data = bytes(blob)
        elif buffer.uri.startswith("data:"):
            data = _data_uri(buffer.uri, source)
        else:
            data = fetch(buffer.uri)
        if len(data) < (buffer.byteLength or 0):
            raise LevelProblem(
                f"buffer {number} is cut short ({len(data)} of {buffer.byteLength} bytes)", source
            )
        out.append(data)
    return out


def _pictures(gltf: GLTF2, accessors: Accessors, fetch: Fetch, source: str) -> tuple[Picture, ...]:
    out = []
    for number, image in enumerate(gltf.images):
        name = image.name or f"picture {number}"
        if image.bufferView is not None:
            data = bytes(accessors.view_bytes(image.bufferView))
        elif image.uri and image.uri.startswith("data:"):
            data = _data_uri(image.uri, source)
        elif image.uri:
            data = fetch(image.uri)
        else:
            raise LevelProblem(f"{name} has no data", source)
        mime = image.mimeType or ("image/png" if data[:4] == b"\x89PNG" else "image/jpeg")
        out.append(Picture(name, mime, data))
    return tuple(out)


def _feature_findings(gltf: GLTF2, source: str) -> list[Finding]:
    required = set(gltf.extensionsRequired or []) - READ
    if required:
        names = ", ".join(sorted(required))
        raise LevelProblem(f"the file cannot be read without {names}", source, "a plain export")
    findings = [
        Finding("extension not read", name, "warning", f"{name} is not read; the rest is shown.")
        for name in sorted(set(gltf.extensionsUsed or []) - READ)
    ]
    if len(gltf.scenes) > 1:
        shown = gltf.scenes[gltf.scene or 0].name or f"number {gltf.scene or 0}"
        text = f"The file has {len(gltf.scenes)} scenes; only {shown} is shown."
        findings.append(Finding("scene not read", source, "warning", text))
    for items, kind, text in (
        (gltf.animations, "animation not read", "animations: parts are shown where they rest."),
        (gltf.skins, "skin not read", "skins: figures are shown in their rest pose."),
    ):
        if items:
            findings.append(Finding(kind, source, "warning", f"The file has {len(items)} {text}"))
    return findings


def _assemble(gltf: GLTF2, source: str, fetch: Fetch) -> Level:
    findings = _feature_findings(gltf, source)
    accessors = Accessors(gltf, _buffers(gltf, fetch, source), source)
    pictures = _pictures(gltf, accessors, fetch, source)
    materials, of_materials = read_materials(gltf, source)
    meshes, of_meshes = read_meshes(gltf, accessors, materials)
    parts, shots, sources, of_nodes = read_nodes(gltf, meshes, source)
    return Level(
        name=Path(source).stem,
        meshes=meshes,
        parts=parts,
        materials=materials,
        pictures=pictures,
        sources=sources,
        shots=shots,
        findings=(*findings, *of_materials, *of_meshes, *of_nodes),
    )


def parse_gltf(data: bytes, source: str, fetch: Fetch) -> Level:
    """A level from a file's bytes; `fetch` brings what lies beside it. Raises LevelProblem."""
    gltf = _open(data, source)
    try:
        return _assemble(gltf, source, fetch)
    except ValidationError as error:
        raise LevelProblem(str(refusal(error, "")), source) from None
    except (TypeError, AttributeError, IndexError, KeyError) as error:
        # The package checks no types: a string where a number belongs surfaces here.
        raise LevelProblem(f"not well-formed glTF: {error}", source, "glTF 2.0") from error
