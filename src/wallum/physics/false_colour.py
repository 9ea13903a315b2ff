"""False colour scale: luminance in stops relative to mid grey.

Lightness rises with luminance, so that the scale reads without colour vision. Mid grey is grey.
"""

import numpy as np
from numpy.typing import NDArray

__all__ = ["RANGE_STOPS", "STEPS", "false_colour", "grain_ramp", "ramp"]

RANGE_STOPS = 6
STEPS = 2 * RANGE_STOPS + 1
# sRGB of each whole stop from 6 below mid grey to 6 above.
COLOURS = (
    (20, 12, 38), (38, 22, 84), (44, 48, 132), (30, 84, 140), (24, 116, 124), (46, 138, 92),
    (118, 118, 118),
    (154, 164, 60), (198, 168, 44), (236, 164, 70), (246, 172, 122), (250, 204, 190), (255, 236, 230),
)  # fmt: skip

# sRGB of shadow texels a metre, from 512 halving down to 1.
GRAIN_COLOURS = (
    (40, 92, 140), (34, 116, 136), (40, 136, 112), (74, 150, 84), (128, 158, 70), (176, 160, 60),
    (214, 150, 62), (228, 126, 84), (226, 104, 110), (200, 84, 130),
)  # fmt: skip


def grain_ramp() -> NDArray[np.float32]:
    """Colours of shadow texels per metre: 512, 256, ... down to 1.

    Returns (10, 3) display values, 0 to 1.
    """
    return np.array(GRAIN_COLOURS, dtype=np.float32) / 255.0


def ramp() -> NDArray[np.float32]:
    """Colours of whole stops, darkest first.

    Returns (13, 3) display values, 0 to 1.
    """
    return np.array(COLOURS, dtype=np.float32) / 255.0


def false_colour(stops: NDArray[np.float64]) -> NDArray[np.float64]:
    """Map stops to colours.

    stops : (N,) relative to mid grey
    Returns (N, 3) display values. GLSL twin: shaders/develop.frag.glsl.
    """
    index = np.clip(np.round(stops + RANGE_STOPS), 0, STEPS - 1).astype(int)
    return ramp()[index].astype(np.float64)
