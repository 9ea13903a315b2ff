"""Tables of colours as .cube files: read with what goes wrong said in one sentence, and written.

Source: Adobe, "Cube LUT Specification" 1.0; sizes of a cube here to 129, of a curve to 65,536.
"""

import math
from functools import lru_cache
from pathlib import Path
from typing import Final

import numpy as np
from numpy.typing import NDArray

from wallum.errors import ExportProblem, ValueProblem
from wallum.faults import said
from wallum.files import changed_at, read_limited, written_whole
from wallum.physics.colour_table import ColourTable

__all__ = ["parse_cube", "read_cube", "write_cube"]

MAX_BYTES: Final = 160 << 20
CUBE, CURVE = "LUT_3D_SIZE", "LUT_1D_SIZE"
MAXIMUM: Final = {CUBE: 129, CURVE: 65_536}
# Not of the specification, but written by many: the same range for all channels.
RANGES: Final = ("LUT_1D_INPUT_RANGE", "LUT_3D_INPUT_RANGE")
# What some write where they have none.
NO_NUMBERS: Final = frozenset({"nan", "inf", "infinity"})


def read_cube(path: Path) -> ColourTable:
    """A table from a file; kept until that changes. Raises ValueProblem."""
    return _kept(str(path), changed_at(path, ValueProblem))


@lru_cache(maxsize=4)
def _kept(path: str, _: int) -> ColourTable:
    return parse_cube(read_limited(Path(path), MAX_BYTES, ValueProblem), path)


def parse_cube(raw: bytes, source: str) -> ColourTable:
    """A table from the text of a .cube file. Raises ValueProblem."""
    try:
        lines = raw.decode("utf-8-sig").splitlines()
    except UnicodeDecodeError:
        raise ValueProblem("the table is no text", source, "a .cube file") from None
    sizes: dict[str, int] = {}
    ends = {"DOMAIN_MIN": (0.0, 0.0, 0.0), "DOMAIN_MAX": (1.0, 1.0, 1.0)}
    begin = len(lines)
    for number, line in enumerate(lines):
        words = line.split()
        if not words or words[0].startswith("#") or words[0] == "TITLE":
            continue
        if words[0][0] in "+-.0123456789" or words[0].lower() in NO_NUMBERS:
            begin = number
            break
        _keyword(words, sizes, ends, (source, number + 1))
    if len(sizes) != 1:
        said_sizes = "no size" if not sizes else "two sizes"
        raise ValueProblem(f"the table says {said_sizes}", source, f"{CUBE} or {CURVE}")
    if not all(a < b for a, b in zip(ends["DOMAIN_MIN"], ends["DOMAIN_MAX"], strict=True)):
        raise ValueProblem("the table's domain ends before it begins", source, "DOMAIN_MIN below DOMAIN_MAX")
    (kind, size), *_ = sizes.items()
    entries = _entries(lines[begin:], begin, size**3 if kind == CUBE else size, source)
    if kind == CUBE:
        entries = entries.reshape(size, size, size, 3).transpose(2, 1, 0, 3)  # red runs fastest
    return ColourTable(np.ascontiguousarray(entries), ends["DOMAIN_MIN"], ends["DOMAIN_MAX"])


def _keyword(
    words: list[str],
    sizes: dict[str, int],
    ends: dict[str, tuple[float, float, float]],
    where: tuple[str, int],
) -> None:
    """Take a line before the values. Raises ValueProblem."""
    source, line = where
    name, values = words[0], words[1:]
    if name not in (*MAXIMUM, *ends, *RANGES):
        raise ValueProblem(f"line {line} of the table is not known: {name[:40]}", source, "a .cube file")
    try:
        if name in MAXIMUM:
            if name in sizes or len(values) != 1 or not 2 <= int(values[0]) <= MAXIMUM[name]:
                raise ValueError
            sizes[name] = int(values[0])
        elif name in ends:
            red, green, blue = (float(value) for value in values)
            ends[name] = (red, green, blue)
        elif name in RANGES:
            low, high = (float(value) for value in values)
            ends["DOMAIN_MIN"], ends["DOMAIN_MAX"] = (low,) * 3, (high,) * 3
        if not all(math.isfinite(part) for end in ends.values() for part in end):
            raise ValueError
    except ValueError:
        largest = f", 2 to {MAXIMUM[name]}" if name in MAXIMUM else ""
        text = " ".join(words)[:60]
        raise ValueProblem(f"line {line} of the table is wrong: {text}", source, f"{name}{largest}") from None


def _entries(lines: list[str], begin: int, count: int, source: str) -> NDArray[np.float32]:
    """(count, 3) the values. Raises ValueProblem."""
    rows = [line for line in lines if line.strip() and not line.lstrip().startswith("#")]
    if len(rows) != count:
        raise ValueProblem(f"the table has {len(rows):,} colours", source, f"{count:,} for its size")
    try:
        values = np.array(" ".join(rows).split(), np.float64)
    except ValueError:
        number = next(n for n, line in enumerate(lines) if not _are_numbers(line))
        raise ValueProblem(
            f"line {begin + number + 1} of the table is no colour", source, "3 numbers"
        ) from None
    if any(len(row.split()) != 3 for row in rows):
        number = next(n for n, line in enumerate(lines) if line in rows and len(line.split()) != 3)
        raise ValueProblem(f"line {begin + number + 1} of the table is no colour", source, "3 numbers")
    if not np.isfinite(values).all():
        raise ValueProblem("the table holds a value that is no finite number", source)
    if np.abs(values).max() > np.finfo(np.float32).max:
        raise ValueProblem("the table holds a value that is too large", source)
    return values.astype(np.float32).reshape(-1, 3)


def _are_numbers(line: str) -> bool:
    try:
        [float(part) for part in line.split() if not line.lstrip().startswith("#")]
    except ValueError:
        return False
    return True


def write_cube(path: Path, table: ColourTable, title: str, comments: list[str]) -> None:
    """Write a cube whole or not at all. comments : lines that say what it takes. Raises ExportProblem."""
    size = table.entries.shape[0]
    head = [f"# {comment}" for comment in comments]
    head += [f'TITLE "{title}"', f"{CUBE} {size}"]
    head += [f"DOMAIN_{end} " + " ".join(f"{v:g}" for v in values) for end, values in
             (("MIN", table.low), ("MAX", table.high))]  # fmt: skip
    rows = table.entries.transpose(2, 1, 0, 3).reshape(-1, 3)
    body = "\n".join(f"{red:.7g} {green:.7g} {blue:.7g}" for red, green, blue in rows.tolist())
    try:
        with written_whole(path) as part:
            part.write_text("\n".join(head) + "\n" + body + "\n", encoding="utf-8")
    except OSError as error:
        raise ExportProblem(f"cannot be written: {said(error)}", str(path)) from None
