"""Tubes: thin cylinders that shine evenly from their side.

GLSL twin: realtime/shaders/include/kinds/tube.glsl; the closed form is in physics/line.py.
"""

from typing import Any

import numpy as np
from numpy.typing import NDArray

from wallum.moment.kinds.kind import ROUNDED_M, Kind, LightSample, ShadowViews, Spheres
from wallum.moment.kinds.punctual import FACES
from wallum.moment.lamps import LampRows
from wallum.physics.arrays import Floats, dots, scaled
from wallum.physics.line import tube_illuminance, tube_point_illuminance
from wallum.physics.photometry import range_window

__all__ = ["Tube"]


class Tube(Kind):
    """A line with a radius. Its light is brought to nothing at the range from its middle."""

    name, shader, tiles, spreads = "tube", "tube", 6, True

    def own_values(self, lamp: Any) -> dict[str, Any]:
        return {
            "direction": lamp.direction, "cos_outer": -1.0, "cos_inner": 1.0, "size": (lamp.length, 0.0),
        }  # fmt: skip

    def points(self, rows: LampRows, u: Floats) -> Floats:
        along = (u[:, 0] - 0.5) * rows["size"][:, 0].astype(u.dtype, copy=False)
        return rows["position"] + scaled(
            np.broadcast_to(rows["direction"], (len(u), 3)).astype(u.dtype), along
        )

    def arriving(self, rows: LampRows, places: Floats, points: Floats) -> LightSample:
        offset = points - places
        squared = np.maximum(dots(offset, offset), 1e-12)
        distance = np.sqrt(squared)
        toward = scaled(offset, 1.0 / distance)
        radius = rows["radius"].astype(places.dtype, copy=False)
        strength = tube_point_illuminance(
            toward, squared, rows["direction"].astype(places.dtype, copy=False), rows["size"][:, 0], radius
        )
        return LightSample(toward, distance - radius, strength * self._window(rows, places))

    def on_surface(self, rows: LampRows, places: Floats, normals: Floats) -> Floats:
        whole = tube_illuminance(
            rows["position"] - places, rows["direction"], rows["size"][:, 0], rows["radius"], normals
        )
        return np.asarray(whole * self._window(rows, places))

    def candela(self, rows: LampRows) -> Floats:
        """(N,) luminous intensity across the axis [cd]."""
        return np.asarray(super().candela(rows) * 2.0 * rows["radius"] * rows["size"][:, 0])

    def extent(self, rows: LampRows) -> Floats:
        return np.asarray(0.5 * rows["size"][:, 0] + rows["radius"])

    def about(self, rows: LampRows, places: Floats, normals: Floats) -> NDArray[np.float32]:
        """By the distance to the nearest point of the axis, so that light of the ends is never left out."""
        out = np.zeros((len(rows), len(places)), np.float32)
        candela = self.candela(rows)
        for index, row in enumerate(rows):
            half, axis = 0.5 * float(row["size"][0]), row["direction"].astype(np.float64)
            away = row["position"].astype(np.float64) - places
            middle = away @ axis
            nearest = away - np.clip(middle, -half, half)[:, None] * axis
            radius = float(row["radius"])
            squared = np.maximum(dots(nearest, nearest), max(radius**2, 1e-4))
            highest = dots(away, normals) + half * np.abs(normals @ axis)
            reach = float(row["range"]) + half + radius + ROUNDED_M if row["range"] > 0.0 else np.inf
            lit = (highest >= -radius - ROUNDED_M) & (dots(away, away) <= reach**2)
            out[index] = np.where(lit, candela[index] / squared, 0.0)
        return out

    def bounds(self, rows: LampRows) -> Spheres:
        whole = super().bounds(rows)
        return Spheres(whole.centres, whole.radii + 0.5 * rows["size"][:, 0].astype(np.float64))

    def tiling(self, row: np.void) -> ShadowViews:
        return ShadowViews(FACES, 1.0)

    @staticmethod
    def _window(rows: LampRows, places: Floats) -> Floats:
        away = rows["position"] - places
        return range_window(np.sqrt(dots(away, away)), rows["range"])
