"""The eye at night, as a look: where light is low, colour goes and what is blue stays brighter.

Between 3 cd/m2 and 0.003 cd/m2 cones hand over to rods (CIE 191:2010, its ends rounded); rods see
no colour, and red as dark (Purkinje). Their signal from XYZ: Larson, Rushmeier, Piatko 1997,
"A Visibility Matching Tone Reproduction Operator", eq. 10. That it is shown bluish is a habit of
the stage and of film. Luminance stays what it was where nothing is red or blue.
Twin: shaders/develop.frag.glsl.
"""

import numpy as np
from numpy.typing import NDArray

from wallum.physics.arrays import Floats
from wallum.physics.colour import LUMINANCE_WEIGHTS

__all__ = ["night_eye", "rod_share"]

BRIGHTEST_CD_M2, DARKEST_CD_M2 = 3.0, 0.003
# Linear sRGB to XYZ, D65: IEC 61966-2-1.
TO_XYZ = np.array([[0.4124, 0.3576, 0.1805], [0.2126, 0.7152, 0.0722], [0.0193, 0.1192, 0.9505]])
# Rods' signal of the screen's white, over its luminance: brought back to 1.
WHITE_RODS = 1.33 * (1.0 + (1.0 + 1.089) / 0.9505) - 1.68
# Colour that rods are shown in, of luminance 1.
SHOWN = np.array([0.82, 1.0, 1.53])
SHOWN = SHOWN / float(SHOWN @ LUMINANCE_WEIGHTS)


def rod_share(luminance_cd_m2: Floats) -> NDArray[np.float64]:
    """How far rods have taken over at luminances (...,) [cd/m2]: (...,) 0 to 1 [-]."""
    light = np.maximum(np.asarray(luminance_cd_m2, dtype=np.float64), 1e-9)
    span = np.log(BRIGHTEST_CD_M2 / DARKEST_CD_M2)
    x = np.clip(np.log(BRIGHTEST_CD_M2 / light) / span, 0.0, 1.0)
    return np.asarray(x * x * (3.0 - 2.0 * x))


def night_eye(light_cd_m2: Floats, strength: float) -> NDArray[np.float64]:
    """(..., 3) light as the eye at night takes it, by a strength of 0 to 1 [cd/m2]."""
    light = np.asarray(light_cd_m2, dtype=np.float64)
    if strength <= 0.0:
        return light
    xyz = light @ TO_XYZ.T
    y = xyz[..., 1]
    rods = (
        y
        * np.clip(1.33 * (1.0 + (y + xyz[..., 2]) / np.maximum(xyz[..., 0], 1e-9)) - 1.68, 0.0, 8.0)
        / WHITE_RODS
    )
    share = strength * rod_share(y)[..., None]
    return np.asarray(light * (1.0 - share) + rods[..., None] * SHOWN * share)
