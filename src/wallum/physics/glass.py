"""Transmission of see-through surfaces.

Alpha is coverage; the covered part may be thin glass, which does not refract.
GLSL twin: shaders/include/through.glsl. Sources: glTF 2.0, section 3.9.4; KHR_materials_transmission and
KHR_materials_volume (Beer's law over the thickness); Schlick 1994.
"""

import numpy as np

from wallum.physics.arrays import Floats, scaled
from wallum.physics.surface import fresnel

__all__ = ["goes_through"]


def goes_through(
    base: Floats, covered: Floats, transmission: Floats, tint: Floats, f0: Floats, n_dot_v: Floats | float
) -> Floats:
    """Share of light that passes straight through a surface.

    base, tint                        : (N, 3) linear
    covered, transmission, f0, n_dot_v : (N,) 0 to 1
    Returns (N, 3) [-].
    """
    glass = covered * transmission * (1.0 - fresnel(f0, n_dot_v))
    return np.asarray((1.0 - covered)[:, None] + scaled(base * tint, glass))
