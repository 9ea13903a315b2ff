"""Panels: discs that shine evenly to one side. Their shader's twin:
realtime/shaders/include/kinds/panel.glsl; the closed form is in physics/disc.py."""

from typing import Any

import numpy as np

from wallum.moment.kinds.kind import Kind, LightSample, ShadowViews
from wallum.moment.kinds.punctual import FACES
from wallum.moment.lamps import LampRows
from wallum.physics.arrays import Floats, dots, scaled
from wallum.physics.disc import disc_illuminance
from wallum.physics.emitters import disc_points
from wallum.physics.frames import frame_of
from wallum.physics.photometry import range_window

__all__ = ["Panel"]


class Panel(Kind):
    """A disc. Its light is brought to nothing at the range from its middle."""

    name, shader, tiles, spreads = "panel", "panel", 6, True

    def own_values(self, lamp: Any) -> dict[str, Any]:
        return {"direction": lamp.direction, "cos_outer": 0.0, "cos_inner": 0.0}

    def points(self, rows: LampRows, u: Floats) -> Floats:
        side, up = frame_of(rows["direction"].astype(u.dtype, copy=False))
        across = disc_points(u) * rows["radius"][:, None].astype(u.dtype, copy=False)
        return rows["position"] + side * across[:, :1] + up * across[:, 1:]

    def arriving(self, rows: LampRows, places: Floats, points: Floats) -> LightSample:
        offset = points - places
        squared = np.maximum(dots(offset, offset), 1e-6)
        distance = np.sqrt(squared)
        toward = scaled(offset, 1.0 / distance)
        facing = np.maximum(-dots(toward, rows["direction"].astype(places.dtype, copy=False)), 0.0)
        area = np.pi * rows["radius"].astype(np.float64) ** 2
        return LightSample(toward, distance, self._window(rows, places) * area * facing / squared)

    def on_surface(self, rows: LampRows, places: Floats, normals: Floats) -> Floats:
        whole = disc_illuminance(rows["position"] - places, rows["direction"], rows["radius"], normals)
        return np.asarray(whole * self._window(rows, places))

    def candela(self, rows: LampRows) -> Floats:
        return np.asarray(super().candela(rows) * np.pi * rows["radius"] ** 2)

    def tiling(self, row: np.void) -> ShadowViews:
        return ShadowViews(FACES, 1.0)

    @staticmethod
    def _window(rows: LampRows, places: Floats) -> Floats:
        away = rows["position"] - places
        return range_window(np.sqrt(dots(away, away)), rows["range"])
