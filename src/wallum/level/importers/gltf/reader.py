"""A level from a glTF 2.0 file: .glb, or .gltf with data inside or beside it."""

from dataclasses import replace
from pathlib import Path
from typing import Final

from pydantic import ValidationError

from wallum.document.paths import refusal
from wallum.errors import LevelProblem
from wallum.faults import reading
from wallum.files import inside, read_limited
from wallum.level.importers.gltf.accessors import Accessors
from wallum.level.importers.gltf.document import Gltf, parse_document
from wallum.level.importers.gltf.draco import DRACO, unpack_draco
from wallum.level.importers.gltf.glass import GLASS_EXTENSIONS
from wallum.level.importers.gltf.material_sets import SETS, set_names
from wallum.level.importers.gltf.materials import read_materials
from wallum.level.importers.gltf.meshes import read_meshes
from wallum.level.importers.gltf.meshopt_views import MESHOPT_NAMES, is_fallback, unpack_meshopt
from wallum.level.importers.gltf.nodes import read_nodes
from wallum.level.importers.gltf.pictures import Fetch, data_uri, read_pictures
from wallum.level.importers.gltf.unread import unread_findings
from wallum.level.model.model import Finding, Level
from wallum.limits import LEVEL_BYTES, MAX_TRIANGLES, MAX_VERTICES

__all__ = ["load_gltf", "parse_gltf"]

# Extensions whose meaning is fully read here.
READ: Final = {
    "KHR_lights_punctual",
    "KHR_materials_emissive_strength",
    "KHR_materials_unlit",
    "KHR_mesh_quantization",
    "KHR_texture_transform",
    "EXT_mesh_gpu_instancing",
    "EXT_texture_webp",
    "KHR_node_visibility",
    "KHR_texture_basisu",
    DRACO,
    SETS,
    *GLASS_EXTENSIONS,
    *MESHOPT_NAMES,
}
# Extensions without which a file still opens: what they say has a stand-in and a finding.
DONE_WITHOUT: Final = {"MSFT_texture_dds"}


def load_gltf(path: Path) -> Level:
    """Read a level file, and what it names from its own folder and below. Raises LevelProblem."""
    read = [path]

    def fetch(uri: str) -> bytes:
        if "://" in uri:
            raise LevelProblem(f"{uri} is an address on a network", str(path), "a file beside it")
        result = inside(path.parent, uri, LevelProblem)
        data = read_limited(result, LEVEL_BYTES, LevelProblem)
        read.append(result)
        return data

    level = parse_gltf(read_limited(path, LEVEL_BYTES, LevelProblem), path.name, fetch)
    return replace(level, files=tuple(read))


def _open(data: bytes, source: str) -> Gltf:
    with reading(LevelProblem, "not a glTF file", source, "glTF 2.0"):
        gltf = parse_document(data)
    if gltf.asset is None or not str(gltf.asset.version or "").startswith("2"):
        raise LevelProblem("not a glTF 2.0 file", source, "asset version 2")
    return gltf


def _buffers(gltf: Gltf, fetch: Fetch, source: str) -> list[bytes]:
    out = []
    for number, buffer in enumerate(gltf.buffers):
        if is_fallback(buffer):  # what its views need is packed elsewhere
            out.append(b"")
            continue
        if buffer.uri is None:
            if gltf.binary is None:
                raise LevelProblem(f"buffer {number} has no data", source)
            data = gltf.binary
        elif buffer.uri.startswith("data:"):
            data = data_uri(buffer.uri, source)
        else:
            data = fetch(buffer.uri)
        if len(data) < (buffer.byteLength or 0):
            raise LevelProblem(
                f"buffer {number} is cut short ({len(data)} of {buffer.byteLength} bytes)", source
            )
        out.append(data)
    return out


def _feature_findings(gltf: Gltf, source: str) -> list[Finding]:
    required = set(gltf.extensionsRequired or []) - READ - DONE_WITHOUT
    if required:
        names = ", ".join(sorted(required))
        raise LevelProblem(f"the file cannot be read without {names}", source, "a plain export")
    findings = unread_findings(gltf, READ)
    if len(gltf.scenes) > 1:
        shown = gltf.scenes[gltf.scene or 0].name or f"number {gltf.scene or 0}"
        text = f"The file has {len(gltf.scenes)} scenes; only {shown} is shown."
        findings.append(Finding("scene not read", source, "warning", text))
    sets = set_names(gltf, source)
    if sets:
        names = ", ".join(sets)
        text = f"The file has {len(sets)} sets of materials ({names}): choose one with material_set=NAME."
        findings.append(Finding("sets of materials", source, "note", text))
    if gltf.animations:
        text = f"The file has {len(gltf.animations)} animations: parts are shown where they rest."
        findings.append(Finding("animation not read", source, "warning", text))
    return findings


def _assemble(gltf: Gltf, source: str, fetch: Fetch) -> Level:
    findings = _feature_findings(gltf, source)
    buffers = _buffers(gltf, fetch, source)
    unpack_meshopt(gltf, buffers, source)
    accessors = Accessors(gltf, buffers, source)
    inputs, of_materials = read_materials(gltf, source)
    read = read_pictures(gltf, accessors, fetch, inputs, source)
    unpack_draco(gltf, accessors)
    meshes, of_meshes = read_meshes(gltf, accessors, read.materials)
    meshes, parts, shots, sources, of_nodes = read_nodes(gltf, accessors, meshes, read.materials, source)
    level = Level(
        name=Path(source).stem,
        meshes=meshes,
        parts=parts,
        materials=read.materials,
        pictures=read.pictures,
        sources=sources,
        shots=shots,
        sets=set_names(gltf, source),
        findings=(*read.findings, *findings, *of_materials, *of_meshes, *of_nodes),
    )
    for count, largest, word in (
        (level.triangle_count, MAX_TRIANGLES, "triangles"),
        (level.vertex_count, MAX_VERTICES, "vertices"),
    ):
        if count > largest:
            raise LevelProblem(f"has {count:,} {word}", source, f"at most {largest:,}, instances counted")
    return level


def parse_gltf(data: bytes, source: str, fetch: Fetch) -> Level:
    """A level from a file's bytes; `fetch` brings what lies beside it. Raises LevelProblem."""
    gltf = _open(data, source)
    # The document checks no single values: a string where a number belongs surfaces here.
    with reading(LevelProblem, "not well-formed glTF", source, "glTF 2.0"):
        try:
            return _assemble(gltf, source, fetch)
        except ValidationError as error:
            raise LevelProblem(str(refusal(error, "")), source) from None
