"""Direct light at a point, by source, with shadows by rays: what the meter reads."""

from dataclasses import dataclass, field

import numpy as np
from numpy.typing import NDArray

from wallum.errors import ValueProblem
from wallum.moment.kinds import kind_of
from wallum.moment.scene import Dome, LitScene, Sun
from wallum.physics.arrays import Floats, as_vectors, normalised
from wallum.physics.colour import luminance
from wallum.physics.dome import sample_dome
from wallum.physics.emitters import cone_directions, disc_points
from wallum.physics.frames import frame_of
from wallum.transport.scene.rays import LIFT_M, RayScene

__all__ = ["MeterReading", "direct_illuminance"]


@dataclass
class MeterReading:
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
) -> MeterReading:
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
    reading = MeterReading()
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
    row = scene.lamps.rows[index : index + 1]
    kind, casts = kind_of(row[0]), bool(scene.lamps.casting[index])
    light = row["emission"][0].astype(np.float64)
    if scene.air is not None:
        light = light * scene.air.between(kind.origins(row, place[None]), place[None])[0]
    emission = float(luminance(light))
    whole = kind.on_surface(row, place[None], normal[None]) * emission
    if not casts:
        return np.asarray(whole)
    if row["radius"][0] == 0.0:
        u = u[:1]
    places = np.broadcast_to(place, (len(u), 3))
    toward, reach, strength = kind.sample(row, places, u)
    out = np.asarray(strength * np.clip(toward @ normal, 0.0, None) * emission)
    lit = np.flatnonzero(out > 0.0)
    through = np.ones(len(out))
    # Rays begin off the surface: their ways are a little other than the light's.
    directions = places[lit] + toward[lit] * reach[lit, None] - start
    free = np.linalg.norm(directions, axis=1)
    directions = directions / np.maximum(free, 1e-9)[:, None]
    begin = np.broadcast_to(start, directions.shape)
    through[lit] = luminance(rays.let_through(begin, directions, free - 2.0 * LIFT_M))
    # Of a body that spreads, the whole is known: samples only say what is kept away of it.
    return whole - out * (1.0 - through) if kind.spreads else out * through


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
    side, up = frame_of(normal[None])
    directions = disc[:, :1] * side + disc[:, 1:] * up + height[:, None] * normal
    begin = np.broadcast_to(start, directions.shape)
    through = rays.let_through(begin, directions, np.full(len(u), np.inf))
    return np.asarray(np.pi * luminance(sample_dome(dome.luminance, dome.ground, directions) * through))
