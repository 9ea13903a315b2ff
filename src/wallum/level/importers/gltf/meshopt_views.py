"""EXT_meshopt_compression: buffer views that meshoptimizer compressed, unpacked before they are read.

The codecs are the format's own, by the package `meshopt`. What they may allocate is bounded here first.
Source: glTF extension EXT_meshopt_compression (Khronos), appendices A and B.
"""

from typing import Any, Final

import meshopt

from wallum.errors import LevelProblem
from wallum.faults import reading
from wallum.level.importers.gltf.document import Gltf
from wallum.limits import LEVEL_BYTES

__all__ = ["MESHOPT", "MESHOPT_NAMES", "is_fallback", "unpack_meshopt"]

MESHOPT: Final = "EXT_meshopt_compression"
# The same format under the name that it is to have.
MESHOPT_NAMES: Final = (MESHOPT, "KHR_meshopt_compression")
# Bytes of vertices from one packed byte, where all are alike.
MAX_VERTEX_RATIO: Final = 1100
# Indices from one packed byte: a triangle takes a byte at least.
MAX_INDICES_PER_BYTE: Final = 3
# Bytes an element may have, by filter.
FILTER_STRIDES: Final = {"OCTAHEDRAL": (4, 8), "QUATERNION": (8,), "EXPONENTIAL": range(4, 257, 4)}


def is_fallback(buffer: Any) -> bool:
    """Whether a buffer only stands for what its views have packed elsewhere."""
    extensions = buffer.extensions if isinstance(buffer.extensions, dict) else {}
    declared = [extensions.get(name) for name in MESHOPT_NAMES]
    return any(isinstance(value, dict) and value.get("fallback") is True for value in declared)


def _integer(declared: dict[str, Any], name: str, largest: int) -> int:
    value = declared.get(name, 0)
    if isinstance(value, bool) or not isinstance(value, int) or not 0 <= value <= largest:
        raise LevelProblem(f"its {name} is {value!r}", "")
    return value


def _check_size(mode: Any, count: int, stride: int, packed_bytes: int) -> None:
    """Refuse what the packed bytes cannot hold. Raises LevelProblem."""
    if mode == "ATTRIBUTES":
        if count * stride > MAX_VERTEX_RATIO * packed_bytes:
            raise LevelProblem("it asks for more vertices than its data can hold", "")
    elif mode not in ("TRIANGLES", "INDICES") or stride not in (2, 4):
        raise LevelProblem(f"its packed data has the mode {mode!r}", "")
    elif count > MAX_INDICES_PER_BYTE * packed_bytes:
        raise LevelProblem("it asks for more indices than its data can hold", "")


def _unpacked(declared: dict[str, Any], buffers: list[bytes]) -> bytes:
    """The bytes of one buffer view. Raises LevelProblem or ValueError."""
    number = declared.get("buffer")
    if not isinstance(number, int) or not 0 <= number < len(buffers):
        raise LevelProblem("its packed data names no buffer", "")
    start = _integer(declared, "byteOffset", LEVEL_BYTES)
    length = _integer(declared, "byteLength", LEVEL_BYTES)
    data = buffers[number][start : start + length]
    count, stride = _integer(declared, "count", LEVEL_BYTES), _integer(declared, "byteStride", 256)
    if len(data) < length or not stride or count * stride > LEVEL_BYTES:
        raise LevelProblem("its packed data is cut short", "")
    mode, used = declared.get("mode"), declared.get("filter", "NONE")
    _check_size(mode, count, stride, len(data))
    if mode == "ATTRIBUTES" and used != "NONE" and stride not in FILTER_STRIDES.get(used, ()):
        raise LevelProblem(f"its filter {used!r} does not go with {stride} bytes", "")
    filter_name = used if mode == "ATTRIBUTES" and used != "NONE" else None
    return bytes(meshopt.decode_gltf_buffer(data, count, stride, mode, filter_name).tobytes())


def unpack_meshopt(gltf: Gltf, buffers: list[bytes], source: str) -> None:
    """Append the unpacked bytes of each packed buffer view as a new buffer. Raises LevelProblem."""
    total = 0
    for number, view in enumerate(gltf.bufferViews):
        extensions = view.extensions if isinstance(view.extensions, dict) else {}
        declared = next((extensions[name] for name in MESHOPT_NAMES if name in extensions), None)
        if declared is None:
            continue
        where = f"{source}: buffer view {number}"
        with reading(LevelProblem, "its packed data is broken", where):
            try:
                data = _unpacked(declared, buffers)
            except LevelProblem as problem:
                raise LevelProblem(problem.what, where) from None
        total += len(data)
        if total > LEVEL_BYTES:
            raise LevelProblem("its packed data is too large", source)
        buffers.append(data)
        view.buffer, view.byteOffset, view.byteLength = len(buffers) - 1, 0, len(data)
