"""The demo's own figures: its picture, how soon it is lit, and the reference picture of it."""

import time
from collections.abc import Iterator
from dataclasses import replace

import numpy as np
from numpy.typing import NDArray

from wallum.document.project import Project
from wallum.document.sources import PocketSource
from wallum.figures import Row, percentile
from wallum.level.model.flatten import flatten
from wallum.level.opening import lit_level, lit_project, open_project
from wallum.moment.camera import Camera, far_for
from wallum.moment.evaluate import evaluate
from wallum.moment.lamps import Lamps
from wallum.moment.moment import Moment
from wallum.realtime.process.offline import renderer_for
from wallum.realtime.process.request import Frame, PictureRequest
from wallum.realtime.renderer import Renderer
from wallum.transport.paths.reference import Reference
from wallum.transport.scene.rays import RayScene, rays_asked
from wallum_dev.speed.bounce import bounce_rows
from wallum_dev.speed.raw_rays import raw_rate
from wallum_dev.tours.tour import open_desk, wait_for

__all__ = ["works_rows"]

DEMO = "demo:kilnworks"
SIZE, TRACED = (960, 540), (480, 270)
RUNS, STILLS, PATHS = 9, 25, 16
SHED, LAMPS, POCKETS, BEHIND = "shot-shed", 8, 50, 200


def works_rows() -> Iterator[Row]:
    """Every row of the demo."""
    yield _first_picture()
    project, file = open_project(DEMO)
    project, level = lit_project(project, file)
    rays = RayScene(level, flatten(level))
    renderer = renderer_for(project, level)
    far = far_for(level.bounds)
    yard = Camera.of_shot(project.shots[1], SIZE[0] / SIZE[1], far)
    # At dusk all lamps are on while the sun is still there: as much as can be at once.
    scene = replace(evaluate(project, Moment(18.3)), sun=evaluate(project, Moment(17.0)).sun)
    times = []
    for run in range(RUNS + 1):
        request = PictureRequest(run, scene, yard, SIZE)
        renderer.engine.forget_light()
        start = time.perf_counter()
        for _ in renderer.draw(request):
            pass
        out = np.zeros((SIZE[1], SIZE[0], 4), np.uint8)
        renderer.read_into(request, 0, out)
        times.append((time.perf_counter() - start) * 1e3)
    casting = int(scene.lamps.casting.sum())
    details = {"lamps": len(scene.lamps.ids), "of them shadowed": casting}
    name = "the demo's yard, still, surfaces kept, unsettled, 960x540"
    yield Row(name, percentile(times[1:], 0.5), "ms", 110.0, details=details)
    yield from _air_rows(project, renderer, far)
    yield from bounce_rows(project, level, rays, renderer, yard, SIZE)
    yield from _traced_rows(rays)


def _first_picture() -> Row:
    """From the window's making to its first lit picture, the level being cached."""
    open_project(DEMO)
    lit_level(*open_project(DEMO))
    start = time.perf_counter()
    came: list[Frame] = []
    with open_desk(DEMO) as window:
        window.link.frame_came.connect(lambda frame, _: came.append(frame))
        wait_for(lambda: bool(came), "the first picture")
        seconds = time.perf_counter() - start
    return Row("the demo's first lit picture, level cached", seconds, "s", 4.0)


def _stills_ms(renderer: Renderer, requests: list[PictureRequest]) -> NDArray[np.float64]:
    """(runs, pictures) what pictures lit anew take, drawn in turns so that all meet the same minutes [ms]."""
    times: list[list[float]] = [[] for _ in requests]
    out = np.zeros((SIZE[1], SIZE[0], 4), np.uint8)
    for _ in range(STILLS + 1):
        for request, own in zip(requests, times, strict=True):
            for _ in range(2):  # the first brings back what the picture before it has taken the place of
                renderer.engine.forget_light()
                start = time.perf_counter()
                for _ in renderer.draw(request):
                    pass
                renderer.read_into(request, 0, out)
                last = (time.perf_counter() - start) * 1e3
            own.append(last)
    return np.array(times)[:, 1:].T


def _with_lamps_behind(lamps: Lamps, camera: Camera) -> Lamps:
    """Lamps and BEHIND more that stand far behind a camera."""
    rows = np.repeat(lamps.rows[:1], BEHIND)
    away = np.arange(BEHIND)[:, None] * np.array([0.3, 0.0, 0.2]) - np.array(camera.direction) * 120.0
    rows["position"] = np.array(camera.eye) + away
    rows["range"], rows["shadow"] = 6.0, 0.0
    ids = (*lamps.ids, *(f"behind-{n}" for n in range(BEHIND)))
    return Lamps(ids, np.concatenate([lamps.rows, rows]))


def _air_rows(project: Project, renderer: Renderer, far: float) -> Iterator[Row]:
    """What the air costs: true shafts in the shed, and fifty pockets more."""
    shed = Camera.of_shot(next(shot for shot in project.shots if shot.id == SHED), SIZE[0] / SIZE[1], far)
    plain = project.revised(sources=tuple(source for source in project.sources if source.kind != "pocket"))
    by_day, night = evaluate(plain, Moment(10.0)), evaluate(plain, Moment(21.0)).lamps
    first = np.arange(len(night.ids)) < LAMPS
    lit = replace(by_day, lamps=night.only(first))
    assert lit.air is not None
    pockets = tuple(
        PocketSource(id=f"p{n}", name=f"P {n}", position=(8.0 + n % 10, 0.5 + n // 10 * 0.7, -9.0 + n % 7),
                     size=(2.0, 1.5, 2.0), visibility=20.0, noise=0.5)
        for n in range(POCKETS)
    )  # fmt: skip
    many = evaluate(plain.revised(sources=(*plain.sources, *pockets)), Moment(10.0)).air
    aside = replace(lit, lamps=_with_lamps_behind(lit.lamps, shed))
    scenes = [replace(lit, air=None), lit, replace(lit, air=many), aside]
    requests = [PictureRequest(n, scene, shed, SIZE) for n, scene in enumerate(scenes)]
    without, shafts, pocketed, more = _stills_ms(renderer, requests).T
    name = f"what true shafts of sun and {LAMPS} lamps add to the shed's still, 960x540"
    # Turn by turn: what else the machine does comes and goes more slowly than that.
    added, by_pockets, by_lamps = (
        float(np.median(item)) for item in (shafts - without, pocketed - shafts, more - shafts)
    )
    yield Row(name, added, "ms", 25.0, details={"without": round(float(np.median(without)), 1)})
    yield Row(f"what {POCKETS} pockets of air add to that", by_pockets, "ms", 10.0)
    yield Row(f"what {BEHIND} lamps that do not reach the view add to that", by_lamps, "ms", 3.0)


def _traced_rows(rays: RayScene) -> Iterator[Row]:
    project, file = open_project(DEMO)
    level = lit_level(project, file)
    shot = next(item for item in project.shots if item.id == "shot-kiln")
    camera = Camera.of_shot(shot, TRACED[0] / TRACED[1], far_for(level.bounds))
    reference = Reference(rays, level, evaluate(project), camera, TRACED, 2, project.follows)
    raw, own, seconds = [], [], 0.0
    while reference.samples < PATHS:
        # In turns: the pace of a shared machine changes from second to second.
        raw.append(raw_rate(rays))
        before, start = rays_asked(), time.perf_counter()
        reference.step()
        passed = time.perf_counter() - start
        seconds += passed
        own.append((rays_asked() - before) / passed)
    rate = percentile(own, 0.5)
    yield Row(
        "the reference picture 480x270, 16 paths a pixel, 2 bounces",
        seconds,
        "s",
        20.0,
        details={"rays a second": f"{rate / 1e6:.2f} M", "noise": f"{reference.noise:.1%}"},
    )
    unused = 100.0 * (1.0 - percentile([mine / its for mine, its in zip(own, raw, strict=True)], 0.5))
    limit = percentile(raw, 0.5) / 1e6
    yield Row("what of Embree's own rate it leaves unused", unused, "%", 60.0, limit, "raw M rays/s")
