"""White balance and grade of scene-linear picture values.

Twin of realtime/shaders/include/chain/grade.glsl.
"""

from dataclasses import dataclass
from functools import lru_cache
from typing import Final

import numpy as np
from numpy.typing import NDArray

from wallum.physics.arrays import Floats
from wallum.physics.colour import XYZ_TO_SRGB, light_colour, luminance
from wallum.physics.exposure import MID_GREY

__all__ = ["NEUTRAL_GRADE", "Grade", "balance_matrix"]

Triple = tuple[float, float, float]
# Responses of the eye's cones to XYZ. Source: the Bradford transform, as ISO 15076-1 (ICC) has it.
BRADFORD: Final = np.array([[0.8951, 0.2664, -0.1614], [-0.7502, 1.7135, 0.0367], [0.0389, -0.0685, 1.0296]])
LEAST_CONE: Final = 0.02


@lru_cache(maxsize=64)
def _balance(kelvin: float, tint: float) -> tuple[tuple[float, ...], ...]:
    to_cones = BRADFORD @ np.linalg.inv(XYZ_TO_SRGB)
    seen, shown = to_cones @ light_colour(kelvin, tint), to_cones @ np.ones(3)
    matrix = np.linalg.inv(to_cones) @ np.diag(shown / np.maximum(seen, LEAST_CONE)) @ to_cones
    return tuple(map(tuple, matrix.tolist()))


def balance_matrix(kelvin: float, tint_duv: float) -> NDArray[np.float64]:
    """(3, 3) linear sRGB to linear sRGB that makes white under light of a colour look neutral, as bright as
    it was. kelvin, tint_duv : see physics.colour.xy_from_cct"""
    return np.array(_balance(float(kelvin), float(tint_duv)))


@dataclass(frozen=True)
class Grade:
    """Slope, offset, power by channel, and saturation, as the ASC's colour decision list has them, on picture
    values of 0 and more; before them contrast about mid grey, in stops per stop.

    Source: ASC Color Decision List 1.2; values above 1 are kept, as scene-linear pictures have them.
    """

    slope: Triple = (1.0, 1.0, 1.0)
    offset: Triple = (0.0, 0.0, 0.0)
    power: Triple = (1.0, 1.0, 1.0)
    saturation: float = 1.0
    contrast: float = 1.0

    def __call__(self, values: Floats) -> NDArray[np.float64]:
        """(..., 3) picture values to picture values [-]."""
        x = np.maximum(np.asarray(values, np.float64), 0.0)
        if self.contrast != 1.0:
            x = MID_GREY * (x / MID_GREY) ** self.contrast
        x = np.maximum(x * self.slope + self.offset, 0.0)
        if self.power != (1.0, 1.0, 1.0):
            x = x ** np.array(self.power)
        if self.saturation != 1.0:
            grey = luminance(x)[..., None]
            x = np.maximum(grey + self.saturation * (x - grey), 0.0)
        return np.asarray(x)


NEUTRAL_GRADE: Final = Grade()
