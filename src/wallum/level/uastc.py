"""UASTC LDR 4x4: blocks of 16 bytes to pixels, all blocks of one mode at once.

A block is a mode, hints for other formats that are not needed here, end colours of up to three regions,
and 16 weights between them. Source: UASTC texture specification; regions and numbers as in the Khronos
Data Format Specification's chapter on ASTC (bounded integers, partitions, interpolation).
"""

from dataclasses import dataclass
from functools import lru_cache
from typing import Final

import numpy as np
from numpy.typing import NDArray

from wallum.errors import LevelProblem

__all__ = ["decode_uastc"]

Words = NDArray[np.uint64]
Ints = NDArray[np.int64]


@dataclass(frozen=True)
class _Mode:
    """code, code_bits : its prefix, lowest bit first; hints : bits to pass over; regions; planes of
    weights; channels of an end colour; range of its values; bits of a weight"""

    code: int
    code_bits: int
    hints: int
    regions: int
    planes: int
    channels: int
    range: int
    weight_bits: int


MODES: Final = (
    _Mode(0x01, 4, 15, 1, 1, 3, 19, 4),
    _Mode(0x35, 6, 15, 1, 1, 3, 20, 2),
    _Mode(0x1D, 5, 15, 2, 1, 3, 8, 3),
    _Mode(0x03, 5, 15, 3, 1, 3, 7, 2),
    _Mode(0x13, 5, 15, 2, 1, 3, 12, 2),
    _Mode(0x0B, 5, 15, 1, 1, 3, 20, 3),
    _Mode(0x1B, 5, 15, 1, 2, 3, 18, 2),
    _Mode(0x07, 5, 15, 2, 1, 3, 12, 2),
    _Mode(0x17, 5, 0, 0, 0, 4, 20, 0),
    _Mode(0x0F, 5, 23, 2, 1, 4, 8, 2),
    _Mode(0x02, 3, 17, 1, 1, 4, 13, 4),
    _Mode(0x00, 2, 17, 1, 2, 4, 13, 2),
    _Mode(0x06, 3, 17, 1, 1, 4, 19, 3),
    _Mode(0x1F, 5, 23, 1, 2, 4, 20, 1),
    _Mode(0x0D, 5, 23, 1, 1, 4, 20, 2),
    _Mode(0x05, 7, 23, 1, 1, 2, 20, 4),
    _Mode(0x15, 6, 23, 2, 1, 2, 20, 2),
    _Mode(0x25, 6, 23, 1, 2, 2, 20, 2),
    _Mode(0x09, 4, 15, 1, 1, 3, 11, 5),
)
SOLID: Final = 8
# Bits, and threes or fives, of the values of each range of end colours that is used.
RANGES: Final = {
    7: (2, 3), 8: (4, 1), 11: (5, 1), 12: (3, 5), 13: (4, 3), 18: (5, 5), 19: (6, 3), 20: (8, 1),
}  # fmt: skip
# Bits that a last group of fewer values takes.
SHORT: Final = {3: (0, 2, 4, 5, 7, 8), 5: (0, 3, 5, 7)}
# Seeds of the regions by the number in the block: two regions, three, and those of mode 7.
TWO: Final = (
    28, 20, 16, 29, 91, 9, 107, 72, 149, 204, 50, 114, 496, 17, 78, 39, 252, 828, 43, 156, 116, 210, 476, 273,
    684, 359, 246, 195, 694, 524,
)  # fmt: skip
THREE: Final = (260, 74, 32, 156, 183, 15, 745, 0, 335, 902, 254)
OF_MODE_7: Final = (
    36, 48, 61, 137, 161, 183, 226, 281, 302, 307, 479, 495, 593, 594, 605, 799, 812, 988, 993,
)  # fmt: skip
# Factor of the three or five, and where each bit but the lowest goes in nine, highest first: table of the
# specification's colour unquantization. Letters count from the lowest bit.
SPREAD: Final = {
    7: (93, "b000b0bb0"), 13: (22, "dcb000dcb"), 19: (5, "fedcb000f"), 12: (26, "cb0000cbc"),
    18: (6, "edcb0000e"),
}  # fmt: skip


def _read(words: Words, at: Ints, width: Ints | int) -> Ints:
    """(N,) numbers of some bits, lowest first, from (N, 2) words."""
    start = at.astype(np.uint64)
    low, high = words[:, 0], words[:, 1]
    inside = start < 64
    first = np.where(inside, low >> np.minimum(start, 63), high >> (np.maximum(start, 64) - np.uint64(64)))
    across = np.where(inside & (start > 0), high << ((np.uint64(64) - start) & np.uint64(63)), np.uint64(0))
    mask = (np.uint64(1) << np.asarray(width, np.uint64)) - np.uint64(1)
    return ((first | across) & mask).astype(np.int64)


def _hashed(seed: int) -> int:
    p = seed
    mask = 0xFFFFFFFF
    p ^= p >> 15
    p = (p - (p << 17)) & mask
    p = (p + (p << 7)) & mask
    p = (p + (p << 4)) & mask
    p ^= p >> 5
    p = (p + (p << 16)) & mask
    p ^= p >> 7
    p ^= p >> 3
    p = (p ^ (p << 6)) & mask
    return p ^ (p >> 17)


def _regions(seed: int, count: int) -> list[int]:
    """The region of each of 16 pixels: ASTC's partition function for small blocks."""
    whole = seed + (count - 1) * 1024
    number = _hashed(whole)
    shifts = (0, 4, 8, 12, 16, 20, 24, 28)
    seeds = [((number >> shift) & 15) ** 2 for shift in shifts]
    third = 6 if count == 3 else 5
    pair = (4 if whole & 2 else 5, third) if whole & 1 else (third, 4 if whole & 2 else 5)
    seeds = [value >> pair[index % 2] for index, value in enumerate(seeds)]
    out = []
    for y in range(0, 8, 2):
        for x in range(0, 8, 2):
            sums = [
                (seeds[2 * k] * x + seeds[2 * k + 1] * y + (number >> (14 - 4 * k))) & 63
                for k in range(count)
            ]
            out.append(sums.index(max(sums)))
    return out


@lru_cache(maxsize=3)
def _patterns(which: str) -> tuple[Ints, NDArray[np.bool_]]:
    """(P, 16) region of each pixel by the number in the block; and whether it is its region's first."""
    seeds, count = {"two": (TWO, 2), "three": (THREE, 3), "mode 7": (OF_MODE_7, 2)}[which]
    regions = np.array([_regions(seed, count) for seed in seeds])
    first = np.zeros(regions.shape, bool)
    for row, pattern in enumerate(regions.tolist()):
        for region in range(count):
            first[row, pattern.index(region)] = True
    return regions, first


@lru_cache(maxsize=16)
def _levels(which: int) -> NDArray[np.int64]:
    """Bytes that the values of a range of end colours stand for."""
    bits, times = RANGES[which]
    values = np.arange(times << bits)
    if times == 1:
        out = values << (8 - bits)
        return np.asarray(out | (out >> bits) if bits > 1 else out)
    factor, places = SPREAD[which]
    low = values & 1
    spread = np.zeros(len(values), np.int64)
    for place, letter in enumerate(reversed(places)):
        if letter != "0":
            spread |= ((values >> (ord(letter) - ord("a"))) & 1) << place
    all_low = np.where(low == 1, 0x1FF, 0)
    mixed = ((values >> bits) * factor + spread) ^ all_low
    return np.asarray((all_low & 0x80) | (mixed >> 2))


def _end_values(words: Words, at: int, which: int, count: int) -> tuple[Ints, int]:
    """(N, count) bytes of end colours, and where what follows them begins."""
    bits, times = RANGES[which]
    groups: list[Ints] = []
    full = {1: 0, 3: 5, 5: 3}[times]
    left = count if full else 0
    while left > 0:
        width = SHORT[times][min(left, full)]
        groups.append(_read(words, np.full(len(words), at), width))
        at, left = at + width, left - full
    columns = []
    for number in range(count):
        value = _read(words, np.full(len(words), at), bits)
        at += bits
        if full:
            value |= (groups[number // full] // times ** (number % full)) % times << bits
        columns.append(value)
    # What no encoder writes stays a colour.
    table = _levels(which)
    return table[np.minimum(np.stack(columns, axis=1), len(table) - 1)], at


def _weights(words: Words, at: int, bits: int, planes: int, anchors: NDArray[np.bool_]) -> Ints:
    """(N, 16, planes) weights, 0 to 64. Those of a region's first pixel have their highest bit off."""
    widths = bits - np.repeat(anchors, planes, axis=1).astype(np.int64)
    starts = at + np.cumsum(widths, axis=1) - widths
    columns = [_read(words, starts[:, k], widths[:, k]) for k in range(16 * planes)]
    raw = np.stack(columns, axis=1)
    scaled = {1: raw * 63, 2: raw * 21, 3: raw * 9, 4: raw << 2 | raw >> 2, 5: raw << 1 | raw >> 4}[bits]
    return (scaled + (scaled > 32)).reshape(len(words), 16, planes)


def _of_mode(mode: _Mode, words: Words) -> NDArray[np.uint8]:
    """(N, 16, 4) pixels of blocks of one mode."""
    count, at = len(words), mode.code_bits + mode.hints
    every = np.arange(count)
    regions, anchors = np.zeros((count, 16), np.int64), np.zeros((count, 16), bool)
    anchors[:, 0] = True
    if mode.regions > 1:
        width = 4 if mode.regions == 3 else 5
        table, first = _patterns("three" if mode.regions == 3 else "mode 7" if mode is MODES[7] else "two")
        number = np.minimum(_read(words, np.full(count, at), width), len(table) - 1)
        regions, anchors, at = table[number], first[number], at + width
    apart = np.full(count, -1)  # the channel that has weights of its own
    if mode.planes == 2:
        apart = np.full(count, 3)  # of two channels it is alpha
        if mode.channels > 2:
            apart, at = _read(words, np.full(count, at), 2), at + 2
    ends, at = _end_values(words, at, mode.range, 2 * mode.channels * mode.regions)
    ends = ends.reshape(count, mode.regions, mode.channels, 2)
    weights = _weights(words, at, mode.weight_bits, mode.planes, anchors)
    out = np.full((count, 16, 4), 255, np.uint8)
    for channel in range(4):
        if channel == 3 and mode.channels == 3:
            continue
        own = channel if mode.channels > 2 else int(channel == 3)
        low, high = (ends[every[:, None], regions, own, side] for side in (0, 1))
        weight = weights[:, :, 0]
        if mode.planes == 2:
            weight = np.where((apart == channel)[:, None], weights[:, :, 1], weight)
        mixed = (low * 257 * (64 - weight) + high * 257 * weight + 32) >> 6
        out[:, :, channel] = mixed >> 8
    return out


@lru_cache(maxsize=1)
def _mode_of() -> NDArray[np.int64]:
    """(128,) the mode that the lowest seven bits of a block stand for; -1 for none."""
    out = np.full(128, -1)
    for number, mode in enumerate(MODES):
        out[(np.arange(128) & ((1 << mode.code_bits) - 1)) == mode.code] = number
    return out


def decode_uastc(data: bytes, width: int, height: int) -> NDArray[np.uint8]:
    """(H, W, 4) pixels of a picture in UASTC blocks, row by row. Raises LevelProblem."""
    across, down = -(-width // 4), -(-height // 4)
    if len(data) != 16 * across * down:
        raise LevelProblem(f"{len(data)} bytes where {across} x {down} blocks of 16 belong", "UASTC")
    words = np.frombuffer(data, "<u8").reshape(-1, 2).astype(np.uint64)
    modes = _mode_of()[(words[:, 0] & np.uint64(127)).astype(np.int64)]
    if (modes < 0).any():
        raise LevelProblem("a block of no known mode", "UASTC")
    pixels = np.empty((len(words), 16, 4), np.uint8)
    for number in np.unique(modes).tolist():
        rows = np.flatnonzero(modes == number)
        if number == SOLID:
            at = MODES[SOLID].code_bits
            colour = [_read(words[rows], np.full(len(rows), at + 8 * k), 8) for k in range(4)]
            pixels[rows] = np.stack(colour, axis=1)[:, None, :]
        else:
            pixels[rows] = _of_mode(MODES[number], words[rows])
    whole = pixels.reshape(down, across, 4, 4, 4).transpose(0, 2, 1, 3, 4).reshape(4 * down, 4 * across, 4)
    return np.ascontiguousarray(whole[:height, :width])
