"""Pictures in KTX 2.0 files that are packed by Basis Universal, as KHR_texture_basisu has them.

Source: KTX file format specification, version 2.0 (Khronos).
"""

import struct
from dataclasses import dataclass
from typing import Final

import imagecodecs
import numpy as np
from numpy.typing import NDArray

from wallum.errors import LevelProblem
from wallum.level.etc1s import decode_slice, read_codebooks
from wallum.level.uastc import decode_uastc

__all__ = ["KTX2", "decode_ktx2", "ktx2_size"]

KTX2: Final = b"\xabKTX 20\xbb\r\n\x1a\n"
HEADER: Final = "<9I4I2Q"
HEADER_BYTES: Final = 12 + 68
PLAIN, BASIS_LZ, ZSTANDARD = 0, 1, 2
# What its data descriptor calls the kinds of blocks.
ETC1S_MODEL, UASTC_MODEL = 163, 166
# ETC1S is unpacked block by block: of larger ones a smaller version is read, where the file has one.
LARGEST_ETC1S: Final = 2048
MOST_LEVELS: Final = 32
# Blocks that a byte of a slice may hold, where all are alike.
MOST_BLOCKS_A_BYTE: Final = 64


@dataclass(frozen=True)
class _File:
    """A file's parts: size, model of its blocks, scheme, (offset, packed, unpacked bytes) of each level."""

    data: bytes
    width: int
    height: int
    model: int
    scheme: int
    levels: list[tuple[int, int, int]]
    shared: bytes  # what BasisLZ keeps for all levels

    def level(self, number: int) -> bytes:
        offset, packed, _ = self.levels[number]
        return _part(self.data, offset, packed)

    def size(self, number: int) -> tuple[int, int]:
        return max(self.width >> number, 1), max(self.height >> number, 1)


def _part(data: bytes, offset: int, length: int) -> bytes:
    if offset + length > len(data):
        raise LevelProblem("it is cut short", "KTX2")
    return data[offset : offset + length]


def _opened(data: bytes) -> _File:
    if len(data) < HEADER_BYTES or not data.startswith(KTX2):
        raise LevelProblem("it is no KTX2 file", "KTX2")
    kind, _, width, height, depth, layers, faces, count, scheme, dfd, _, _, _, shared, shared_bytes = (
        struct.unpack_from(HEADER, data, 12)
    )
    if not width or not height or depth > 1 or layers > 1 or faces != 1 or count > MOST_LEVELS:
        raise LevelProblem("it is no plain picture", "KTX2")
    if kind != 0 or scheme not in (PLAIN, BASIS_LZ, ZSTANDARD):
        raise LevelProblem("its pixels are not packed by Basis Universal", "KTX2")
    table = _part(data, HEADER_BYTES, 24 * max(count, 1))
    levels = [struct.unpack_from("<3Q", table, 24 * number) for number in range(max(count, 1))]
    model = _part(data, dfd + 12, 1)[0]
    return _File(data, width, height, model, scheme, levels, _part(data, shared, shared_bytes))


def ktx2_size(data: bytes) -> tuple[int, int]:
    """Width and height of the picture that `decode_ktx2` gives. Raises LevelProblem."""
    file = _opened(data)
    return file.size(_which(file))


def _which(file: _File) -> int:
    """The version that is read: the largest, or of ETC1S the largest that is unpacked in time."""
    if file.model != ETC1S_MODEL:
        return 0
    for number in range(len(file.levels)):
        if max(file.size(number)) <= LARGEST_ETC1S:
            return number
    return len(file.levels) - 1


def decode_ktx2(data: bytes) -> NDArray[np.uint8]:
    """(H, W, 4) pixels. Raises LevelProblem."""
    file = _opened(data)
    number = _which(file)
    width, height = file.size(number)
    if file.model == UASTC_MODEL and file.scheme in (PLAIN, ZSTANDARD):
        return decode_uastc(_unpacked(file, number, width, height), width, height)
    if file.model == ETC1S_MODEL and file.scheme == BASIS_LZ:
        return _etc1s(file, number, width, height)
    raise LevelProblem(f"its blocks are of an unknown kind ({file.model})", "KTX2")


def _unpacked(file: _File, number: int, width: int, height: int) -> bytes:
    data, whole = file.level(number), 16 * (-(-width // 4)) * (-(-height // 4))
    if file.scheme == PLAIN:
        return data
    if file.levels[number][2] != whole:
        raise LevelProblem(f"{file.levels[number][2]} bytes where {whole} belong", "KTX2")
    return bytes(imagecodecs.zstd_decode(data, out=whole))


def _etc1s(file: _File, number: int, width: int, height: int) -> NDArray[np.uint8]:
    shared = file.shared
    start = 20 + 20 * len(file.levels)
    if len(shared) < start:
        raise LevelProblem("its codebooks are cut short", "KTX2")
    ends, selectors, ends_bytes, selectors_bytes, tables_bytes, _ = struct.unpack_from("<2H4I", shared, 0)
    lengths = (ends_bytes, selectors_bytes, tables_bytes)
    parts = []
    for length in lengths:
        parts.append(_part(shared, start, length))
        start += length
    books = read_codebooks((ends, parts[0]), (selectors, parts[1]), parts[2])
    _, *slices = struct.unpack_from("<5I", shared, 20 + 20 * number)
    level, across, down = file.level(number), -(-width // 4), -(-height // 4)
    if across * down > MOST_BLOCKS_A_BYTE * max(len(level), 1):
        raise LevelProblem(f"{across * down:,} blocks in {len(level):,} bytes", "KTX2")
    out = np.full((4 * down, 4 * across, 4), 255, np.uint8)
    out[..., :3] = decode_slice(books, _part(level, slices[0], slices[1]), across, down)
    if slices[3]:
        out[..., 3] = decode_slice(books, _part(level, slices[2], slices[3]), across, down)[..., 1]
    return np.ascontiguousarray(out[:height, :width])
