"""The ways of showing light from all around, by their price and held against rays."""

from collections.abc import Callable, Iterator
from dataclasses import dataclass, replace
from typing import Final

import numpy as np
from numpy.typing import NDArray

from wallum.document.indirect import with_indirect
from wallum.document.look import INDIRECT, Indirect
from wallum.document.project import Project
from wallum.frame.pass_work import Boxes, PassWork
from wallum.judge.cost import frame_cost
from wallum.judge.device import DeviceProfile
from wallum.judge.shaft_methods import MEASURED, looked_along
from wallum.judge.work import count_work, with_baked
from wallum.level.model.model import Level
from wallum.moment.camera import Camera
from wallum.moment.evaluate import evaluate
from wallum.moment.moment import Moment
from wallum.moment.scene import LitScene
from wallum.physics.colour import luminance
from wallum.physics.medium import AIR_END_M
from wallum.transport.field.baked_light import BakedLight
from wallum.transport.field.bounce import Field
from wallum.transport.paths.reference import Reference
from wallum.transport.scene.rays import RayScene
from wallum.transport.scene.surfaces import SeenSurfaces

__all__ = [
    "DRAWN",
    "IndirectWay",
    "Surroundings",
    "bare",
    "of_ways",
    "stops_off",
    "surface_truth",
    "ways_of",
]

# Pictures are drawn at this size, and compared by blocks: what both are the mean over is the same.
DRAWN: Final = (480, 270)
BLOCKS: Final = (48, 27)
# Paths of each pixel of the reference, of MEASURED, and bounces.
PATHS, BOUNCES = 48, 4
# What a probe's light takes: eight half floats.
LIGHT_BYTES: Final = 16
# Of that, what it sees of the sky.
SKY_BYTES: Final = 8
# What is darker than this share of the median is left out: it does not show.
MIN_SHARE: Final = 1.0 / 64.0


@dataclass(frozen=True)
class IndirectWay:
    """One way: the project that shows it, and what is to be said of it.

    ms : of a frame on the target with it, less with none; megabytes : that it holds there
    off : median of how far the picture's surfaces are from paths [stops]; None: not known yet
    """

    way: Indirect
    project: Project
    ms: float
    megabytes: float
    off: float | None = None


@dataclass(frozen=True)
class Surroundings:
    """What the ways are compared on: a project at a moment, a camera, a target, what is held of the level."""

    project: Project
    moment: Moment
    level: Level
    rays: RayScene
    camera: Camera
    boxes: Boxes
    seen: SeenSurfaces
    profile: DeviceProfile
    field: Field | None
    baked: BakedLight | None


def ways_of(baked: BakedLight | None) -> tuple[Indirect, ...]:
    """The ways that there are, from the truest on: lightmaps where light was baked of the level as it is."""
    return tuple(item for item in INDIRECT if item != "lightmaps" or baked is not None)


def held_bytes(surroundings: Surroundings, way: Indirect) -> int:
    """What a way holds of the level [bytes]."""
    built, baked = surroundings.field, surroundings.baked
    if way == "lightmaps" and baked is not None:
        return baked.held_bytes
    if built is None or way not in ("probes", "sky alone"):
        return 0
    current = sum(item.nbytes for item in (built.probes.cells, built.probes.planes, built.probes.links))
    return current + (LIGHT_BYTES if way == "probes" else SKY_BYTES) * len(built.probes)


def bare(scene: LitScene) -> LitScene:
    """A scene with nothing before its surfaces."""
    return replace(scene, air=None, cards=(), screen=None)


def of_ways(surroundings: Surroundings) -> Iterator[IndirectWay]:
    """Each way with its price."""
    smallest = _ms(surroundings, with_indirect(surroundings.project, "none"))
    for way in ways_of(surroundings.baked):
        project = with_indirect(surroundings.project, way)
        current = held_bytes(surroundings, way) / 2**20
        yield IndirectWay(way, project, _ms(surroundings, project) - smallest, current)


def _ms(surroundings: Surroundings, project: Project) -> float:
    target, scene = project.target, evaluate(project, surroundings.moment)
    size = (target.width, target.height)
    asked = PassWork(surroundings.boxes, scene, surroundings.seen, surroundings.camera, size)
    asked = with_baked(asked, surroundings.baked)
    return frame_cost(count_work(asked), target, surroundings.profile).frame_ms


def surface_truth(
    surroundings: Surroundings, keep_going: Callable[[], bool] = lambda: True
) -> NDArray[np.float64]:
    """(B,) luminance of BLOCKS by paths [cd/m2], without air; 0 where there is not all surface."""
    scene, camera = bare(evaluate(surroundings.project, surroundings.moment)), surroundings.camera
    follows = surroundings.project.follows
    reference = Reference(surroundings.rays, surroundings.level, scene, camera, MEASURED, BOUNCES, follows)
    reference.aim_by(surroundings.field)
    while reference.samples < PATHS and keep_going():
        reference.step(keep_going)
    seen = looked_along(surroundings.rays, camera).lengths < AIR_END_M
    solid = _blocks(seen.astype(np.float64).reshape(MEASURED[1], MEASURED[0])) > 0.99
    return np.where(solid, _blocks(luminance(reference.luminance)), 0.0)


def _blocks(picture: NDArray[np.float64]) -> NDArray[np.float64]:
    """(B,) means of BLOCKS of a picture (H, W)."""
    columns, rows = BLOCKS
    height, width = picture.shape
    return np.asarray(
        picture.reshape(rows, height // rows, columns, width // columns).mean(axis=(1, 3)).ravel()
    )


def stops_off(picture: NDArray[np.float64], truth: NDArray[np.float64]) -> float:
    """Median of how far a picture of DRAWN pixels, luminance (H, W), is from the truth (B,), where that
    shows [stops]."""
    shown = truth > 0.0
    if not shown.any():
        return 0.0
    shown &= truth > MIN_SHARE * float(np.median(truth[shown]))
    floor = 1e-3 * float(np.median(truth[shown]))
    light = _blocks(picture)
    return float(np.median(np.abs(np.log2(np.maximum(light[shown], floor) / truth[shown]))))
