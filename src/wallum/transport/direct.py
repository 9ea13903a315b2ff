"""Direct light at a point, by source, with shadows by rays: what the meter reads."""

from dataclasses import dataclass, field

import numpy as np
from numpy.typing import NDArray

from wallum.errors import ValueProblem
from wallum.moment.scene import Dome, LitScene, Sun
from wallum.physics.arrays import Floats, as_vectors, normalised
from wallum.physics.colour import luminance
from wallum.physics.dome import sample_dome
from wallum.physics.emitters import ball_points, cone_directions, disc_points
from wallum.physics.photometry import cone_falloff, punctual_illuminance
from wallum.transport.rays import LIFT_M, RayScene

__all__ = ["Reading", "direct_illuminance"]


@dataclass
class Reading:
    """Illuminance of one surface element [lx], by source id, with the error of the mean."""

    by_source: dict[str, float] = field(default_factory=dict)
    variance: float = 0.0

    @property
    def direct_lx(self) -> float:
        return sum(self.by_source.values())

    @property
    def standard_error_lx(self) -> float:
        return float(np.sqrt(self.variance))

    def add(self, source_id: str, samples_lx: Floats) -> None:
        """Take the mean of a source's samples."""
        self.by_source[source_id] = float(samples_lx.mean())
        if len(samples_lx) > 1:
            self.variance += float(samples_lx.var(ddof=1)) / len(samples_lx)


def direct_illuminance(
    rays: RayScene, scene: LitScene, at: Floats, facing: Floats, samples: int, seed: int = 1
) -> Reading:
    """Direct illuminance of a small surface at `at` (3,) [m] that faces `facing` (3,).

    samples : rays a source of some size is sampled with; 1 or more
    Raises ValueProblem for a facing of length zero or fewer than one sample.
    """
    if samples < 1:
        raise ValueProblem(f"{samples} samples", "samples", "at least 1")
    normal = normalised(as_vectors(facing, "facing"))[0]
    if not normal.any():
        raise ValueProblem("a direction of length zero", "facing", "three numbers, not all 0")
    place = as_vectors(at, "at")[0]
    # Rays begin off the surface; the light is that at the place itself, which at a grazing angle is less.
    start = place + normal * LIFT_M * 10.0
    rng = np.random.default_rng(seed)
    reading = Reading()
    for index, lamp_id in enumerate(scene.lamps.ids):
        reading.add(lamp_id, _lamp(rays, scene, index, (place, start), normal, rng.random((samples, 3))))
    if scene.sun is not None:
        reading.add(scene.sun.id, _sun(rays, scene.sun, start, normal, rng.random((samples, 2))))
    if scene.sky is not None:
        u = rng.random((samples, 2))
        reading.add(scene.sky.id, _sky(rays, scene.sky, start, normal, u))
    return reading


def _lamp(
    rays: RayScene, scene: LitScene, index: int, at: tuple[Floats, Floats], normal: Floats, u: Floats
) -> NDArray[np.float64]:
    """Illuminance of one lamp by samples [lx]; at : the place itself, and where rays begin [m]."""
    place, start = at
    lamps = scene.lamps.only(np.arange(len(scene.lamps.ids)) == index)
    row = {
        name: lamps.column(name)[0].astype(np.float64)
        for name in ("position", "range", "radius", "direction", "is_spot", "cos_outer", "cos_inner")
    }
    casts = lamps.column("shadow")[0] > 0.5
    places = row["position"] + ball_points(u) * row["radius"]
    if row["radius"] == 0.0 or not casts:
        places = row["position"][None]
    to_lamp = places - place
    per_candela = punctual_illuminance(
        to_lamp, np.broadcast_to(normal, to_lamp.shape), row["radius"], row["range"]
    )
    distance = np.linalg.norm(to_lamp, axis=1)
    toward = to_lamp / np.maximum(distance, 1e-9)[:, None]
    if row["is_spot"] > 0.5:
        cosine = -toward @ row["direction"]
        per_candela = per_candela * cone_falloff(cosine, row["cos_inner"], row["cos_outer"])
    intensity = luminance(lamps.column("intensity")[0].astype(np.float64))
    out = per_candela * intensity
    if casts:
        lit = np.flatnonzero(out > 0.0)
        ways = places[lit] - start
        reach = np.linalg.norm(ways, axis=1)
        begin = np.broadcast_to(start, ways.shape)
        toward = ways / np.maximum(reach, 1e-9)[:, None]
        out[lit] *= luminance(rays.let_through(begin, toward, reach - 2.0 * LIFT_M))
    return np.asarray(out)


def _sun(rays: RayScene, sun: Sun, start: Floats, normal: Floats, u: Floats) -> NDArray[np.float64]:
    directions = cone_directions(sun.direction, 0.5 * sun.disc_rad, u)
    facing = float(luminance(sun.at(np.asarray(start).reshape(1, 3)))[0])
    out = np.clip(directions @ normal, 0.0, None) * facing
    if sun.shadow:
        begin = np.broadcast_to(start, directions.shape)
        out = out * luminance(rays.let_through(begin, directions, np.full(len(u), np.inf)))
    return np.asarray(out)


def _sky(rays: RayScene, dome: Dome, start: Floats, normal: Floats, u: Floats) -> NDArray[np.float64]:
    """Directions by the cosine (Malley's method), so that each counts pi times its luminance."""
    disc = disc_points(u)
    height = np.sqrt(np.maximum(1.0 - (disc**2).sum(axis=1), 0.0))
    helper = np.array([1.0, 0.0, 0.0]) if abs(normal[0]) < 0.9 else np.array([0.0, 1.0, 0.0])
    side = normalised(np.cross(normal, helper))
    directions = disc[:, :1] * side + disc[:, 1:] * np.cross(normal, side) + height[:, None] * normal
    begin = np.broadcast_to(start, directions.shape)
    through = rays.let_through(begin, directions, np.full(len(u), np.inf))
    return np.asarray(np.pi * luminance(sample_dome(dome.luminance, dome.ground, directions) * through))
