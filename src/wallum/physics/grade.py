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

__all__ = [
    "LIFT_BELOW",
    "NEUTRAL_GRADE",
    "NEUTRAL_LIST",
    "DecisionList",
    "Grade",
    "Ranges",
    "balance_matrix",
    "by_hue",
    "neutral_for",
]

Triple = tuple[float, float, float]
ONES: Final = (1.0, 1.0, 1.0)
# Picture value at which a lift of the darkest has half its gain: four stops below mid grey.
LIFT_BELOW: Final = MID_GREY / 16.0
# Responses of the eye's cones to XYZ. Source: the Bradford transform, as ISO 15076-1 (ICC) has it.
BRADFORD: Final = np.array([[0.8951, 0.2664, -0.1614], [-0.7502, 1.7135, 0.0367], [0.0389, -0.0685, 1.0296]])
MIN_CONE: Final = 0.02


@lru_cache(maxsize=64)
def _balance(kelvin: float, tint: float) -> tuple[tuple[float, ...], ...]:
    to_cones = BRADFORD @ np.linalg.inv(XYZ_TO_SRGB)
    seen, shown = to_cones @ light_colour(kelvin, tint), to_cones @ np.ones(3)
    matrix = np.linalg.inv(to_cones) @ np.diag(shown / np.maximum(seen, MIN_CONE)) @ to_cones
    return tuple(map(tuple, matrix.tolist()))


def balance_matrix(kelvin: float, tint_duv: float) -> NDArray[np.float64]:
    """(3, 3) linear sRGB to linear sRGB that makes white under light of a colour look neutral, as bright as
    it was. kelvin, tint_duv : see physics.colour.xy_from_cct"""
    return np.array(_balance(float(kelvin), float(tint_duv)))


def neutral_for(rgb: Floats) -> tuple[float, float]:
    """Colour temperature [K] and tint [Duv] under which a colour (3,) is a grey: what the neutral values of
    a look become when it is picked. The nearest that there is within 2,000 to 20,000 K and 0.05.

    Raises ValueError for a colour that is black.
    """
    from scipy.optimize import minimize  # not before it is needed: everything starts sooner

    seen = np.asarray(rgb, np.float64)
    if float(luminance(seen)) <= 1e-9:
        raise ValueError("what is black has no colour to be neutral")
    wanted = seen / luminance(seen)

    def off(at: Floats) -> float:
        return float(((light_colour(float(np.exp(at[0])), float(at[1])) - wanted) ** 2).sum())

    bounds = ((np.log(2000.0), np.log(20_000.0)), (-0.05, 0.05))
    tries = [
        minimize(off, (np.log(start), 0.0), method="Nelder-Mead", bounds=bounds,
                 options={"xatol": 1e-6, "fatol": 1e-12, "maxiter": 400})
        for start in (3000.0, 6500.0, 12_000.0)
    ]  # fmt: skip
    best = min(tries, key=lambda try_: float(try_.fun)).x
    return float(np.exp(best[0])), float(best[1])


@dataclass(frozen=True)
class DecisionList:
    """Slope, offset, power by channel, and saturation, as the ASC's colour decision list has them.

    Source: ASC Color Decision List 1.2; values above 1 are kept, as scene-linear pictures have them.
    """

    slope: Triple = ONES
    offset: Triple = (0.0, 0.0, 0.0)
    power: Triple = ONES
    saturation: float = 1.0

    def __call__(self, x: NDArray[np.float64]) -> NDArray[np.float64]:
        """(..., 3) picture values of 0 and more to such [-]."""
        x = np.maximum(x * self.slope + self.offset, 0.0)
        if self.power != ONES:
            x = x ** np.array(self.power)
        if self.saturation != 1.0:
            grey = luminance(x)[..., None]
            x = np.maximum(grey + self.saturation * (x - grey), 0.0)
        return np.asarray(x)


NEUTRAL_LIST: Final = DecisionList()


def by_hue(x: NDArray[np.float64], hues: Triple, between: Triple) -> NDArray[np.float64]:
    """(..., 3) picture values of 0 and more with a saturation for each hue [-].

    A colour is grey, and so much of one of red, green, blue, and of one of yellow, cyan, magenta beside it:
    their shares weigh the saturations of both, so that a hue that turns goes evenly from one to the next.

    hues : of red, green, blue; between : of yellow, cyan, magenta. Luminance stays, but for what ends at 0.
    """
    low, middle, high = np.moveaxis(np.sort(x, axis=-1), -1, 0)
    pure = np.maximum(x - middle[..., None], 0.0)
    # Yellow is what red and green have over blue, and so on around.
    mixed = np.maximum(np.minimum(x, np.roll(x, -1, axis=-1)) - np.roll(x, -2, axis=-1), 0.0)
    chroma = np.maximum(high - low, 1e-30)
    factor = (pure @ np.array(hues) + mixed @ np.array(between)) / chroma
    grey = luminance(x)[..., None]
    return np.asarray(np.maximum(grey + np.where(high > low, factor, 1.0)[..., None] * (x - grey), 0.0))


@dataclass(frozen=True)
class Ranges:
    """Grades of shadows, middles and lights apart; between them they blend, and they add up to one.

    borders : between shadows and middles, and middles and lights [stops about mid grey]
    soft    : over how many stops each blend goes
    """

    shadows: DecisionList = NEUTRAL_LIST
    middles: DecisionList = NEUTRAL_LIST
    lights: DecisionList = NEUTRAL_LIST
    borders: tuple[float, float] = (-2.5, 1.5)
    soft: float = 3.0

    def weights(self, x: NDArray[np.float64]) -> tuple[NDArray[np.float64], ...]:
        """(..., 1) of shadows, middles and lights for picture values (..., 3); they add up to 1."""
        stops = np.log2(np.maximum(luminance(x)[..., None], 1e-9) / MID_GREY)
        below, above = (self._step(stops, border) for border in self.borders)
        return 1.0 - below, below - above, above

    def _step(self, stops: NDArray[np.float64], border: float) -> NDArray[np.float64]:
        t = np.clip((stops - border) / max(self.soft, 0.05) + 0.5, 0.0, 1.0)
        return np.asarray(t * t * (3.0 - 2.0 * t))

    def __call__(self, x: NDArray[np.float64]) -> NDArray[np.float64]:
        """(..., 3) picture values to picture values [-]."""
        lists = (self.shadows, self.middles, self.lights)
        parts = zip(self.weights(x), lists, strict=True)
        return np.asarray(sum(weight * graded(x) for weight, graded in parts))


@dataclass(frozen=True)
class Grade(DecisionList):
    """A grade of picture values of 0 and more: contrast in stops per stop, lift of the darkest, ranges
    apart, a decision list for all, and hues apart, in this order.

    contrast : about a pivot [stops about mid grey]
    lift     : stops that the darkest are raised; black stays black, and what is bright is left
    ranges   : None where shadows, middles and lights have none of their own
    hues     : how far reds, greens and blues are from grey; hues_between : yellows, cyans and magentas
    """

    contrast: float = 1.0
    pivot: float = 0.0
    lift: float = 0.0
    ranges: Ranges | None = None
    hues: Triple = ONES
    hues_between: Triple = ONES

    def __call__(self, values: Floats) -> NDArray[np.float64]:
        """(..., 3) picture values to picture values [-]."""
        x = np.maximum(np.asarray(values, np.float64), 0.0)
        if self.contrast != 1.0:
            about = MID_GREY * 2.0**self.pivot
            x = about * (x / about) ** self.contrast
        if self.lift != 0.0:
            x = x * (1.0 + (2.0**self.lift - 1.0) * LIFT_BELOW / (LIFT_BELOW + luminance(x)[..., None]))
        if self.ranges is not None:
            x = self.ranges(x)
        x = super().__call__(x)
        return by_hue(x, self.hues, self.hues_between) if self.of_hues else x

    @property
    def of_hues(self) -> bool:
        """Whether hues have saturations of their own."""
        return (self.hues, self.hues_between) != (ONES, ONES)


NEUTRAL_GRADE: Final = Grade()
