"""The JSON document of a glTF 2.0 file as pydantic models, and the two containers that hold it.

Only the shape of the document is validated here: what must be an object or a list is one. Single values keep
the type that the file gives them. The readers check these, so that a refusal names the part of the level.

Source: glTF 2.0 specification, sections 4.4 (GLB) and 5 (properties).
"""

import json
import re
import struct
from typing import Any, Final

from pydantic import BaseModel, ConfigDict, Field, ValidationError, field_validator, model_validator

__all__ = [
    "Accessor",
    "Gltf",
    "Image",
    "Material",
    "Mesh",
    "Node",
    "Primitive",
    "parse_document",
    "parsed_json",
]

GLB_MAGIC: Final = b"glTF"
GLB_HEADER_BYTES, CHUNK_HEADER_BYTES = 12, 8
JSON_CHUNK, BINARY_CHUNK = 0x4E4F534A, 0x004E4942
REPEAT, TRIANGLES = 10497, 4
# Escapes that may not form a whole character, and the characters that they decode to.
SUSPECT_ESCAPES: Final = re.compile(r"\\u(?:0000|[dD][89a-fA-F])")
BROKEN_CHARACTERS: Final = re.compile("[\0\ud800-\udfff]")


class Property(BaseModel):
    """Base of all glTF objects. A null counts as absent; unknown keys are ignored."""

    model_config = ConfigDict(extra="ignore", validate_default=False)

    name: Any = None
    extensions: Any = Field(default_factory=dict)
    extras: Any = Field(default_factory=dict)

    @model_validator(mode="before")
    @classmethod
    def _drop_nulls(cls, data: Any) -> Any:
        if isinstance(data, dict):
            return {key: value for key, value in data.items() if value is not None}
        return data

    @field_validator("name", mode="before")
    @classmethod
    def _text_or_none(cls, value: Any) -> Any:
        return value if isinstance(value, str) else None


class Asset(Property):
    """Format version of the file."""

    version: Any = None


class Primitive(Property):
    """One draw of a mesh; `attributes` maps semantics to accessor numbers."""

    attributes: dict[str, Any] = Field(default_factory=dict)
    indices: Any = None
    mode: Any = TRIANGLES
    material: Any = None
    targets: Any = Field(default_factory=list)


class Mesh(Property):
    """Primitives with shared morph target weights."""

    primitives: list[Primitive] = Field(default_factory=list)
    weights: Any = Field(default_factory=list)


class SparseIndices(Property):
    """Where the values of a sparse accessor go."""

    bufferView: Any = None
    byteOffset: Any = 0
    componentType: Any = None


class SparseValues(Property):
    """The values of a sparse accessor."""

    bufferView: Any = None
    byteOffset: Any = 0


class Sparse(Property):
    """Values that replace some entries of an accessor."""

    count: Any = None
    indices: SparseIndices = Field(default_factory=SparseIndices)
    values: SparseValues = Field(default_factory=SparseValues)


class Accessor(Property):
    """A typed array in a buffer view."""

    bufferView: Any = None
    byteOffset: Any = 0
    componentType: Any = None
    normalized: Any = False
    count: Any = None
    type: Any = None
    sparse: Sparse | None = None


class BufferView(Property):
    """A range of a buffer."""

    buffer: Any = None
    byteOffset: Any = 0
    byteLength: Any = None
    byteStride: Any = None


class Buffer(Property):
    """Raw bytes: a file beside this one, a data address, or the binary chunk."""

    uri: Any = None
    byteLength: Any = None


class Perspective(Property):
    """Perspective camera; `yfov` in radians."""

    yfov: Any = None


class Camera(Property):
    """A camera; only perspective cameras become shots."""

    perspective: Perspective | None = None
    type: Any = None


class TextureInfo(Property):
    """A reference to a texture. `scale` belongs to normal maps, `strength` to occlusion maps."""

    index: Any = None
    texCoord: Any = 0
    scale: Any = 1.0
    strength: Any = 1.0


class PbrMetallicRoughness(Property):
    """Metallic-roughness values of a material."""

    baseColorFactor: Any = Field(default_factory=lambda: [1.0, 1.0, 1.0, 1.0])
    metallicFactor: Any = 1.0
    roughnessFactor: Any = 1.0
    baseColorTexture: TextureInfo | None = None
    metallicRoughnessTexture: TextureInfo | None = None


class Material(Property):
    """Appearance of a surface."""

    pbrMetallicRoughness: PbrMetallicRoughness | None = None
    normalTexture: TextureInfo | None = None
    occlusionTexture: TextureInfo | None = None
    emissiveFactor: Any = Field(default_factory=lambda: [0.0, 0.0, 0.0])
    emissiveTexture: TextureInfo | None = None
    alphaMode: Any = "OPAQUE"
    alphaCutoff: Any = None
    doubleSided: Any = False


class Sampler(Property):
    """Filtering and wrapping of a texture, as OpenGL constants."""

    magFilter: Any = None
    minFilter: Any = None
    wrapS: Any = REPEAT
    wrapT: Any = REPEAT


class Node(Property):
    """A place in the scene's tree."""

    mesh: Any = None
    skin: Any = None
    camera: Any = None
    children: Any = Field(default_factory=list)
    matrix: Any = None
    rotation: Any = None
    translation: Any = None
    scale: Any = None
    weights: Any = None


class Skin(Property):
    """Joints that deform a mesh."""

    inverseBindMatrices: Any = None
    joints: Any = Field(default_factory=list)


class Scene(Property):
    """Root nodes that are shown together."""

    nodes: Any = Field(default_factory=list)


class Texture(Property):
    """An image with a sampler."""

    sampler: Any = None
    source: Any = None


class Image(Property):
    """A picture: a file beside this one, a data address, or a buffer view."""

    uri: Any = None
    mimeType: Any = None
    bufferView: Any = None


class Gltf(Property):
    """A whole glTF document, with the binary chunk of its GLB container if it has one."""

    accessors: list[Accessor] = Field(default_factory=list)
    animations: list[Property] = Field(default_factory=list)
    asset: Asset | None = None
    bufferViews: list[BufferView] = Field(default_factory=list)
    buffers: list[Buffer] = Field(default_factory=list)
    cameras: list[Camera] = Field(default_factory=list)
    extensionsUsed: Any = Field(default_factory=list)
    extensionsRequired: Any = Field(default_factory=list)
    images: list[Image] = Field(default_factory=list)
    materials: list[Material] = Field(default_factory=list)
    meshes: list[Mesh] = Field(default_factory=list)
    nodes: list[Node] = Field(default_factory=list)
    samplers: list[Sampler] = Field(default_factory=list)
    scene: Any = None
    scenes: list[Scene] = Field(default_factory=list)
    skins: list[Skin] = Field(default_factory=list)
    textures: list[Texture] = Field(default_factory=list)
    binary: bytes | None = None


def _refuse_constant(word: str) -> Any:
    raise ValueError(f"{word} is not a number that JSON knows")


def _whole_text(text: str) -> str:
    return BROKEN_CHARACTERS.sub("\ufffd", text)


def _repaired(value: Any) -> Any:
    """Parsed JSON with NUL and lone surrogates replaced in all texts."""
    if isinstance(value, str):
        return _whole_text(value)
    if isinstance(value, list):
        return [_repaired(item) for item in value]
    if isinstance(value, dict):
        return {_whole_text(key): _repaired(item) for key, item in value.items()}
    return value


def parsed_json(text: str) -> Any:
    """Parse the JSON text of a glTF file.

    NaN and Infinity are refused. NUL and lone surrogates in texts become U+FFFD: no file could hold them.
    Raises ValueError or RecursionError.
    """
    data = json.loads(text, parse_constant=_refuse_constant)
    return _repaired(data) if SUSPECT_ESCAPES.search(text) else data


def _split_glb(data: bytes) -> tuple[str, bytes | None]:
    """JSON text and binary chunk of a GLB container. Raises ValueError."""
    if len(data) < GLB_HEADER_BYTES + CHUNK_HEADER_BYTES:
        raise ValueError("its header is cut short")
    _, version, length = struct.unpack_from("<4sII", data)
    if version != 2:
        raise ValueError(f"its container has version {version}")
    text, binary, offset = None, None, GLB_HEADER_BYTES
    end = min(length, len(data))
    while offset + CHUNK_HEADER_BYTES <= end:
        size, kind = struct.unpack_from("<II", data, offset)
        offset += CHUNK_HEADER_BYTES
        if kind == JSON_CHUNK and text is None:
            text = data[offset : offset + size].decode("utf-8")
        elif kind == BINARY_CHUNK and binary is None:
            binary = data[offset : offset + size]
        offset += size
    if text is None:
        raise ValueError("it has no JSON chunk")
    return text, binary


def _first_error(error: ValidationError) -> str:
    """The first problem of a document, by its place in the JSON."""
    first = error.errors(include_url=False, include_input=False)[0]
    place = ".".join(str(part) for part in first["loc"]) or "the document"
    return f"{place}: {first['msg'][0].lower()}{first['msg'][1:]}"


def parse_document(data: bytes) -> Gltf:
    """Parse a .glb or .gltf file. Raises ValueError, RecursionError or UnicodeError."""
    text, binary = _split_glb(data) if data[:4] == GLB_MAGIC else (data.decode("utf-8"), None)
    document = parsed_json(text)
    if not isinstance(document, dict) or "asset" not in document:
        raise ValueError("it has no asset")
    try:
        gltf = Gltf.model_validate(document)
    except ValidationError as error:
        raise ValueError(_first_error(error)) from None
    gltf.binary = binary
    return gltf
