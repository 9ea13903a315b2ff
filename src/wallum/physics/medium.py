"""The air that fills the level: how much it dims, and what it shows itself.

Layers that add up, each with an extinction that is constant up to a base height and then falls with a
scale height; optical depth in closed form on both sides of the base. Koschmieder 1924 for visibility;
Henyey, Greenstein 1941 for the phase function. Twin: shaders/include/air.glsl.
"""

from dataclasses import dataclass
from functools import cached_property

import numpy as np
from numpy.typing import NDArray

from wallum.memo import FieldsAlone
from wallum.physics.arrays import Floats
from wallum.physics.pocket import Pocket

__all__ = [
    "AIR_END_M",
    "KOSCHMIEDER",
    "AirLayer",
    "LinearFog",
    "Medium",
    "extinction_for",
    "henyey_greenstein",
    "optical_depth",
]

# -ln 0.02: what is left of contrast at the distance of visibility is 2 %.
KOSCHMIEDER = 3.912
# Where the air of a way without an end is taken to end.
AIR_END_M = 2e5
RGB = tuple[float, float, float]


def extinction_for(visibility_m: float) -> float:
    """Extinction at base height [1/m] for a visibility [m], at 550 nm."""
    return KOSCHMIEDER / visibility_m


def _column(over_base_m: Floats, scale_height_m: float) -> NDArray[np.float64]:
    y = np.asarray(over_base_m, dtype=np.float64)
    thinning = scale_height_m * -np.expm1(-np.maximum(y, 0.0) / scale_height_m)
    return np.where(y < 0.0, y, thinning)


def optical_depth(
    extinction: float, scale_height_m: float, over_base_m: Floats, rise: Floats, distance_m: Floats
) -> NDArray[np.float64]:
    """Optical depth along ways through one layer.

    extinction  : at and below base height [1/m]
    over_base_m : (N,) height of each start over the base; may be below it
    rise        : (N,) sine of the elevation of each way
    distance_m  : (N,) its length
    Returns (N,).
    """
    y0 = np.asarray(over_base_m, dtype=np.float64)
    climb = np.asarray(rise) * np.asarray(distance_m)
    steep = np.abs(climb) >= 1e-6
    exact = (_column(y0 + climb, scale_height_m) - _column(y0, scale_height_m)) / np.where(steep, climb, 1.0)
    level = np.exp(-np.maximum(y0 + 0.5 * climb, 0.0) / scale_height_m)
    return np.asarray(extinction * np.asarray(distance_m) * np.where(steep, exact, level))


def henyey_greenstein(cosine: Floats, forwardness: float) -> NDArray[np.float64]:
    """Phase function [1/sr]; its integral over all directions is 1."""
    g = forwardness
    below = 1.0 + g * g - 2.0 * g * np.asarray(cosine, dtype=np.float64)
    return np.asarray((1.0 - g * g) / (4.0 * np.pi * below * np.sqrt(below)))


@dataclass(frozen=True)
class AirLayer(FieldsAlone):
    """Air that thins out upward.

    extinction  : at and below base height, at 550 nm and without `absorption` [1/m]
    scale_height, base_height : climb in which it thins to 1/e; where that begins [m]
    albedo      : RGB share of `extinction` that is scattered
    forwardness : g of Henyey and Greenstein
    absorption  : RGB of what it swallows on top, as shares of `extinction`
    own         : RGB luminance of its own light where it is too thick to see through [cd/m2]
    """

    extinction: float
    scale_height: float
    base_height: float
    albedo: RGB
    forwardness: float
    absorption: RGB = (0.0, 0.0, 0.0)
    own: RGB = (0.0, 0.0, 0.0)

    @cached_property
    def thickness(self) -> NDArray[np.float64]:
        """(3,) RGB extinction over `extinction`."""
        return 1.0 + np.array(self.absorption)

    @cached_property
    def scattered(self) -> NDArray[np.float64]:
        """(3,) RGB share of what it takes that it scatters."""
        return np.array(self.albedo) / self.thickness

    def density(self, height_m: Floats) -> NDArray[np.float64]:
        """(N,) its density at heights, over that at base height."""
        over = np.maximum(np.asarray(height_m, dtype=np.float64) - self.base_height, 0.0)
        return np.asarray(np.exp(-over / self.scale_height))

    def above(self, height_m: Floats) -> NDArray[np.float64]:
        """(N,) what stands straight above heights, as a way through base density [m]."""
        over = np.asarray(height_m, dtype=np.float64) - self.base_height
        return self.scale_height - _column(over, self.scale_height)

    def depth(self, height_m: Floats, rise: Floats, distance_m: Floats) -> NDArray[np.float64]:
        """(N,) optical depth by `extinction`; see `optical_depth`."""
        over = np.asarray(height_m, dtype=np.float64) - self.base_height
        return optical_depth(self.extinction, self.scale_height, over, rise, distance_m)


@dataclass(frozen=True)
class LinearFog:
    """Fog that no air makes: it hides more and more from a start to an end.

    start, end : where that begins and is done [m]; strength : what it hides then, 0 to 1
    top, fade  : height up to which it stands, and climb in which it ends [m]
    colour     : RGB of the sky's light about the horizon that it shows
    """

    start: float
    end: float
    top: float
    fade: float
    strength: float
    colour: RGB

    def hidden(self, height_m: Floats, rise: Floats, distance_m: Floats) -> NDArray[np.float64]:
        """(N,) what it hides at the ends of ways, see `optical_depth`."""
        direction = np.minimum(np.asarray(distance_m, dtype=np.float64), self.end)
        far = np.clip((direction - self.start) / (self.end - self.start), 0.0, 1.0)
        over = np.asarray(height_m) + np.asarray(rise) * direction - self.top
        return np.asarray(self.strength * far * np.clip(1.0 - over / self.fade, 0.0, 1.0))


@dataclass(frozen=True)
class Medium(FieldsAlone):
    """All air of a level.

    layers   : they add up
    clear_to : from the eye up to here nothing of it is seen [m]; a fake
    hides    : most of contrast that it takes from what the eye sees, 0 to 1; below 1 a fake
    shafts   : whether it is lit place by place, up to `reach` from the eye [m]
    pockets  : other air that adds to it, in places
    straight : fog that stands for all of it
    """

    layers: tuple[AirLayer, ...]
    clear_to: float = 0.0
    hides: float = 1.0
    shafts: bool = True
    reach: float = 60.0
    pockets: tuple[Pocket, ...] = ()
    straight: LinearFog | None = None

    def depths(self, height_m: Floats, rise: Floats, distance_m: Floats) -> NDArray[np.float64]:
        """(layers, N) optical depth by each one's `extinction` along ways, see `optical_depth`."""
        return np.stack([layer.depth(height_m, rise, distance_m) for layer in self.layers])

    def kept(self, height_m: Floats, rise: Floats, distance_m: Floats) -> NDArray[np.float64]:
        """(N, 3) RGB share of light that is left at the end of ways."""
        return np.exp(-self.depths(height_m, rise, distance_m).T @ self.thickness)

    @cached_property
    def thickness(self) -> NDArray[np.float64]:
        """(layers, 3) RGB extinction of each over its `extinction`."""
        return np.stack([layer.thickness for layer in self.layers])

    def between(self, start: Floats, end: Floats) -> NDArray[np.float64]:
        """(N, 3) RGB share of light that is left of it between places (N, 3) [m]."""
        offset = np.asarray(end, dtype=np.float64) - start
        length = np.sqrt(np.einsum("ij,ij->i", offset, offset))
        directions = offset / np.maximum(length, 1e-9)[:, None]
        selected = self.kept(np.asarray(start)[:, 1], directions[:, 1], length)
        return selected * self.through_pockets(start, directions, length)[:, None]

    def through_pockets(self, start: Floats, directions: Floats, distance_m: Floats) -> NDArray[np.float64]:
        """(N,) share of light that pockets leave along ways from starts (N, 3) [m]."""
        depth = np.zeros(len(directions))
        for pocket in self.pockets:
            depth += pocket.depth(start, directions, distance_m)
        return np.exp(-depth)

    @property
    def in_volume(self) -> bool:
        """Whether it is lit place by place: by choice, or as pockets stand in it."""
        return self.shafts or bool(self.pockets)

    @property
    def tinted(self) -> bool:
        """Whether it takes more of one channel than of another."""
        return any(len(set(layer.absorption)) > 1 for layer in self.layers)

    def extinction(self, height_m: Floats) -> NDArray[np.float64]:
        """(N, 3) RGB extinction at heights [1/m]."""
        parts = [layer.extinction * layer.density(height_m) for layer in self.layers]
        return np.stack(parts, axis=1) @ self.thickness

    def from_far(self, height_m: Floats, air_mass: float) -> NDArray[np.float64]:
        """(N, 3) RGB share of a far light's that comes down to heights, over that which comes to base height.

        air_mass : way through all air over that straight up
        """
        parts = [layer.extinction * (layer.scale_height - layer.above(height_m)) for layer in self.layers]
        # Far below a base little is left: what is more than the eye could see is enough.
        return np.asarray(np.exp(np.minimum(air_mass * np.stack(parts, axis=1) @ self.thickness, 20.0)))

    def at_base(self, air_mass: float) -> NDArray[np.float64]:
        """(3,) RGB share of a far light's that comes down to base height."""
        parts = [layer.extinction * layer.scale_height for layer in self.layers]
        return np.asarray(np.exp(-air_mass * np.array(parts) @ self.thickness))
