"""What a picture can show of a level."""

from typing import Final

__all__ = ["FROM_SURFACES", "INSPECTED", "VIEWS"]

VIEWS: Final = (
    "final", "surface", "grey", "direct", "bounce", "probes", "air", "false colour", "zebra", "normals",
    "shadow grain", "casters",
)  # fmt: skip
# Those of light from surfaces alone, without air and sky; "probes" as each of them has it.
FROM_SURFACES: Final = ("bounce", "probes")
# Those that need no light.
INSPECTED: Final = ("surface", "normals", "shadow grain", "casters")
