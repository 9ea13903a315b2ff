"""Points and spots: small bodies of a stated luminous intensity. Their shaders' twin:
realtime/shaders/include/kinds/punctual.glsl; sources are given in physics/photometry.py."""

import math
from typing import Any, TypeAlias

import numpy as np

from wallum.moment.kinds.kind import Kind, LightSample, ShadowViews
from wallum.moment.lamps import LampRows
from wallum.physics.arrays import Floats, dots, scaled
from wallum.physics.emitters import ball_points
from wallum.physics.gobo import PATTERNS, gobo_share
from wallum.physics.photometry import cone_falloff, range_window

Vector: TypeAlias = tuple[float, float, float]

__all__ = ["FACES", "Point", "Spot", "across_beam"]

# The sides of a cube, in the order of include/lamp_shadow.glsl.
FACES = np.array([[1, 0, 0], [-1, 0, 0], [0, 1, 0], [0, -1, 0], [0, 0, 1], [0, 0, -1]], dtype=np.float64)
# A single tile cannot look wider.
WIDEST_TILE = math.radians(80.0)
# A gobo's repeats are counted up to here from the axis of a wider beam: in a flat plate it has no end.
WIDEST_GOBO = math.radians(80.0)
# Nearer to right angles with the axis than this cosine, a gobo is as there.
FLATTEST = 0.05


def across_beam(direction: tuple[float, float, float], turn_deg: float) -> Vector:
    """Unit, across the beam: level, and from left to right of one who looks along it; turned clockwise."""
    d = np.array(direction)
    level = np.cross(d, (0.0, 1.0, 0.0))
    away = float(np.linalg.norm(level))
    level = level / away if away > 1e-3 else np.array([1.0, 0.0, 0.0])
    up, turn = np.cross(level, d), math.radians(turn_deg)
    x, y, z = (level * math.cos(turn) - up * math.sin(turn)).tolist()
    return x, y, z


def _gobo(lamp: Any) -> dict[str, Any]:
    """Fields of its row; the pattern widens with the beam."""
    wide = math.tan(min(math.radians(lamp.outer), WIDEST_GOBO))
    repeats = 0.5 / (lamp.gobo_size * wide)
    return {
        "gobo": PATTERNS.index(lamp.gobo),
        "gobo_open": lamp.gobo_open,
        "gobo_soft": lamp.gobo_soft,
        "gobo_across": tuple(repeats * part for part in across_beam(lamp.direction, lamp.gobo_turn)),
    }


def _through_gobos(rows: LampRows, toward: Floats) -> Floats | None:
    """(N,) share of light that gobos let past in N directions (N, 3) back to lamps; None where there are
    none."""
    patterned = rows["gobo"] > 0.5
    if not patterned.any():
        return None
    own = np.flatnonzero(np.broadcast_to(patterned, len(toward)))
    taken = np.broadcast_to(rows, len(toward))[own]
    d, across = (taken[name].astype(toward.dtype) for name in ("direction", "gobo_across"))
    direction = -toward[own]
    ahead = np.maximum(dots(direction, d), FLATTEST)
    out = np.ones(len(toward), toward.dtype)
    out[own] = gobo_share(
        taken["gobo"].astype(int),
        dots(direction, across) / ahead,
        dots(direction, np.cross(across, d)) / ahead,
        *(taken[name].astype(toward.dtype) for name in ("gobo_at", "gobo_open", "gobo_soft")),
    )
    return out


class _Punctual(Kind):
    """What points and spots share: the inverse square, held within the body, and ended by the range."""

    shader = "punctual"

    def points(self, rows: LampRows, u: Floats) -> Floats:
        return rows["position"] + scaled(ball_points(u), rows["radius"].astype(u.dtype, copy=False))

    def arriving(self, rows: LampRows, places: Floats, points: Floats) -> LightSample:
        offset = points - places
        squared = dots(offset, offset)
        distance = np.sqrt(np.maximum(squared, 1e-12))
        radius = rows["radius"].astype(places.dtype, copy=False)
        strength = range_window(distance, rows["range"])
        strength = strength / np.maximum(squared, np.maximum(radius**2, 1e-6))
        return LightSample(scaled(offset, 1.0 / distance), distance - radius, strength)

    def sample(self, rows: LampRows, places: Floats, u: Floats | None = None) -> LightSample:
        """A body whose shadow does not count is taken at its middle."""
        result = super().sample(rows, places, u)
        still = rows["shadow"] < 0.5
        if u is None or not still.any():
            return result
        middle = super().sample(rows, places)
        pick = np.broadcast_to(still, len(places))
        return LightSample(
            np.where(pick[:, None], middle.toward, result.toward),
            np.where(pick, middle.reach, result.reach),
            np.where(pick, middle.strength, result.strength),
        )

    def moved(self, rows: LampRows, u: Floats) -> LampRows:
        out = super().moved(rows, u)
        out["position"] = out["point"]
        return out


class Point(_Punctual):
    """Shines alike in all directions."""

    name, tiles = "point", 6

    def own_values(self, lamp: Any) -> dict[str, Any]:
        return {"direction": (0.0, -1.0, 0.0), "cos_outer": -1.0, "cos_inner": 1.0}

    def tiling(self, row: np.void) -> ShadowViews:
        return ShadowViews(FACES, 1.0)


class Spot(_Punctual):
    """Shines into a cone."""

    name, tiles = "spot", 1

    def own_values(self, lamp: Any) -> dict[str, Any]:
        # Lanes move one cone at a time: where they cross, the outer one bounds.
        inner = min(lamp.inner, lamp.outer)
        return {
            "direction": lamp.direction,
            "cos_outer": math.cos(math.radians(lamp.outer)),
            "cos_inner": math.cos(math.radians(inner)),
            **(_gobo(lamp) if lamp.gobo != "none" else {}),
        }

    def arriving(self, rows: LampRows, places: Floats, points: Floats) -> LightSample:
        toward, reach, strength = super().arriving(rows, places, points)
        cosine = -dots(toward, rows["direction"].astype(places.dtype, copy=False))
        strength = strength * cone_falloff(cosine, rows["cos_inner"], rows["cos_outer"])
        left = _through_gobos(rows, toward)
        return LightSample(toward, reach, strength if left is None else strength * left)

    def tiling(self, row: np.void) -> ShadowViews:
        half = math.acos(max(min(float(row["cos_outer"]), 1.0), 0.05))
        return ShadowViews(row["direction"].astype(np.float64)[None], math.tan(min(half, WIDEST_TILE)))
