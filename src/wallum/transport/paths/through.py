"""What is seen along a line through the air: what is left of light, and what the air adds."""

from dataclasses import dataclass

import numpy as np

from wallum.errors import ValueProblem
from wallum.level.model.model import Level
from wallum.moment.camera import Camera
from wallum.moment.scene import LitScene
from wallum.physics.arrays import Floats
from wallum.physics.colour import luminance
from wallum.transport.paths.air_between import air_kept
from wallum.transport.paths.reference import Reference
from wallum.transport.scene.rays import RayScene

__all__ = ["AirReading", "MeanWithError", "contrast_kept", "returned_illuminance", "seen_through"]

# Surfaces that light which comes back may visit.
BOUNCES = 6
# What a line may be short of to have a direction [m].
SHORTEST_M = 1e-6


@dataclass(frozen=True)
class AirReading:
    """A line through the air.

    distance_m    : to its end, or to the first surface
    transmittance : RGB share of light that is left, in closed form
    scattered     : RGB light that the air adds [cd/m2], its own included; luminance : RGB of all that is seen
    error         : standard error of the luminance's mean [cd/m2]
    contrast_kept : share of contrast that is left of what stands at its end, 0 to 1
    """

    distance_m: float
    transmittance: Floats
    scattered: Floats
    luminance: Floats
    error: float
    contrast_kept: float


def contrast_kept(scene: LitScene, eye: Floats, place: Floats) -> float:
    """Share of contrast that the air leaves of a place for an eye, 0 to 1."""
    if scene.air is None:
        return 1.0
    offset = np.asarray(place, dtype=np.float64) - eye
    length = float(np.linalg.norm(offset))
    if length < SHORTEST_M:
        return 1.0
    air = air_kept(scene, eye, (offset / length)[None], np.array([length]))
    return float(luminance(air)[0])


def seen_through(
    rays: RayScene,
    level: Level,
    scene: LitScene,
    start: Floats,
    end: Floats,
    samples: int = 256,
    bounces: int = 2,
    follows: dict[str, str] | None = None,
    scatterings: int = 1,
) -> AirReading:
    """Read a line from a start (3,) to an end (3,) [m]. Raises ValueProblem where they are one."""
    offset = np.asarray(end, dtype=np.float64) - start
    length = float(np.linalg.norm(offset))
    if not length >= SHORTEST_M:
        raise ValueProblem("the line has no length", "--through", "a place other than --at")
    direction = offset / length
    eye = (float(start[0]), float(start[1]), float(start[2]))
    camera = Camera(eye, (0.0, 0.0, -1.0))
    reference = Reference(rays, level, scene, camera, (1, 1), bounces, follows, scatterings=scatterings)
    distance, air, light = reference.along(start, direction, length, samples)
    selected = np.ones(3)
    if scene.air is not None:
        selected = air_kept(scene, start, direction[None], np.array([distance]))[0]
    spread = float(luminance(light).std(ddof=1)) if samples > 1 else float("inf")
    return AirReading(
        distance,
        selected,
        air.mean(axis=0, dtype=np.float64),
        light.mean(axis=0, dtype=np.float64),
        spread / samples**0.5,
        float(luminance(selected[None])[0]),
    )


@dataclass(frozen=True)
class MeanWithError:
    """A mean of samples and its standard error [lx]."""

    mean_lx: float
    error_lx: float


def _mean(samples: Floats) -> MeanWithError:
    shown = luminance(samples.astype(np.float64))
    spread = float(shown.std(ddof=1)) if len(shown) > 1 else 0.0
    return MeanWithError(float(shown.mean()), spread / len(shown) ** 0.5)


def returned_illuminance(
    rays: RayScene,
    level: Level,
    scene: LitScene,
    at: Floats,
    facing: Floats,
    samples: int,
    follows: dict[str, str] | None = None,
) -> tuple[MeanWithError, MeanWithError, dict[str, float]]:
    """Illuminance of a small surface at `at` (3,) [m] that faces `facing` (3,), by light that comes back from
    other surfaces, and by what they glow, all and by the name of the material [lx]."""
    camera = Camera((0.0, 0.0, 0.0), (0.0, 0.0, -1.0))
    reference = Reference(rays, level, scene, camera, (1, 1), BOUNCES, follows)
    back, glow, material = reference.arriving(at, facing, samples)
    shone = luminance(glow.astype(np.float64))
    by_name: dict[str, float] = {}
    for number in np.unique(material[shone > 0.0]).tolist():
        name = level.materials[number].name
        by_name[name] = by_name.get(name, 0.0) + float(shone[material == number].sum()) / samples
    return _mean(back), _mean(glow), by_name
