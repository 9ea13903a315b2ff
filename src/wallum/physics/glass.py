"""What is seen through: how much a surface covers, and what of the light behind it goes through.

Alpha covers; what is covered may be glass, thin enough to bend no light. Sources: glTF 2.0, section
3.9.4 (alpha coverage); KHR_materials_transmission, KHR_materials_volume (Beer's law over its thickness);
Schlick 1994. Twin of shaders/include/through.glsl.
"""

import numpy as np

from wallum.physics.arrays import Floats, scaled
from wallum.physics.surface import fresnel

__all__ = ["goes_through"]


def goes_through(
    base: Floats, covered: Floats, transmission: Floats, tint: Floats, f0: Floats, n_dot_v: Floats | float
) -> Floats:
    """(N, 3) share of light by channel that goes on straight.

    base, tint : (N, 3) linear; covered, transmission, f0, n_dot_v : (N,) 0 to 1
    """
    glass = covered * transmission * (1.0 - fresnel(f0, n_dot_v))
    return np.asarray((1.0 - covered)[:, None] + scaled(base * tint, glass))
