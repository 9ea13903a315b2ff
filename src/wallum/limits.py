"""What a file may ask for at most. Looked at before anything is built, so that a small file cannot
cost minutes or all memory; whoever refuses says the limit in the sentence."""

from typing import Final

__all__ = [
    "DAY_BYTES",
    "LEVEL_BYTES",
    "MAX_EMPTY_ENTRIES",
    "MAX_LAMPS",
    "MAX_PICTURES_PIXELS",
    "MAX_PIXELS",
    "MAX_PLACED",
    "MAX_TRIANGLES",
    "MAX_VALUES_A_BYTE",
    "MAX_VERTICES",
    "PICTURE_BYTES",
    "PROFILE_BYTES",
    "PROJECT_BYTES",
    "SHORTEST_CHUNK_BYTES",
]

PROJECT_BYTES: Final = 64 << 20
DAY_BYTES: Final = 4 << 20
PROFILE_BYTES: Final = 1 << 20
LEVEL_BYTES: Final = 4 << 30
PICTURE_BYTES: Final = 1 << 30

# Pixels of one picture, and of all pictures of a level together: six of 8192 x 8192 are fine.
MAX_PIXELS: Final = 16_384 * 8_192
MAX_PICTURES_PIXELS: Final = 8 * MAX_PIXELS
# Each chunk of an OpenEXR file has an offset of 8 bytes and 8 bytes of its own before its pixels.
SHORTEST_CHUNK_BYTES: Final = 16

# Nodes as they are placed: one that stands below two others counts twice.
MAX_PLACED: Final = 200_000
MAX_LAMPS: Final = 20_000
# Of the level as it is drawn, instances counted each time.
MAX_TRIANGLES: Final = 16_000_000
MAX_VERTICES: Final = 24_000_000
# Entries of accessors that have no data in the file (all zeros), together.
MAX_EMPTY_ENTRIES: Final = 1_000_000
# Values read from a file's buffers against their bytes: primitives may share what they read.
MAX_VALUES_A_BYTE: Final = 64
