"""Pockets: boxes and ellipsoids of other air, with soft edges and our own noise.

Twin: realtime/shaders/include/pocket.glsl.
"""

from dataclasses import dataclass
from functools import cached_property, lru_cache

import numpy as np
from numpy.typing import NDArray

from wallum.memo import FieldsAlone
from wallum.physics.arrays import Floats

__all__ = ["HARDEST", "MAX_POCKETS", "NOISE_CELLS", "Pocket", "noise_at", "pocket_noise"]

# More than these are not shown: the first ones are (include/pocket.glsl).
MAX_POCKETS = 64
NOISE_CELLS = 64
# Knots of its two octaves along a side, and how strong each is.
OCTAVES = ((8, 1.0), (16, 0.5))
# Places along a way, from end to end, at which a pocket's density is looked up, and how much each counts:
# noise comes to its mean along a way, and edges are smooth. Gauss, Legendre.
PLACES, SHARES = (part.tolist() for part in np.polynomial.legendre.leggauss(5))
# An edge is never harder than this, so that it is no step.
HARDEST = 0.01
RGB = tuple[float, float, float]


def _smooth(knots: int, rng: np.random.Generator) -> NDArray[np.float64]:
    """(64, 64, 64) values at the knots of a coarse grid that repeats, blended in between."""
    out = rng.random((knots,) * 3)
    at = np.arange(NOISE_CELLS) * (knots / NOISE_CELLS)
    first = at.astype(int)
    share = at - first
    share = share * share * (3.0 - 2.0 * share)
    for axis in range(3):
        low, high = (np.take(out, (first + k) % knots, axis) for k in (0, 1))
        shape = [1, 1, 1]
        shape[axis] = NOISE_CELLS
        blend = share.reshape(shape)
        out = low * (1.0 - blend) + high * blend
    return out


@lru_cache(maxsize=1)
def pocket_noise() -> NDArray[np.float32]:
    """(64, 64, 64) values in 0..1 of smooth noise in two octaves that repeats."""
    rng = np.random.default_rng(20271012)
    out = sum(weight * _smooth(knots, rng) for knots, weight in OCTAVES)
    out = np.asarray((out - np.min(out)) / np.ptp(out))
    return out.astype(np.float32)


def _looked_up(place: Floats) -> NDArray[np.float64]:
    """(N,) noise at places (N, 3) in cells, between its values."""
    from scipy.ndimage import map_coordinates  # not before it is needed: the renderer starts sooner

    at = np.asarray(place, dtype=np.float64).T - 0.5
    return np.asarray(map_coordinates(pocket_noise(), at, np.float64, order=1, mode="grid-wrap"))


def noise_at(places: Floats, drifted: RGB, grain_m: float, contrast: float) -> NDArray[np.float64]:
    """(N,) what noise of a contrast and a width [m] multiplies with at places (N, 3), about 1."""
    at = (np.asarray(places, dtype=np.float64) - drifted) * (NOISE_CELLS / 8.0 / grain_m)
    return np.asarray(np.clip(1.0 + contrast * 3.0 * (_looked_up(at) - 0.5), 0.0, None))


@dataclass(frozen=True)
class Pocket(FieldsAlone):
    """Other air in a box or an ellipsoid.

    centre, half : its middle and half its sizes [m]; turn_rad : about the vertical, clockwise from above
    box          : whether it is a box
    extinction   : in its midst [1/m]; albedo : RGB share that is scattered; forwardness : g
    own          : RGB luminance of its own light where it is too thick to see through [cd/m2]
    edge         : share of its half sizes over which it fades out
    contrast     : of its noise, 0 to 1; grain_m : width of that; drifted : by which it has moved on [m]
    """

    id: str
    centre: RGB
    half: RGB
    turn_rad: float
    box: bool
    extinction: float
    albedo: RGB
    forwardness: float
    own: RGB
    edge: float
    contrast: float
    grain_m: float
    drifted: RGB

    @cached_property
    def rows(self) -> NDArray[np.float64]:
        """(3, 3) from the level's axes to the pocket's, in half sizes."""
        c, s = np.cos(self.turn_rad), np.sin(self.turn_rad)
        turn = np.array([[c, 0.0, s], [0.0, 1.0, 0.0], [-s, 0.0, c]])
        return turn / np.array(self.half)[:, None]

    @property
    def radius(self) -> float:
        """Of a ball about it [m]."""
        return float(np.linalg.norm(self.half)) if self.box else max(self.half)

    def density(self, places: Floats) -> NDArray[np.float64]:
        """(N,) its density at places (N, 3), over that in its midst."""
        p = np.asarray(places, dtype=np.float64)
        inside = self._smooth(p)
        if self.contrast <= 0.0:
            return inside
        return inside * noise_at(p, self.drifted, self.grain_m, self.contrast)

    def _local(self, places: Floats) -> list[NDArray[np.float64]]:
        """Three (N,) or (): places or ways (N, 3) or (3,) along the pocket's axes, in half sizes."""
        p = np.asarray(places, dtype=np.float64)
        x, y, z = p[..., 0], p[..., 1], p[..., 2]
        # It is turned about the vertical alone.
        (ax, _, az), (_, by, _), (cx, _, cz) = self.rows.tolist()
        return [ax * x + az * z, by * y, cx * x + cz * z]

    def _smooth(self, p: NDArray[np.float64]) -> NDArray[np.float64]:
        """(N,) the density without its noise."""
        return self._fading(self._local(p - self.centre))

    def _fading(self, local: list[NDArray[np.float64]]) -> NDArray[np.float64]:
        """(N,) the density without its noise at places along the pocket's axes."""
        x, y, z = local
        if self.box:
            out = np.maximum(np.maximum(np.abs(x), np.abs(y)), np.abs(z))
        else:
            out = np.sqrt(x * x + y * y + z * z)
        inside = np.clip((1.0 - out) / max(self.edge, HARDEST), 0.0, 1.0)
        return np.asarray(inside * inside * (3.0 - 2.0 * inside))

    def ends(self, start: Floats, directions: Floats) -> tuple[NDArray[np.float64], NDArray[np.float64]]:
        """(N,) where ways from starts (N, 3) or (3,), along unit directions (N, 3), come in and go out [m];
        out lies before in where they miss it."""
        o = self._local(np.asarray(start, dtype=np.float64) - self.centre)
        return self._met(o, self._local(directions))

    def _met(
        self, o: list[NDArray[np.float64]], d: list[NDArray[np.float64]]
    ) -> tuple[NDArray[np.float64], NDArray[np.float64]]:
        if not self.box:
            a, b, c = (sum(p * q for p, q in zip(m, n)) for m, n in ((d, d), (o, d), (o, o)))
            root = b * b - a * (c - 1.0)
            reach = np.sqrt(np.maximum(root, 0.0))
            miss = root < 0.0
            return np.where(miss, 1.0, (-b - reach) / a), np.where(miss, 0.0, (-b + reach) / a)
        first, last = np.full(np.shape(d[0]), -np.inf), np.full(np.shape(d[0]), np.inf)
        for from_middle, along in zip(o, d, strict=True):
            over = 1.0 / np.where(np.abs(along) < 1e-12, 1e-12, along)
            middle, half = from_middle * over, np.abs(over)
            first = np.maximum(first, -half - middle)
            last = np.minimum(last, half - middle)
        return first, last

    def depth(self, start: Floats, directions: Floats, distance_m: Floats) -> NDArray[np.float64]:
        """(N,) optical depth along ways of given lengths, by the density without noise at places of each."""
        o = self._local(np.asarray(start, dtype=np.float64) - self.centre)
        d = self._local(directions)
        first, last = self._met(o, d)
        first, last = np.maximum(first, 0.0), np.minimum(last, distance_m)
        out = np.zeros(len(d[0]))
        rows = np.flatnonzero(last > first)
        if not len(rows):
            return out
        begin = [np.broadcast_to(item, out.shape)[rows] for item in o]
        direction, length = [item[rows] for item in d], (last - first)[rows]
        for place, share in zip(PLACES, SHARES, strict=True):
            at = first[rows] + length * (0.5 + 0.5 * place)
            local = [p + w * at for p, w in zip(begin, direction, strict=True)]
            out[rows] += 0.5 * share * self._fading(local)
        out[rows] *= self.extinction * length
        return out
