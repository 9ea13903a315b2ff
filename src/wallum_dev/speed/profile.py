"""A device profile of this machine: passes of our own scenes measured, coefficients fitted.

Every pass of a picture is timed for scenes of several sizes, levels and numbers of lamps; the times
are then sums of counts, each with a coefficient of 0 or more (Lawson, Hanson 1974), such that the sum
of errors is least and a scene that was disturbed weighs little (Huber 1981). Every fifth scene is left
out of the fit and says how well it foretells.
"""

import datetime as dt
from collections.abc import Callable, Iterator
from dataclasses import dataclass, replace
from typing import Any, Final

import numpy as np
from numpy.typing import NDArray
from scipy.optimize import nnls

from wallum.document.paths import put
from wallum.document.picture_values import effect_of
from wallum.document.project import Project
from wallum.document.sources import SkySource
from wallum.frame.order import COUNTS
from wallum.frame.pass_work import Boxes, PassWork
from wallum.judge.device import DeviceProfile
from wallum.judge.work import Work, count_work
from wallum.level.model.flatten import flatten
from wallum.level.model.model import Level
from wallum.level.opening import lit_level, open_project
from wallum.moment.camera import Camera, far_for
from wallum.moment.evaluate import evaluate
from wallum.moment.lamps import Lamps
from wallum.moment.moment import Moment
from wallum.moment.scene import LitScene
from wallum.physics.gobo import PATTERNS
from wallum.realtime.level.bundling import bundle_level
from wallum.realtime.process.offline import relit
from wallum.realtime.process.request import PictureRequest
from wallum.realtime.renderer import Renderer
from wallum.transport.field.field_cache import kept_bounce
from wallum.transport.scene.rays import RayScene
from wallum.transport.scene.surfaces import seen_surfaces

__all__ = ["Measured", "driver_name", "fit_profile", "measure_scenes", "median_error", "split"]

SIZES: Final = ((480, 270), (720, 405), (960, 540))
LAMPS: Final = (0, 6, 40)
RUNS: Final = 4
# What else the machine does only makes a run longer: this share of them is taken for undisturbed.
UNDISTURBED: Final = 0.25
# Scenes come in twelves, a shot each: with every fifth, each kind is fitted and each is left out.
LEFT_OUT: Final = 5
ROUNDS, SMALLEST_ERROR = 6, 0.02
CLOUDS: Final = {"high cloud": {"cloud": 0.5}, "deck": {"deck": 0.6}}
COARSE: Final = (160, 90)


@dataclass(frozen=True)
class Measured:
    """One scene: what it has to do, and the times of its passes [ms]."""

    name: str
    work: Work
    ms: dict[str, float]

    @property
    def total(self) -> float:
        return sum(self.ms[name] for name in self.work.passes if name in self.ms)


# One value of each kind of work that developing has.
LOOKS: Final[dict[str, object]] = {"vignette": 1.0, "bloom": 0.1, "saturation": 1.1}


def _some_lamps(scene: LitScene, count: int) -> LitScene:
    keep = np.arange(len(scene.lamps.ids)) < count
    return replace(scene, lamps=Lamps(scene.lamps.ids[:count], scene.lamps.rows[keep]))


def _patterned(scene: LitScene) -> LitScene:
    """With leaves before all lamps that have a cone."""
    rows = scene.lamps.rows.copy()
    coned = rows["cos_outer"] > 0.0
    rows["gobo"][coned] = float(PATTERNS.index("leaves"))
    rows["gobo_open"], rows["gobo_soft"] = 0.5, 0.1
    rows["gobo_across"] = np.cross(rows["direction"], (0.1, 1.0, 0.2))
    return replace(scene, lamps=Lamps(scene.lamps.ids, rows))


def _timed(renderer: Renderer, request: PictureRequest) -> dict[str, float]:
    """Times of the passes of a picture for which nothing was kept, undisturbed [ms]."""
    runs: list[dict[str, float]] = []
    for _ in range(RUNS + 1):
        renderer.engine.forget()
        for _ in renderer.draw(request):
            pass
        out = np.zeros((request.size[1], request.size[0], 4), np.uint8)
        records = renderer.read_into(request, 0, out).passes
        total: dict[str, float] = {}
        for record in records:
            total[record.name] = total.get(record.name, 0.0) + record.ms
        runs.append(total)
    return {
        name: float(np.quantile([run.get(name, 0.0) for run in runs[1:]], UNDISTURBED)) for name in runs[-1]
    }


def _scenes(project: Project, level: Level) -> Iterator[tuple[str, Camera, LitScene]]:
    far = far_for(level.bounds)
    for shot in project.shots[:3]:
        for hour in (12.0, 21.0):
            scene = evaluate(project, Moment(hour))
            for count in LAMPS:
                lit = _some_lamps(scene, count)
                if hour == 12.0:
                    by_night = evaluate(project, Moment(21.0)).lamps
                    lit = _some_lamps(replace(scene, lamps=by_night), count)
                yield (
                    f"{project.name}, {shot.name}, {hour:g} h, {count} lamps",
                    Camera.of_shot(shot, 1.0, far),
                    lit,
                )
        patterned = _patterned(evaluate(project, Moment(21.0)))
        yield f"{project.name}, {shot.name}, gobos", Camera.of_shot(shot, 1.0, far), patterned
        plain = project.revised(look=project.look.only(""), lanes=())
        for path, value in LOOKS.items():
            looked = put(plain, f"look/{path}", value)
            looked = looked.revised(look=looked.look.revised(**{str(effect_of(path)): True}))
            scene = evaluate(looked, Moment(12.0))
            yield f"{project.name}, {shot.name}, {path}", Camera.of_shot(shot, 1.0, far), scene
        for name, cloud in CLOUDS.items():
            sky = next((source for source in project.resolved_sources if isinstance(source, SkySource)), None)
            if sky is not None:
                clouded = evaluate(project.with_source(sky.revised(**cloud)), Moment(12.0))
                yield f"{project.name}, {shot.name}, {name}", Camera.of_shot(shot, 1.0, far), clouded


def measure_scenes(progress: Callable[[str], None]) -> list[Measured]:
    """Every scene of ours, measured in this process."""
    out = []
    number = 0
    for reference in ("demo:kilnworks", "demo:jar-yard"):
        project, file = open_project(reference)
        level = lit_level(project, file)
        flat = flatten(level)
        rays, bundle = RayScene(level, flat), bundle_level(level, flat)
        renderer = Renderer()
        renderer.set_level(bundle)
        bounce = kept_bounce(rays, level, file, project)
        boxes = Boxes(*bundle.boxes)
        for name, camera, scene in _scenes(project, level):
            size = SIZES[(number + number // len(LAMPS)) % len(SIZES)]
            number += 1
            camera = camera.with_aspect(size[0] / size[1])
            if bounce is not None:
                relit(renderer, bounce, scene)
            seen = seen_surfaces(rays, level, camera, COARSE)
            ms = _timed(renderer, PictureRequest(1, scene, camera, size))
            asked = PassWork(boxes, scene, seen, camera, size, bounce is not None)
            out.append(Measured(name, count_work(asked), ms))
            progress(f"{name}, {size[0]}x{size[1]}: {out[-1].total:.0f} ms")
    return out


def _table(scenes: list[Measured], name: str) -> tuple[NDArray[np.float64], NDArray[np.float64]]:
    """Counts (N, K) and times (N,) of a pass, of the scenes that have it."""
    current = [scene for scene in scenes if name in scene.work.passes and scene.ms.get(name, 0.0) > 0.0]
    rows = [[item.work.passes[name].get(count, 0.0) for count in COUNTS[name]] for item in current]
    return np.array(rows).reshape(-1, len(COUNTS[name])), np.array([item.ms[name] for item in current])


def fit_profile(scenes: list[Measured], name: str, origin: str) -> DeviceProfile:
    """Coefficients that make the least error, as a share of each time."""
    coefficients: dict[str, dict[str, float]] = {}
    for pass_name, counts in COUNTS.items():
        table, times = _table(scenes, pass_name)
        if not len(times):
            coefficients[pass_name] = dict.fromkeys(counts, 0.0)
            continue
        scale = np.maximum(table.max(axis=0), 1e-30)
        least_errors = _least_errors(table / scale / times[:, None])
        coefficients[pass_name] = {
            k: float(f"{v:.4g}") for k, v in zip(counts, least_errors / scale, strict=True)
        }
    return DeviceProfile(name, f"{origin}, {dt.date.today().isoformat()}", True, coefficients)


def _least_errors(shares: NDArray[np.float64]) -> NDArray[np.float64]:
    """(K,) the factors that bring sums of shares (N, K) next to 1, by least absolute errors."""
    weights = np.ones(len(shares))
    result = np.zeros(shares.shape[1])
    for _ in range(ROUNDS):
        result, _ = nnls(shares * weights[:, None], weights)
        weights = 1.0 / np.sqrt(np.maximum(np.abs(shares @ result - 1.0), SMALLEST_ERROR))
    return np.asarray(result)


def median_error(profile: DeviceProfile, scenes: list[Measured]) -> float:
    """Median of the share by which foretold times are off."""
    errors: list[Any] = []
    for scene in scenes:
        foretold = sum(profile.pass_ms(name, counts) for name, counts in scene.work.passes.items())
        errors.append(abs(foretold / scene.total - 1.0))
    return float(np.median(errors))


def driver_name() -> str:
    """What draws here, in the driver's own words."""
    return str(Renderer().engine.context.info["GL_RENDERER"])


def split(scenes: list[Measured]) -> tuple[list[Measured], list[Measured]]:
    """Scenes to fit by, and every fifth, to be foretold."""
    fitted = [scene for i, scene in enumerate(scenes) if i % LEFT_OUT != LEFT_OUT - 1]
    return fitted, [scene for i, scene in enumerate(scenes) if i % LEFT_OUT == LEFT_OUT - 1]
