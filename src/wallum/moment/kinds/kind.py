"""What an entry of the table of kinds says."""

from abc import ABC, abstractmethod
from dataclasses import dataclass
from typing import Any, ClassVar, NamedTuple

import numpy as np
from numpy.typing import NDArray

from wallum.moment.lamps import LampRows
from wallum.physics.arrays import Floats, dots, scaled
from wallum.physics.colour import luminance

__all__ = ["AirSample", "Kind", "LightSample", "ShadowViews", "Spheres"]

# Reach of a lamp without a range: beyond any level, yet near enough that the rounding of
# its 32-bit direction moves the far end by millimetres only.
UNLIMITED_M = 1e5


# What distances that are worked out from large squares may be off by [m].
ROUNDED_M = 0.01


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


class AirSample(NamedTuple):
    """Places on rays through air, chosen for the light of lamps.

    distance : (N,) along each ray [m]
    over_pdf : (N,) inverse of the density with which it is chosen [m]
    """

    distance: Floats
    over_pdf: Floats


@dataclass(frozen=True)
class ShadowViews:
    """The views in which a lamp's shadow maps are drawn.

    directions : (T, 3) unit vectors
    tangent    : of half their angle, for perspective views
    half       : half the width and height [m], for orthographic views; None for perspective
    side       : (3,) unit, to the right of an orthographic view
    """

    directions: NDArray[np.float64]
    tangent: float
    half: tuple[float, float] | None = None
    side: NDArray[np.float64] | None = None


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

    def facing_lx(self, rows: LampRows, distance_m: float) -> Floats:
        """(N,) illuminance at a distance on the axis [lx]."""
        return np.asarray(self.candela(rows) / distance_m**2)

    def extent(self, rows: LampRows) -> Floats:
        """(N,) how far the body reaches from its middle [m]."""
        return np.asarray(rows["radius"])

    def origins(self, rows: LampRows, places: Floats) -> Floats:
        """(N, 3) or (1, 3) points from which light comes through the air to places (N, 3) [m]."""
        return np.asarray(rows["position"])

    def about(self, rows: LampRows, places: Floats, normals: Floats) -> NDArray[np.float32]:
        """Sampling weights: about the illuminance of surfaces, without shadow.

        places, normals : (N, 3)
        Returns (lamps, N) [lx], above 0 wherever a lamp can give light: a path picks one lamp by them.
        """
        position, radius = np.ascontiguousarray(rows["position"]), rows["radius"][:, None]
        across = position @ places.T
        squared = dots(position, position)[:, None] - 2.0 * across + dots(places, places)
        # Sums of large squares: what is left of them is held off 0 by what they lose.
        squared = np.maximum(squared, np.maximum(radius**2, 1e-4))
        gain = np.asarray(self._candela_of(rows), np.float32)[:, None] / squared
        # A body reaches a little around a surface's edge.
        gain *= position @ normals.T - dots(places, normals) >= -radius - ROUNDED_M
        reach = np.where(rows["range"] > 0.0, rows["range"] + rows["radius"] + ROUNDED_M, np.inf)
        gain *= squared <= reach[:, None] ** 2
        for index in np.flatnonzero(rows["cos_outer"] > -1.0):
            aim = rows["direction"][index]
            cosine = (places @ aim - position[index] @ aim) / np.sqrt(squared[index])
            outer = rows["cos_outer"][index] - rows["radius"][index]
            gain[index] *= np.where(cosine < outer, 0.0, np.maximum(cosine, 0.02))
        return gain.astype(np.float32, copy=False)

    @staticmethod
    def _candela_of(rows: LampRows) -> Floats:
        """(N,) candela of rows that may be of several kinds which share `about`."""
        from wallum.moment.kinds.table import by_kind  # the table imports this module

        out = np.zeros(len(rows), np.float32)
        for kind, numbers in by_kind(rows):
            out[numbers] = kind.candela(rows[numbers])
        return out

    def reaches(self, row: np.void, points: Floats) -> NDArray[np.bool_]:
        """(N,) which points (N, 3) lie in a lamp's range and cone: what a renderer has to work out."""
        offset = points - row["position"].astype(np.float64)
        squared = np.einsum("ij,ij->i", offset, offset)
        reach = float(row["range"])
        out = squared <= reach * reach if reach > 0.0 else np.ones(len(points), bool)
        if row["cos_outer"] > -1.0:
            along = offset @ row["direction"].astype(np.float64)
            out &= along >= float(row["cos_outer"]) * np.sqrt(squared)
        return np.asarray(out)

    def air_weights(self, rows: LampRows, start: Floats, directions: Floats, lengths: Floats) -> Floats:
        """About the light that lamps send into rays, for picking one lamp a ray.

        start      : (3,) or (N, 3) [m]; directions : (N, 3) unit; lengths : (N,) [m]
        Returns (lamps, N). Source: Kulla and Fajardo 2012 (equiangular sampling).
        """
        along, aside = _nearest(rows, start, directions)
        begins, ends = np.arctan2(-along, aside), np.arctan2(lengths - along, aside)
        gain = self.candela(rows).astype(np.float64)[:, None] * (ends - begins) / aside
        reach = np.where(rows["range"] > 0.0, rows["range"] + self.extent(rows), np.inf)
        return np.asarray(gain * (aside <= reach[:, None]))

    def air_distances(
        self, rows: LampRows, start: Floats, directions: Floats, lengths: Floats, u: Floats
    ) -> AirSample:
        """A place on each ray, by the light of its lamp.

        rows (N,), start (N, 3) or (3,), directions (N, 3), lengths (N,) and random numbers u (N,) are paired.
        Source: Kulla and Fajardo 2012 (equiangular sampling).
        """
        along, aside = _nearest(rows, start, directions, paired=True)
        begins, ends = np.arctan2(-along, aside), np.arctan2(lengths - along, aside)
        angle = begins + (ends - begins) * u
        distance = np.clip(along + aside * np.tan(angle), 0.0, lengths)
        past = (distance - along) ** 2 + aside**2
        return AirSample(distance, past * (ends - begins) / aside)

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
        """The views of one row's shadow maps, `tiles` of them."""


def _nearest(
    rows: LampRows, start: Floats, directions: Floats, paired: bool = False
) -> tuple[Floats, Floats]:
    """How far along rays they pass lamps, and how near they come [m]: (lamps, N), or (N,) paired."""
    position = rows["position"].astype(np.float64)
    if paired:
        away = position - start
        along = dots(away, directions)
        squared = dots(away, away) - along**2
    else:
        away = position[:, None, :] - start
        several = away.shape[1] > 1
        along = np.einsum("lnc,nc->ln", away, directions) if several else away[:, 0] @ directions.T
        squared = (away**2).sum(axis=2) - along**2
    radius = rows["radius"] if paired else rows["radius"][:, None]
    return along, np.sqrt(np.maximum(squared, np.maximum(radius**2, 1e-4)))
