"""Beams: parallel light in a box with soft sides. GLSL twin:
realtime/shaders/include/kinds/beam_share.glsl.
"""

from typing import Any

import numpy as np
from numpy.typing import NDArray

from wallum.moment.kinds.kind import UNLIMITED_M, AirSample, Kind, LightSample, ShadowViews, Spheres
from wallum.moment.kinds.punctual import across_beam
from wallum.moment.lamps import LampRows
from wallum.physics.arrays import Floats, dots, scaled
from wallum.physics.colour import luminance
from wallum.physics.photometry import range_window

__all__ = ["Beam"]

# A side that is narrower than this is sharp [m].
SHARP_M = 1e-4


def _smooth(share: Floats) -> Floats:
    """Smoothstep of shares, clipped to 0 to 1."""
    x = np.clip(share, 0.0, 1.0)
    return np.asarray(x * x * (3.0 - 2.0 * x))


class Beam(Kind):
    """Its light begins at a rectangle and goes straight on. It is as strong as stated up to the range."""

    name, shader, tiles = "beam", "beam", 1

    def own_values(self, lamp: Any) -> dict[str, Any]:
        return {
            "direction": lamp.direction, "cos_outer": -1.0, "cos_inner": 1.0, "radius": 0.0,
            "side": across_beam(lamp.direction, lamp.turn), "size": (lamp.width, lamp.height),
            "soft": min(lamp.soft, 0.5 * lamp.width, 0.5 * lamp.height),
        }  # fmt: skip

    def points(self, rows: LampRows, u: Floats) -> Floats:
        side = np.broadcast_to(rows["side"], (len(u), 3)).astype(u.dtype)
        up = np.cross(side, np.broadcast_to(rows["direction"], (len(u), 3)).astype(u.dtype))
        across = (u[:, :2] - 0.5) * rows["size"].astype(u.dtype, copy=False)
        return rows["position"] + scaled(side, across[:, 0]) + scaled(up, across[:, 1])

    def share(self, rows: LampRows, places: Floats) -> tuple[Floats, Floats]:
        """Illuminance facing the beam for an emission of 1.

        places : (N, 3) [m]
        Returns (N,) shares, and (N,) how far along the beam each place lies [m].
        """
        aim = np.broadcast_to(rows["direction"], places.shape).astype(places.dtype)
        side = np.broadcast_to(rows["side"], places.shape).astype(places.dtype)
        away = places - rows["position"]
        along = dots(away, aim)
        soft = np.maximum(rows["soft"], SHARP_M)
        x = (0.5 * rows["size"][:, 0] - np.abs(dots(away, side))) / soft
        y = (0.5 * rows["size"][:, 1] - np.abs(dots(away, np.cross(side, aim)))) / soft
        share = _smooth(x) * _smooth(y) * range_window(np.maximum(along, 0.0), rows["range"])
        return np.where(along > 0.0, share, 0.0), along

    def arriving(self, rows: LampRows, places: Floats, points: Floats) -> LightSample:
        share, along = self.share(rows, places)
        toward = -np.broadcast_to(rows["direction"], places.shape).astype(places.dtype)
        return LightSample(toward, np.maximum(along, 0.0), share)

    def extent(self, rows: LampRows) -> Floats:
        return np.asarray(0.5 * np.sqrt((rows["size"] ** 2).sum(axis=1)))

    def origins(self, rows: LampRows, places: Floats) -> Floats:
        aim = np.broadcast_to(rows["direction"], places.shape).astype(places.dtype)
        along = np.maximum(dots(places - rows["position"], aim), 0.0)
        return np.asarray(places - scaled(aim, along))

    def facing_lx(self, rows: LampRows, distance_m: float) -> Floats:
        return np.asarray(luminance(rows["emission"]))

    def about(self, rows: LampRows, places: Floats, normals: Floats) -> NDArray[np.float32]:
        out = np.zeros((len(rows), len(places)), np.float32)
        for index in range(len(rows)):
            row = rows[index : index + 1]
            share, _ = self.share(row, places)
            # A normal that is bent over the horizon may still be lit: keep the weight above 0.
            facing = np.maximum(-(normals @ row["direction"][0]), 0.02)
            out[index] = float(luminance(row["emission"][0])) * share * facing
        return out

    def moved(self, rows: LampRows, u: Floats) -> LampRows:
        """Parallel light comes from one direction: its point stays."""
        return rows.copy()

    def bounds(self, rows: LampRows) -> Spheres:
        reach = np.where(rows["range"] > 0.0, rows["range"], UNLIMITED_M).astype(np.float64)
        half = 0.5 * np.sqrt((rows["size"].astype(np.float64) ** 2).sum(axis=1))
        centres = rows["position"] + scaled(rows["direction"].astype(np.float64), 0.5 * reach)
        return Spheres(centres, np.sqrt((0.5 * reach) ** 2 + half**2))

    def reaches(self, row: np.void, points: Floats) -> NDArray[np.bool_]:
        share, _ = self.share(np.array([row]), np.asarray(points, np.float64))
        return share > 0.0

    def tiling(self, row: np.void) -> ShadowViews:
        half = 0.5 * row["size"].astype(np.float64)
        return ShadowViews(row["direction"].astype(np.float64)[None], 0.0, (float(half[0]), float(half[1])),
                           row["side"].astype(np.float64))  # fmt: skip

    def air_weights(self, rows: LampRows, start: Floats, directions: Floats, lengths: Floats) -> Floats:
        first, last = self._within(rows, start, directions, lengths)
        return luminance(rows["emission"])[:, None] * (last - first)

    def air_distances(
        self, rows: LampRows, start: Floats, directions: Floats, lengths: Floats, u: Floats
    ) -> AirSample:
        first, last = self._within(rows, start, directions, lengths, paired=True)
        return AirSample(first + (last - first) * u, last - first)

    @staticmethod
    def _within(
        rows: LampRows, start: Floats, directions: Floats, lengths: Floats, paired: bool = False
    ) -> tuple[Floats, Floats]:
        """First and last distance of rays in the box, equal where they miss it: (L, N), or (N,) paired.

        Source: Kay and Kajiya 1986, the slab test.
        """
        count = len(rows)
        shape = (count,) if paired else (count, len(lengths))
        begin = np.broadcast_to(start, (len(lengths), 3))
        first, last = np.zeros(shape), np.broadcast_to(lengths, shape).astype(np.float64)
        aim, side = rows["direction"].astype(np.float64), rows["side"].astype(np.float64)
        reach = np.where(rows["range"] > 0.0, rows["range"], UNLIMITED_M).astype(np.float64)
        half = 0.5 * rows["size"].astype(np.float64)
        slabs = ((side, -half[:, 0], half[:, 0]), (np.cross(side, aim), -half[:, 1], half[:, 1]),
                 (aim, np.zeros(count), reach))  # fmt: skip
        for axis, low, high in slabs:
            at = dots(begin, axis) if paired else axis @ begin.T
            at = at - (dots(rows["position"], axis) if paired else dots(rows["position"], axis)[:, None])
            speed = dots(directions, axis) if paired else axis @ directions.T
            speed = np.where(np.abs(speed) > 1e-12, speed, 1e-12)
            low, high = (part if paired else part[:, None] for part in (low, high))
            near, far = (low - at) / speed, (high - at) / speed
            first, last = np.maximum(first, np.minimum(near, far)), np.minimum(last, np.maximum(near, far))
        return first, np.maximum(last, first)
