"""What a picture can show of a level."""

from typing import Final

__all__ = ["FACE", "FROM_SURFACES", "INSPECTED", "VIEWS", "WITHOUT_SKY"]

VIEWS: Final = (
    "final", "surface", "grey", "direct", "bounce", "reflections", "probes", "air", "false colour", "zebra",
    "normals", "shadow grain", "casters",
)  # fmt: skip
# Those of light from surfaces alone, without air and sky; "probes" as each of them has it.
FROM_SURFACES: Final = ("bounce", "reflections", "probes")
# One side of a mirror image of the level: nobody asks to see it.
FACE: Final = "face"
# Those with nothing behind the surfaces.
WITHOUT_SKY: Final = (*FROM_SURFACES, FACE)
# Those that need no light.
INSPECTED: Final = ("surface", "normals", "shadow grain", "casters")
