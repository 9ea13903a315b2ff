"""Mutation of files: bytes that are flipped, cut and doubled; JSON whose values are of odd kinds."""

import copy
import json
import random
import struct
from typing import Any, Final

__all__ = ["mutated", "mutated_json"]

GLB_MAGIC: Final = b"glTF"
JSON_CHUNK, BIN_CHUNK = 0x4E4F534A, 0x004E4942
ODD_VALUES: Final[tuple[Any, ...]] = (
    None, True, False, 0, 1, -1, 2, 255, 65_535, 2**31, 2**63, -(2**63), 10**30, 1e-320, 1e308, -1e308, 0.5,
    "", "a", "\0", "\ud800", "../x", "%2e%2e/x", "/dev/zero", "data:;base64,AA", "NaN", "0",
    [], {}, [0], [[]], [None], {"a": 1}, [1e30] * 3, [0] * 16, "x" * 3000,
)  # fmt: skip
ODD_BYTES: Final = (
    b"\0",
    b"\xff",
    b"\x7f\xff\xff\xff",
    b"\xff\xff\xff\xff",
    b"\0\0\0\0",
    b"\n",
    b'"',
    b"{",
    b"9" * 20,
)


def _places(value: Any) -> list[tuple[Any, Any]]:
    """Every (holder, key) of parsed JSON."""
    out: list[tuple[Any, Any]] = []
    stack = [value]
    while stack:
        item = stack.pop()
        if isinstance(item, dict):
            out += [(item, key) for key in item]
            stack.extend(item.values())
        elif isinstance(item, list):
            out += [(item, index) for index in range(len(item))]
            stack.extend(item)
    return out


def _odd(value: Any, rng: random.Random) -> Any:
    if isinstance(value, int | float) and not isinstance(value, bool) and rng.random() < 0.5:
        return rng.choice([value + 1, value - 1, -value, value * 2, value * 1000, 0])
    return copy.deepcopy(rng.choice(ODD_VALUES))


def mutated_json(value: Any, rng: random.Random) -> Any:
    """Parsed JSON with a few of its places changed, taken out, copied elsewhere or given odd values."""
    value = json.loads(json.dumps(value))
    for _ in range(rng.choice((1, 1, 1, 2, 3, 8))):
        places = _places(value)
        if not places:
            return rng.choice(ODD_VALUES)
        holder, key = rng.choice(places)
        act = rng.random()
        if act < 0.55:
            holder[key] = _odd(holder[key], rng)
        elif act < 0.75:
            del holder[key]
        elif act < 0.9:
            other, name = rng.choice(places)
            try:
                holder[key] = json.loads(json.dumps(other[name]))
            except (KeyError, IndexError):
                holder[key] = None
        elif isinstance(holder, list):
            holder.extend(copy.deepcopy(holder[key]) for _ in range(rng.choice((1, 3, 30))))
        else:
            holder[f"{key}x"] = holder.pop(key)
    return value


def _bytes_mutated(data: bytes, rng: random.Random) -> bytes:
    out = bytearray(data)
    for _ in range(rng.choice((1, 1, 2, 4, 16))):
        at = rng.randrange(len(out) + 1)
        act = rng.random()
        if act < 0.4 and out:
            out[at % len(out)] = rng.randrange(256)
        elif act < 0.6:
            odd = rng.choice(ODD_BYTES)
            out[at : at + len(odd)] = odd
        elif act < 0.75:
            del out[at : at + rng.choice((1, 4, 50, 1000))]
        elif act < 0.9:
            out[at:at] = out[at : at + rng.choice((1, 4, 50))]
        else:
            del out[at:]
    return bytes(out)


def _glb_parts(data: bytes) -> tuple[Any, bytes] | None:
    if data[:4] != GLB_MAGIC or len(data) < 20:
        return None
    (length,) = struct.unpack_from("<I", data, 12)
    try:
        return json.loads(data[20 : 20 + length]), data[20 + length + 8 :]
    except ValueError:
        return None


def _glb(document: Any, blob: bytes) -> bytes:
    text = json.dumps(document).encode()
    text += b" " * (-len(text) % 4)
    chunks = struct.pack("<II", len(text), JSON_CHUNK) + text
    if blob:
        chunks += struct.pack("<II", len(blob), BIN_CHUNK) + blob
    return struct.pack("<4sII", GLB_MAGIC, 2, 12 + len(chunks)) + chunks


def mutated(data: bytes, rng: random.Random) -> bytes:
    """A file's content, mutated: as JSON or as the JSON in a .glb where it is one, else as bytes."""
    if rng.random() < 0.8:
        parts = _glb_parts(data)
        if parts is not None:
            return _glb(mutated_json(parts[0], rng), parts[1])
        if data[:1] in (b"{", b"["):
            try:
                return json.dumps(mutated_json(json.loads(data), rng)).encode()
            except (ValueError, RecursionError):
                pass
    return _bytes_mutated(data, rng)
