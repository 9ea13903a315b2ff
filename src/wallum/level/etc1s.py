"""ETC1S pictures under BasisLZ: codebooks of end colours and of selectors, and a stream of which is where.

Source: KTX 2.0 specification, BasisLZ supercompression scheme, and the Basis Universal format that it
refers to.
"""

from collections.abc import Sequence
from dataclasses import dataclass
from typing import Final

import numpy as np
from numpy.typing import NDArray

from wallum.errors import LevelProblem

__all__ = ["Codebooks", "decode_slice", "read_codebooks"]

# In which order lengths of code lengths are stored.
LENGTH_ORDER: Final = (17, 18, 19, 20, 0, 8, 7, 9, 6, 10, 5, 11, 4, 12, 3, 13, 2, 14, 1, 15, 16)
LONGEST: Final = 16
# What each of eight intensities adds to a block's colour, by selector.
STEPS: Final = np.array(
    [[-8, -2, 2, 8], [-17, -5, 5, 17], [-29, -9, 9, 29], [-42, -13, 13, 42], [-60, -18, 18, 60],
     [-80, -24, 24, 80], [-106, -33, 33, 106], [-183, -47, 47, 183]]
)  # fmt: skip
# Values of a colour's channel up to which each of two models tells its successor.
LOW, MIDDLE = 9, 21
SAME_PREDICTIONS, LEAST_REPEATS, REPEAT_BITS = 256, 3, 4
LONG_RUN, LEAST_RUN, RUN_BITS = 63, 3, 7
# Where a block's end colours come from.
LEFT, ABOVE, ABOVE_LEFT, ANEW = 0, 1, 2, 3


class _Bits:
    """Bits of bytes, lowest first; zeros beyond their end, a little."""

    SPARE = 64

    def __init__(self, data: bytes) -> None:
        self._data, self._at = data + bytes(8), 0
        self._end = 8 * len(data) + self.SPARE

    def peek(self) -> int:
        """The next 16 bits."""
        at = self._at >> 3
        three = int.from_bytes(self._data[at : at + 4], "little")
        return (three >> (self._at & 7)) & 0xFFFF

    def skip(self, count: int) -> None:
        self._at += count
        if self._at > self._end:
            raise LevelProblem("its data ends too early", "ETC1S")

    def take(self, count: int) -> int:
        """A number of at most 16 bits."""
        value = self.peek() & ((1 << count) - 1)
        self.skip(count)
        return value

    def chunked(self, count: int) -> int:
        """A number in chunks of some bits, each followed by whether another comes."""
        value = shift = 0
        while shift < 32:
            part = self.take(count + 1)
            value |= (part & ((1 << count) - 1)) << shift
            shift += count
            if not part >> count:
                break
        return value


class _Codes:
    """Canonical Huffman codes, lowest bit first, looked up by the next 16 bits."""

    def __init__(self, lengths: Sequence[int]) -> None:
        # By the next bits: symbol << 5 | length; 0 where no code begins so.
        table = np.zeros(1 << LONGEST, np.int64)
        code = 0
        for length in range(1, LONGEST + 1):
            for symbol in (index for index, one in enumerate(lengths) if one == length):
                if code >> length:
                    raise LevelProblem("its codes do not fit together", "ETC1S")
                turned = int(f"{code:0{length}b}"[::-1], 2)
                table[turned :: 1 << length] = symbol << 5 | length
                code += 1
            code <<= 1
        self._table: list[int] = table.tolist()

    def next(self, bits: _Bits) -> int:
        found = self._table[bits.peek()]
        if not found:
            raise LevelProblem("a code that stands for nothing", "ETC1S")
        bits.skip(found & 31)
        return found >> 5


def _codes(bits: _Bits) -> _Codes:
    count = bits.take(14)
    if not count:
        return _Codes([])
    sizes = [0] * 21
    for place in LENGTH_ORDER[: bits.take(5)]:
        sizes[place] = bits.take(3)
    of_lengths = _Codes(sizes)
    lengths: list[int] = []
    while len(lengths) < count:
        symbol = of_lengths.next(bits)
        if symbol <= 16:
            lengths.append(symbol)
        elif symbol <= 18:
            lengths += [0] * (bits.take(3) + 3 if symbol == 17 else bits.take(7) + 11)
        elif lengths:
            lengths += [lengths[-1]] * (bits.take(2) + 3 if symbol == 19 else bits.take(7) + 7)
        else:
            raise LevelProblem("its codes repeat nothing", "ETC1S")
    if len(lengths) > count:
        raise LevelProblem("its codes are too many", "ETC1S")
    return _Codes(lengths)


@dataclass(frozen=True)
class Codebooks:
    """What all slices of a file share.

    ends      : (E, 4, 3) uint8, the four colours of a block by selector
    selectors : (S, 16) which of them each pixel has, row by row
    """

    ends: NDArray[np.uint8]
    selectors: NDArray[np.uint8]
    predictions: _Codes
    steps: _Codes
    selected: _Codes
    runs: _Codes
    remembered: int


def _ends(data: bytes, count: int) -> NDArray[np.uint8]:
    bits = _Bits(data)
    models = [_codes(bits) for _ in range(3)]
    intensities = _codes(bits)
    grey = bits.take(1)
    colour, intensity = [16, 16, 16], 0
    colours, levels = np.zeros((count, 3), np.int64), np.zeros(count, np.int64)
    for number in range(count):
        intensity = (intensity + intensities.next(bits)) & 7
        for channel in range(1 if grey else 3):
            before = colour[channel]
            model = models[0 if before <= LOW else 1 if before <= MIDDLE else 2]
            colour[channel] = (before + model.next(bits)) & 31
        if grey:
            colour = [colour[0]] * 3
        colours[number], levels[number] = colour, intensity
    wide = colours << 3 | colours >> 2
    return np.clip(wide[:, None, :] + STEPS[levels][:, :, None], 0, 255).astype(np.uint8)


def _selectors(data: bytes, count: int) -> NDArray[np.uint8]:
    bits = _Bits(data)
    if bits.take(1) or bits.take(1):
        raise LevelProblem("its selectors are of a kind that the standard has not", "ETC1S")
    raw = bits.take(1)
    model = None if raw else _codes(bits)
    rows = np.zeros((count, 4), np.uint8)
    before = [0, 0, 0, 0]
    for number in range(count):
        if model is None or number == 0:
            before = [bits.take(8) for _ in range(4)]
        else:
            before = [one ^ model.next(bits) for one in before]
        rows[number] = before
    return np.stack([rows >> shift & 3 for shift in (0, 2, 4, 6)], axis=2).reshape(count, 16)


def read_codebooks(ends: tuple[int, bytes], selectors: tuple[int, bytes], tables: bytes) -> Codebooks:
    """The codebooks of a file, each given as its number of entries and its data. Raises LevelProblem."""
    bits = _Bits(tables)
    models = [_codes(bits) for _ in range(4)]
    remembered = bits.take(13)
    # Each entry takes a bit at least.
    for count, data in (ends, selectors):
        if not 0 < count <= 8 * len(data) + 8:
            raise LevelProblem(f"a codebook of {count} entries in {len(data)} bytes", "ETC1S")
    predictions, steps, selected, runs = models
    colours, patterns = _ends(ends[1], ends[0]), _selectors(selectors[1], selectors[0])
    return Codebooks(colours, patterns, predictions, steps, selected, runs, remembered)


class _Recent:
    """Selectors that came last; those that come again move up half way to the front."""

    def __init__(self, size: int) -> None:
        self._values, self._rover = [0] * size, size // 2

    def add(self, value: int) -> None:
        self._values[self._rover] = value
        self._rover += 1
        if self._rover == len(self._values):
            self._rover = len(self._values) // 2

    def use(self, place: int) -> int:
        values = self._values
        if place >= len(values):
            raise LevelProblem("a selector that was not remembered", "ETC1S")
        found = values[place]
        if place:
            values[place // 2], values[place] = found, values[place // 2]
        return found


class _SelectorStream:
    """Which selector each block has."""

    def __init__(self, books: Codebooks, bits: _Bits) -> None:
        self._books, self._bits, self._left = books, bits, 0
        self._recent = _Recent(books.remembered) if books.remembered else None

    def next(self) -> int:
        count = len(self._books.selectors)
        if self._left:
            self._left -= 1
            symbol = count
        else:
            symbol = self._books.selected.next(self._bits)
            if symbol == count + self._books.remembered:  # a run of the one in front
                run = self._books.runs.next(self._bits)
                more = self._bits.chunked(RUN_BITS) if run == LONG_RUN else run
                self._left, symbol = more + LEAST_RUN - 1, count
        if symbol >= count:
            if self._recent is None:
                raise LevelProblem("a selector that was not remembered", "ETC1S")
            return self._recent.use(symbol - count)
        if self._recent is not None:
            self._recent.add(symbol)
        return symbol


class _EndStream:
    """Which end colours each block has, row by row; pairs of rows share what tells where they come from."""

    def __init__(self, books: Codebooks, bits: _Bits, across: int) -> None:
        self._books, self._bits = books, bits
        self._below = [0] * across  # for the second row of a pair
        self._above: list[int] = []
        self._same = self._repeats = self._before = self._told = 0

    def begin(self, above: list[int]) -> None:
        """A row begins below another; below none, for the first."""
        self._above = above

    def _predictions(self, x: int, odd: bool) -> int:
        if odd:
            return self._below[x]
        if self._repeats:
            self._repeats -= 1
        else:
            symbol = self._books.predictions.next(self._bits)
            if symbol == SAME_PREDICTIONS:
                self._repeats = self._bits.chunked(REPEAT_BITS) + LEAST_REPEATS - 1
            else:
                self._same = symbol
        self._below[x] = self._same >> 4
        return self._same

    def next(self, x: int, odd: bool) -> int:
        """The number of the block's end colours."""
        if not x & 1:
            self._told = self._predictions(x, odd)
        how, self._told = self._told & 3, self._told >> 2
        beyond = (how != ABOVE and not x) or (how != LEFT and not self._above)
        if how < ANEW and beyond:
            raise LevelProblem("a block like one beyond the edge", "ETC1S")
        if how == ANEW:
            count = len(self._books.ends)
            moved = self._before + self._books.steps.next(self._bits)
            self._before = moved - count if moved >= count else moved
            if self._before >= count:
                raise LevelProblem("a block of a colour that is not in its codebook", "ETC1S")
        elif how != LEFT:
            self._before = self._above[x if how == ABOVE else x - 1]
        return self._before


def decode_slice(books: Codebooks, data: bytes, across: int, down: int) -> NDArray[np.uint8]:
    """(4 down, 4 across, 3) pixels of a slice. Raises LevelProblem."""
    bits = _Bits(data)
    selectors, colours = _SelectorStream(books, bits), _EndStream(books, bits, across)
    ends, chosen = np.zeros((down, across), np.int64), np.zeros((down, across), np.int64)
    above: list[int] = []
    for y in range(down):
        colours.begin(above)
        row, patterns = [], []
        for x in range(across):
            row.append(colours.next(x, bool(y & 1)))
            patterns.append(selectors.next())
        ends[y], chosen[y], above = row, patterns, row
    if chosen.size and int(chosen.max()) >= len(books.selectors):
        raise LevelProblem("a block of a selector that is not in its codebook", "ETC1S")
    pixels = books.ends[ends.ravel()[:, None], books.selectors[chosen.ravel()]]
    return pixels.reshape(down, across, 4, 4, 3).transpose(0, 2, 1, 3, 4).reshape(4 * down, 4 * across, 3)
