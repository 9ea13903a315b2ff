"""glTF accessors as NumPy arrays: views, strides, sparse values, normalised integers.

Source: glTF 2.0 specification, section 3.6.2 (accessors).
"""

from typing import Any, Final

import numpy as np
from numpy.typing import NDArray

from wallum.errors import LevelProblem
from wallum.level.importers.gltf.document import Gltf
from wallum.limits import MAX_EMPTY_ENTRIES, MAX_VALUES_A_BYTE

__all__ = ["Accessors"]

COMPONENT: Final[dict[int, Any]] = {
    5120: np.int8, 5121: np.uint8, 5122: np.int16, 5123: np.uint16, 5125: np.uint32,
    5126: np.float32,
}  # fmt: skip
WIDTH: Final = {
    "SCALAR": 1, "VEC2": 2, "VEC3": 3, "VEC4": 4, "MAT2": 4, "MAT3": 9, "MAT4": 16,
}  # fmt: skip
# Largest values of the normalised integer types: section 3.6.2.2.
FULL_SCALE: Final = {np.int8: 127.0, np.uint8: 255.0, np.int16: 32767.0, np.uint16: 65535.0}


# Beyond it products leave single precision.
LARGEST: Final = 1e9


class Accessors:
    """Reads the accessors of one file, whose buffers are already in memory."""

    def __init__(self, gltf: Gltf, buffers: list[bytes], source: str) -> None:
        self._gltf = gltf
        self._buffers = buffers
        self._source = source
        self._read: dict[tuple[int, int], NDArray[np.float32]] = {}
        self._given: dict[int, NDArray[Any]] = {}
        # What may be read still: primitives share what they read, but a small file asks for little.
        self._values_left = MAX_VALUES_A_BYTE * (sum(map(len, buffers)) + MAX_EMPTY_ENTRIES)
        self._empty_left = MAX_EMPTY_ENTRIES

    @property
    def gltf(self) -> Gltf:
        """The document that they belong to."""
        return self._gltf

    def width(self, index: int) -> int:
        """How many components each entry has. Raises LevelProblem."""
        if not isinstance(index, int) or not 0 <= index < len(self._gltf.accessors):
            raise LevelProblem(f"there is no accessor {index!r}", self._source)
        result = self._gltf.accessors[index].type
        if result not in WIDTH:
            raise self._fail(f"unknown type {result!r}", index)
        return WIDTH[result]

    def _fail(self, what: str, index: int) -> LevelProblem:
        return LevelProblem(what, f"{self._source}: accessor {index}")

    def view_bytes(self, index: int) -> memoryview:
        """The bytes of a buffer view. Raises LevelProblem where it leaves its buffer."""
        if not isinstance(index, int) or not 0 <= index < len(self._gltf.bufferViews):
            raise LevelProblem(f"there is no buffer view {index!r}", self._source)
        view = self._gltf.bufferViews[index]
        start, length = view.byteOffset or 0, view.byteLength
        if not isinstance(view.buffer, int) or not 0 <= view.buffer < len(self._buffers):
            raise LevelProblem(f"buffer view {index} names no buffer", self._source)
        buffer = self._buffers[view.buffer]
        if start < 0 or length is None or length < 0 or start + length > len(buffer):
            raise LevelProblem(f"buffer view {index} leaves its buffer", self._source)
        return memoryview(buffer)[start : start + length]

    def _strided(self, index: int, view: int, offset: int, count: int, kind: Any, width: int) -> Any:
        data = self.view_bytes(view)
        size = np.dtype(kind).itemsize * width
        stride = self._gltf.bufferViews[view].byteStride or size
        for name, value, smallest in (
            ("count", count, 0),
            ("byteOffset", offset, 0),
            ("byteStride", stride, size),
        ):
            if not isinstance(value, int) or value < smallest:
                raise self._fail(f"its {name} is {value!r}", index)
        needed = offset + (stride * (count - 1) + size if count else 0)
        if needed > len(data):
            raise self._fail(f"needs {needed} bytes of a view of {len(data)}", index)
        rows = np.ndarray(
            (count, width), dtype=np.dtype(kind).newbyteorder("<"), buffer=data, offset=offset,
            strides=(stride, np.dtype(kind).itemsize),
        )  # fmt: skip
        return rows

    def raw(self, index: int) -> NDArray[Any]:
        """(count, width) values in the type that the file has them in."""
        if not isinstance(index, int) or not 0 <= index < len(self._gltf.accessors):
            raise LevelProblem(f"there is no accessor {index}", self._source)
        accessor = self._gltf.accessors[index]
        if accessor.componentType not in COMPONENT or accessor.type not in WIDTH:
            raise self._fail(f"unknown type {accessor.componentType} {accessor.type}", index)
        if not isinstance(accessor.count, int) or accessor.count < 0:
            raise self._fail(f"count {accessor.count!r} is not a number of elements", index)
        kind, width = COMPONENT[accessor.componentType], WIDTH[accessor.type]
        self._values_left -= accessor.count * width
        if accessor.bufferView is None and index not in self._given:
            self._empty_left -= accessor.count
        if self._values_left < 0 or self._empty_left < 0:
            raise self._fail(f"asks for {accessor.count:,} entries; the file has no data for so many", index)
        if index in self._given:
            rows = self._as_said(index, accessor.count, kind, width)
        elif accessor.bufferView is None:
            rows = np.zeros((accessor.count, width), kind)
        else:
            rows = self._strided(
                index, accessor.bufferView, accessor.byteOffset or 0, accessor.count, kind, width
            )
        return self._with_sparse(index, accessor, rows, kind, width)

    def give(self, index: Any, rows: NDArray[Any]) -> None:
        """Let an accessor have what was unpacked from elsewhere in the file: (count, width) values."""
        self._given[index] = rows

    def _as_said(self, index: int, count: int, kind: Any, width: int) -> NDArray[Any]:
        rows = self._given[index]
        if rows.shape != (count, width):
            have = " of ".join(str(size) for size in rows.shape)
            raise self._fail(f"{count} of {width} are asked for where {have} were packed", index)
        return rows.astype(kind, copy=False)

    def _with_sparse(self, index: int, accessor: Any, rows: Any, kind: Any, width: int) -> Any:
        sparse = accessor.sparse
        if sparse is None:
            return rows
        where_kind = COMPONENT.get(sparse.indices.componentType)
        if where_kind not in (np.uint8, np.uint16, np.uint32):
            raise self._fail("its sparse indices are not unsigned integers", index)
        where = self._strided(
            index, sparse.indices.bufferView, sparse.indices.byteOffset or 0, sparse.count,
            where_kind, 1,
        )[:, 0]  # fmt: skip
        values = self._strided(
            index, sparse.values.bufferView, sparse.values.byteOffset or 0, sparse.count, kind, width
        )
        if len(where) and int(where.max()) >= len(rows):
            raise self._fail("a sparse index lies beyond the end", index)
        filled = np.array(rows)
        filled[where] = values
        return filled

    def floats(self, index: int, width: int) -> NDArray[np.float32]:
        """(count, width) float32, normalised integers brought to 0..1 or -1..1."""
        if (index, width) in self._read:
            return self._read[index, width]
        rows = self.raw(index)
        accessor = self._gltf.accessors[index]
        if rows.shape[1] != width:
            raise self._fail(f"{accessor.type} where {width} components belong", index)
        out = np.ascontiguousarray(rows, dtype=np.float32)
        kind = COMPONENT[accessor.componentType]
        if accessor.normalized and kind in FULL_SCALE:
            out = np.maximum(out / np.float32(FULL_SCALE[kind]), np.float32(-1.0))
        if len(out) and not max(abs(float(out.min())), abs(float(out.max()))) <= LARGEST:
            raise self._fail(f"not every value is a number up to {LARGEST:g}", index)
        out.flags.writeable = False  # several primitives may share it
        self._read[index, width] = out
        return out

    def indices(self, index: int, vertex_count: int) -> NDArray[np.uint32]:
        """(count,) uint32 vertex numbers, each checked against the number of vertices."""
        rows = self.raw(index)
        if rows.shape[1] != 1 or rows.dtype.kind != "u":
            raise self._fail("indices must be unsigned single numbers", index)
        out = rows[:, 0].astype(np.uint32)
        if len(out) and int(out.max()) >= vertex_count:
            raise self._fail(f"an index goes beyond the {vertex_count} vertices", index)
        return out
