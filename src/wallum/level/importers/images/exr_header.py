"""What an OpenEXR file says of itself, looked at before its pixels are asked for.

The package allocates what the header claims; a few hundred bytes can claim anything.
Source: OpenEXR file layout, openexr.com, "Structure of an OpenEXR file".
"""

import struct
from typing import Final

from wallum.errors import LevelProblem
from wallum.limits import MAX_PIXELS, SHORTEST_CHUNK_BYTES

__all__ = ["look_at_header"]

MAGIC: Final = b"v/1\x01"
MULTI_PART, DEEP = 0x1000, 0x800
MAX_ATTRIBUTES, MAX_CHANNELS, MAX_PARTS = 200, 64, 16
# Scan lines of one chunk, by the number of the compression.
CHUNK_LINES: Final = {0: 1, 1: 1, 2: 1, 3: 16, 4: 32, 5: 16, 6: 32, 7: 32, 8: 32, 9: 256}
LARGEST_TILE: Final = 4096
# No compression that is known makes more of a byte.
MAX_VALUES_A_BYTE: Final = 4000


def _text(data: bytes, at: int, where: str) -> tuple[str, int]:
    end = data.find(b"\0", at, at + 256)
    if end < 0:
        raise LevelProblem("its header is broken", where, "an OpenEXR picture")
    return data[at:end].decode("latin-1"), end + 1


def _attributes(data: bytes, at: int, where: str) -> tuple[dict[str, bytes], int]:
    """The attributes of one part, and where they end."""
    out: dict[str, bytes] = {}
    for _ in range(MAX_ATTRIBUTES):
        name, at = _text(data, at, where)
        if not name:
            return out, at
        _, at = _text(data, at, where)
        size = struct.unpack_from("<i", data, at)[0] if at + 4 <= len(data) else -1
        if size < 0 or at + 4 + size > len(data):
            raise LevelProblem("its header is broken", where, "an OpenEXR picture")
        out[name] = data[at + 4 : at + 4 + size]
        at += 4 + size
    raise LevelProblem(f"its header has more than {MAX_ATTRIBUTES} attributes", where)


def _channels(listed: bytes, where: str) -> int:
    """How many channels are listed: each a name and sixteen bytes."""
    at = count = 0
    while at < len(listed) and listed[at]:
        _, at = _text(listed, at, where)
        at, count = at + 16, count + 1
    if not 0 < count <= MAX_CHANNELS:
        raise LevelProblem(f"has {count} channels", where, f"1 to {MAX_CHANNELS}")
    return count


def _look_at_part(found: dict[str, bytes], tiled: bool, size: int, where: str) -> None:
    window, listed = found.get("dataWindow", b""), found.get("channels", b"")
    if len(window) != 16 or not found.get("compression"):
        raise LevelProblem("its header is broken", where, "an OpenEXR picture")
    left, top, right, bottom = struct.unpack("<4i", window)
    width, height = right - left + 1, bottom - top + 1
    if width < 1 or height < 1 or width * height > MAX_PIXELS:
        raise LevelProblem(f"a picture of {width}x{height}", where, f"at most {MAX_PIXELS:,} pixels")
    values = width * height * _channels(listed, where)
    across, down = width, CHUNK_LINES.get(found["compression"][0], 1)
    if tiled or "tiles" in found:
        if len(found.get("tiles", b"")) != 9:
            raise LevelProblem("its tiles are not described", where, "an OpenEXR picture")
        across, down = struct.unpack_from("<2I", found["tiles"])
        if not (0 < across <= LARGEST_TILE and 0 < down <= LARGEST_TILE):
            raise LevelProblem(f"has tiles of {across}x{down}", where, f"up to {LARGEST_TILE}x{LARGEST_TILE}")
    chunks = -(-width // across) * -(-height // down)
    if size < max(chunks * SHORTEST_CHUNK_BYTES, values // MAX_VALUES_A_BYTE):
        raise LevelProblem(f"{size} bytes are too few for a picture of {width}x{height}", where)


def look_at_header(data: bytes, where: str) -> None:
    """Raises LevelProblem for a file that is no OpenEXR picture, or claims more than it can hold."""
    if data[:4] != MAGIC or len(data) < 8:
        raise LevelProblem("is no OpenEXR picture", where, "an .exr panorama")
    flags = struct.unpack_from("<I", data, 4)[0]
    if flags & DEEP:
        raise LevelProblem("is a deep picture", where, "one of plain pixels")
    at = 8
    for _ in range(MAX_PARTS):
        result, at = _attributes(data, at, where)
        if not result:
            return
        _look_at_part(result, bool(flags & 0x200), len(data), where)
        if not flags & MULTI_PART:
            return
    raise LevelProblem(f"has more than {MAX_PARTS} parts", where)
