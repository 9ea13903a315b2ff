"""What is left of the light toward the corners of a picture: of a lens, and by hand.

A thin lens gives the fourth power of the cosine of the angle off its axis (Reiss 1945, "The Cos4 Law of
Illumination"): 1 / (1 + tan^2)^2, and the tangent grows evenly from the middle of the picture on. The fall is
stated as what is lost in the corner. By hand it is a smooth step of stops, from a radius of one's own on.
Twin of realtime/shaders/include/chain/vignette.glsl.
"""

from dataclasses import dataclass
from typing import Final

import numpy as np
from numpy.typing import NDArray

__all__ = ["NO_SHADE", "EdgeShade", "corner_fall", "from_middle", "vignette"]


@dataclass(frozen=True)
class EdgeShade:
    """A vignette by hand.

    stops    : lost at the corners, where it reaches them whole
    radius   : where it begins, as a share of the way from the middle to the corner
    softness : over which share of that way it comes up
    """

    stops: float = 0.0
    radius: float = 0.5
    softness: float = 0.5

    def left(self, away: NDArray[np.float64]) -> NDArray[np.float64]:
        """(...,) share of the light that is left, so far from the middle; the corner is 1."""
        t = np.clip((away - self.radius) / max(self.softness, 1e-3), 0.0, 1.0)
        return np.asarray(2.0 ** (-self.stops * t * t * (3.0 - 2.0 * t)))


NO_SHADE: Final = EdgeShade()


def from_middle(size: tuple[int, int]) -> NDArray[np.float64]:
    """(H, W) squared way from the middle of a picture of a width and height [pixels]; its corner is 1."""
    width, height = size
    x, y = np.arange(width) + 0.5 - 0.5 * width, np.arange(height) + 0.5 - 0.5 * height
    return np.asarray((x**2 + y[:, None] ** 2) / (0.25 * (width**2 + height**2)))


def corner_fall(stops: float) -> float:
    """The squared tangent of the corner's angle at which a lens loses so many stops there [-]."""
    return float(2.0 ** (0.5 * stops) - 1.0)


def vignette(size: tuple[int, int], stops: float, shade: EdgeShade = NO_SHADE) -> NDArray[np.float64]:
    """(H, W) share of the light that is left, for a picture of a width and height [pixels] whose lens loses
    `stops` in its corners."""
    away = from_middle(size)
    by_lens = 1.0 / (1.0 + corner_fall(stops) * away) ** 2
    return np.asarray(by_lens if shade.stops == 0.0 else by_lens * shade.left(np.sqrt(away)))
