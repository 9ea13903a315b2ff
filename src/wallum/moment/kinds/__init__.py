"""Kinds of lamps: each is one entry, in a file of its own, and a line of the table."""

from wallum.moment.kinds.kind import Kind, LightSample
from wallum.moment.kinds.table import (
    KINDS,
    SHADERS,
    by_kind,
    kind_of,
    parts_of,
    row_of,
    shader_numbers,
    tiles_of,
)

__all__ = [
    "KINDS",
    "SHADERS",
    "Kind",
    "LightSample",
    "by_kind",
    "kind_of",
    "parts_of",
    "row_of",
    "shader_numbers",
    "tiles_of",
]
