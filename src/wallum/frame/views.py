"""What a picture can show of a level."""

from typing import Final

__all__ = ["INSPECTED", "VIEWS"]

VIEWS: Final = (
    "final", "surface", "grey", "direct", "air", "false colour", "zebra", "normals", "shadow grain",
    "casters",
)  # fmt: skip
# Those that need no light.
INSPECTED: Final = ("surface", "normals", "shadow grain", "casters")
