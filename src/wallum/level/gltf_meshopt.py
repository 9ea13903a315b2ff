"""EXT_meshopt_compression: buffer views packed with meshoptimizer's codecs, unpacked before they are read.

Vertices are unpacked by a package; lists of indices and the filters here, as the extension's
specification has them (appendices A and B).
"""

from typing import Any, Final

import imagecodecs
import numpy as np
from numpy.typing import NDArray
from pygltflib import GLTF2

from wallum.errors import LevelProblem
from wallum.faults import reading
from wallum.limits import LEVEL_BYTES

__all__ = ["MESHOPT", "MESHOPT_NAMES", "is_fallback", "unpack_meshopt"]

MESHOPT: Final = "EXT_meshopt_compression"
# The same format under the name that it is to have.
MESHOPT_NAMES: Final = (MESHOPT, "KHR_meshopt_compression")
TRIANGLES_HEADER, SEQUENCE_HEADER = 0xE0, 0xD0
# What a list of indices ends with: a table of 16 codes, or four bytes of padding.
TABLE_BYTES, TAIL_BYTES = 16, 4
UNREPEATED = 15
# Bytes of vertices from one packed byte, where all are alike.
MOST_UNPACKED = 1100
Words = NDArray[np.uint32]


def is_fallback(buffer: Any) -> bool:
    """Whether a buffer only stands for what its views have packed elsewhere."""
    given = buffer.extensions if isinstance(buffer.extensions, dict) else {}
    said = [given.get(name) for name in MESHOPT_NAMES]
    return any(isinstance(one, dict) and one.get("fallback") is True for one in said)


class _Stream:
    """Bytes of variable-length numbers. Raises LevelProblem at their end."""

    def __init__(self, data: bytes, start: int, end: int) -> None:
        self._data, self._at, self._end = data, start, end

    def byte(self) -> int:
        if self._at >= self._end:
            raise LevelProblem("its packed indices end too early", "")
        value = self._data[self._at]
        self._at += 1
        return value

    def number(self) -> int:
        """Seven bits a byte, the lowest first; at most five bytes."""
        out = 0
        for shift in range(0, 35, 7):
            byte = self.byte()
            out |= (byte & 0x7F) << shift
            if byte < 0x80:
                break
        return out & 0xFFFFFFFF

    def step(self) -> int:
        """A signed number, its sign in the lowest bit."""
        value = self.number()
        return (value >> 1) ^ -(value & 1)


class _Triangles:
    """The state of the triangle codec: edges and vertices that were used last."""

    def __init__(self, stream: _Stream, table: bytes, newest: int) -> None:
        self._stream, self._table, self._repeats = stream, table, newest
        self._edges = [(0, 0)] * 16
        self._vertices = [0] * 16
        self._edge_at = self._vertex_at = self._next = self._last = 0

    def _new(self) -> int:
        self._next += 1
        return self._next - 1

    def _free(self) -> int:
        self._last = (self._last + self._stream.step()) & 0xFFFFFFFF
        return self._last

    def _push(self, vertex: int) -> None:
        self._vertices[self._vertex_at & 15] = vertex
        self._vertex_at += 1

    def _push_edge(self, a: int, b: int) -> None:
        self._edges[self._edge_at & 15] = (a, b)
        self._edge_at += 1

    def read(self, code: int) -> tuple[int, int, int]:
        """The triangle that a code stands for."""
        return self._on_an_edge(code) if code < 0xF0 else self._alone(code)

    def _on_an_edge(self, code: int) -> tuple[int, int, int]:
        a, b = self._edges[(self._edge_at - 1 - (code >> 4)) & 15]
        which = code & 15
        if which == 0:
            c = self._new()
        elif which < self._repeats:
            c = self._vertices[(self._vertex_at - 1 - which) & 15]
        elif which == UNREPEATED:
            c = self._free()
        else:  # one before or one after the last free index
            c = self._last = (self._last + which - (which ^ 3)) & 0xFFFFFFFF
        if which == 0 or which >= self._repeats:
            self._push(c)
        self._push_edge(c, b)
        self._push_edge(a, c)
        return a, b, c

    def _alone(self, code: int) -> tuple[int, int, int]:
        from_table = code < 0xFE
        pair = self._table[code & 15] if from_table else self._stream.byte()
        kinds = (UNREPEATED if code == 0xFF else 0, pair >> 4, pair & 15)
        if not from_table and pair == 0:
            self._next = 0
        found: list[int] = []
        for kind in kinds:
            if kind == 0:
                found.append(self._new())
            else:  # free ones are read once all others are known
                found.append(self._vertices[(self._vertex_at - kind) & 15])
        if not from_table:
            found = [self._free() if k == UNREPEATED else v for k, v in zip(kinds, found, strict=True)]
        a, b, c = found
        self._push(a)
        for kind, vertex in zip(kinds[1:], found[1:], strict=True):
            if kind == 0 or (kind == UNREPEATED and not from_table):
                self._push(vertex)
        self._push_edge(b, a)
        self._push_edge(c, b)
        self._push_edge(a, c)
        return a, b, c


def triangle_indices(data: bytes, count: int) -> Words:
    """(count,) indices of packed triangles. Raises LevelProblem."""
    codes_end, tail = 1 + count // 3, len(data) - TABLE_BYTES
    if count % 3 or not data or data[0] & 0xF0 != TRIANGLES_HEADER or data[0] & 15 > 1 or tail < codes_end:
        raise LevelProblem("its packed triangles are broken", "")
    made = _Triangles(_Stream(data, codes_end, tail), data[tail:], 13 if data[0] & 15 else UNREPEATED)
    triangles = [made.read(code) for code in data[1:codes_end]]
    return np.array(triangles, np.int64).reshape(-1).astype(np.uint32)


def sequence_indices(data: bytes, count: int) -> Words:
    """(count,) indices of a packed sequence. Raises LevelProblem."""
    if len(data) < 1 + TAIL_BYTES or data[0] & 0xF0 != SEQUENCE_HEADER or data[0] & 15 > 1:
        raise LevelProblem("its packed sequence of indices is broken", "")
    stream, last = _Stream(data, 1, len(data) - TAIL_BYTES), [0, 0]
    out = np.empty(count, np.uint32)
    for number in range(count):
        value = stream.number()
        base, value = value & 1, value >> 1
        last[base] = (last[base] + ((value >> 1) ^ -(value & 1))) & 0xFFFFFFFF
        out[number] = last[base]
    return out


def _rounded(values: NDArray[np.float64], kind: Any) -> NDArray[Any]:
    return np.trunc(values + np.where(values >= 0.0, 0.5, -0.5)).astype(kind)


def octahedral(rows: NDArray[np.uint8]) -> NDArray[np.uint8]:
    """Unit vectors from their place on an octahedron: (N, 4) or (N, 8) bytes."""
    kind: Any = np.int8 if rows.shape[1] == 4 else np.int16
    values = rows.view(kind).astype(np.float64)
    x, y, one = values[:, 0], values[:, 1], values[:, 2]
    z = one - np.abs(x) - np.abs(y)
    fold = np.minimum(z, 0.0)
    x, y = x + np.where(x >= 0.0, fold, -fold), y + np.where(y >= 0.0, fold, -fold)
    length = np.sqrt(x * x + y * y + z * z)
    scale = np.iinfo(kind).max / np.where(length == 0.0, 1.0, length)
    out = rows.view(kind).copy()
    out[:, :3] = _rounded(np.stack([x, y, z], axis=1) * scale[:, None], kind)
    return out.view(np.uint8)


def quaternions(rows: NDArray[np.uint8]) -> NDArray[np.uint8]:
    """Unit quaternions from their three smaller components: (N, 8) bytes."""
    values = rows.view(np.int16).astype(np.int64)
    largest, full = values[:, 3] & 3, values[:, 3] | 3
    three = values[:, :3] * (np.sqrt(0.5) / full)[:, None]
    w = np.sqrt(np.maximum(1.0 - (three * three).sum(axis=1), 0.0))
    out = np.empty((len(rows), 4), np.int16)
    every = np.arange(len(rows))
    for turn, column in enumerate((w, *three.T)):
        out[every, (largest + turn) & 3] = _rounded(column * 32767.0, np.int16)
    return out.view(np.uint8)


def exponential(rows: NDArray[np.uint8]) -> NDArray[np.uint8]:
    """Floats from 24 bits of number and 8 of exponent: (N, 4k) bytes."""
    words = rows.view(np.uint32)
    exponent = words.view(np.int32) >> 24
    number = (words << np.uint32(8)).view(np.int32) >> 8
    with np.errstate(over="ignore"):
        return np.ldexp(number.astype(np.float32), exponent).astype(np.float32).view(np.uint8)


def _vertices(data: bytes, count: int, stride: int, given: dict[str, Any]) -> NDArray[np.uint8]:
    rows = np.asarray(imagecodecs.meshopt_decode(data, shape=(count, stride), dtype=np.uint8))
    used = given.get("filter", "NONE")
    widths = {"OCTAHEDRAL": stride in (4, 8), "QUATERNION": stride == 8, "EXPONENTIAL": stride % 4 == 0}
    if used != "NONE" and not widths.get(used, False):
        raise LevelProblem(f"its filter {used!r} does not go with {stride} bytes", "")
    filters = {"OCTAHEDRAL": octahedral, "QUATERNION": quaternions, "EXPONENTIAL": exponential}
    return filters[used](np.ascontiguousarray(rows)) if used != "NONE" else rows


def _whole(given: dict[str, Any], name: str, most: int) -> int:
    value = given.get(name, 0)
    if isinstance(value, bool) or not isinstance(value, int) or not 0 <= value <= most:
        raise LevelProblem(f"its {name} is {value!r}", "")
    return value


def _unpacked(given: dict[str, Any], buffers: list[bytes]) -> bytes:
    """The bytes of one buffer view."""
    number = given.get("buffer")
    if not isinstance(number, int) or not 0 <= number < len(buffers):
        raise LevelProblem("its packed data names no buffer", "")
    start, length = _whole(given, "byteOffset", LEVEL_BYTES), _whole(given, "byteLength", LEVEL_BYTES)
    data = buffers[number][start : start + length]
    count, stride = _whole(given, "count", LEVEL_BYTES), _whole(given, "byteStride", 256)
    if len(data) < length or not stride or count * stride > LEVEL_BYTES:
        raise LevelProblem("its packed data is cut short", "")
    mode = given.get("mode")
    if mode == "ATTRIBUTES":
        if count * stride > MOST_UNPACKED * len(data):
            raise LevelProblem("it asks for more vertices than its data can hold", "")
        return _vertices(data, count, stride, given).tobytes()
    if mode not in ("TRIANGLES", "INDICES") or stride not in (2, 4):
        raise LevelProblem(f"its packed data has the mode {mode!r}", "")
    # Each index takes a third of a byte at least, or one.
    if count > 3 * len(data):
        raise LevelProblem("it asks for more indices than its data can hold", "")
    unpack = triangle_indices if mode == "TRIANGLES" else sequence_indices
    return unpack(data, count).astype(np.uint16 if stride == 2 else np.uint32).tobytes()


def unpack_meshopt(gltf: GLTF2, buffers: list[bytes], source: str) -> None:
    """Let packed buffer views have their bytes, in buffers of their own. Raises LevelProblem."""
    held = 0
    for number, view in enumerate(gltf.bufferViews):
        extensions = view.extensions if isinstance(view.extensions, dict) else {}
        given = next((extensions[name] for name in MESHOPT_NAMES if name in extensions), None)
        if given is None:
            continue
        where = f"{source}: buffer view {number}"
        with reading(LevelProblem, "its packed data is broken", where):
            try:
                data = _unpacked(given, buffers)
            except LevelProblem as problem:
                raise LevelProblem(problem.what, where) from None
        held += len(data)
        if held > LEVEL_BYTES:
            raise LevelProblem("its packed data is too large", source)
        buffers.append(data)
        view.buffer, view.byteOffset, view.byteLength = len(buffers) - 1, 0, len(data)
