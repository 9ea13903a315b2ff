"""What an entry of the table of kinds says."""

from abc import ABC, abstractmethod
from dataclasses import dataclass
from typing import Any, ClassVar, NamedTuple

import numpy as np
from numpy.typing import NDArray

from wallum.moment.lamps import LampRows
from wallum.physics.arrays import Floats, dots, scaled
from wallum.physics.colour import luminance

__all__ = ["Kind", "LightSample", "ShadowViews", "Spheres"]

# Reach of a lamp without a range: beyond any level, yet near enough that the rounding of
# its 32-bit direction moves the far end by millimetres only.
UNLIMITED_M = 1e5


class LightSample(NamedTuple):
    """Light on its way to N places, without shadow.

    toward   : (N, 3) unit directions to the light
    reach    : (N,) how far the way must be free for it to arrive [m]
    strength : (N,) illuminance facing it, for an emission of 1
    """

    toward: Floats
    reach: Floats
    strength: Floats


class Spheres(NamedTuple):
    """Centres (N, 3) and radii (N,) about each lamp's light [m]."""

    centres: NDArray[np.float64]
    radii: NDArray[np.float64]


@dataclass(frozen=True)
class ShadowViews:
    """The shadow tiles that a lamp takes: (T, 3) unit directions that they look in, and the tangent of
    half their angle."""

    directions: NDArray[np.float64]
    tangent: float


class Kind(ABC):
    """One kind of lamp. `rows` are (N,) or (1,) of LAMP_ROW and broadcast against the places.

    name   : the word for it in a project
    shader : its include, realtime/shaders/include/kinds/NAME.glsl; kinds may share one
    tiles  : how many shadow tiles one takes
    spreads: whether a sample is one point of a body that gives more from elsewhere, so that only the
             mean of many is what `on_surface` says
    """

    name: ClassVar[str]
    shader: ClassVar[str]
    tiles: ClassVar[int]
    spreads: ClassVar[bool] = False

    @abstractmethod
    def own_values(self, lamp: Any) -> dict[str, Any]:
        """Fields of its row that only this kind fills, from its declaration in the document."""

    @abstractmethod
    def points(self, rows: LampRows, u: Floats) -> Floats:
        """(N, 3) points of the glowing bodies [m], for random numbers (N, 3) in 0..1."""

    @abstractmethod
    def arriving(self, rows: LampRows, places: Floats, points: Floats) -> LightSample:
        """What comes to places (N, 3) [m] from points (N, 3) of the bodies."""

    def sample(self, rows: LampRows, places: Floats, u: Floats | None = None) -> LightSample:
        """What comes to places (N, 3) [m] from a point of the body by random numbers (N, 3), or from its
        middle where there are none. This is what all that follows light reads."""
        points = rows["position"] if u is None else self.points(rows, u)
        return self.arriving(rows, places, points.astype(places.dtype, copy=False))

    def on_surface(self, rows: LampRows, places: Floats, normals: Floats) -> Floats:
        """(N,) illuminance of surfaces for an emission of 1, without shadow, in closed form."""
        toward, _, strength = self.sample(rows, places)
        return np.asarray(strength * np.clip(dots(toward, normals), 0.0, None))

    def candela(self, rows: LampRows) -> Floats:
        """(N,) luminous intensity on the axis [cd]."""
        return np.asarray(luminance(rows["emission"]))

    def moved(self, rows: LampRows, u: Floats) -> LampRows:
        """Rows whose light is taken from other points of their bodies, by random numbers (N, 3)."""
        out = rows.copy()
        out["point"] = self.points(rows, u)
        return out

    def bounds(self, rows: LampRows) -> Spheres:
        """The smallest spheres about the light.

        In a cone up to its range it fills a cone with a round end: about a narrow one the sphere sits
        half way along.
        """
        reach = rows["range"].astype(np.float64)
        reach = np.where(reach > 0.0, reach, UNLIMITED_M)
        cosine = np.clip(rows["cos_outer"].astype(np.float64), 0.0, 1.0)
        narrow = cosine > np.sqrt(0.5)
        radius = np.where(narrow, 0.5 * reach / np.maximum(cosine, 1e-6), reach * np.sqrt(1.0 - cosine**2))
        along = np.where(narrow, radius, reach * cosine)
        centres = rows["position"].astype(np.float64)
        return Spheres(centres + scaled(rows["direction"].astype(np.float64), along), radius)

    @abstractmethod
    def tiling(self, row: np.void) -> ShadowViews:
        """The shadow tiles of one row."""
