"""Speed of pictures in this process: still, settling, many lamps."""

import math
import time
from collections.abc import Iterator

import numpy as np

from wallum.document.project import Project
from wallum.document.sources import PointSource
from wallum.figures import Row, percentile
from wallum.frame.quality import HIGH
from wallum.level.demos.jar_yard import jar_yard, jar_yard_project
from wallum.level.model.model import Level
from wallum.moment.camera import Camera, far_for
from wallum.moment.evaluate import evaluate
from wallum.moment.view import in_view
from wallum.realtime.level.bundling import bundle_level
from wallum.realtime.process.request import PictureRequest
from wallum.realtime.renderer import Renderer
from wallum_dev.speed.limits import fill_ms

__all__ = ["picture_rows"]

SIZE = (960, 540)
RUNS = 15


def _drain(renderer: Renderer, request: PictureRequest) -> float:
    """Light, develop and read back one unsettled picture [ms]."""
    renderer.engine.forget_light()
    out = np.empty((SIZE[1], SIZE[0], 4), np.uint8)
    start = time.perf_counter()
    for _ in renderer.draw(request):
        pass
    renderer.read_into(request, 0, out)
    return (time.perf_counter() - start) * 1e3


def _camera(project: Project, level: Level) -> Camera:
    return Camera.of_shot(project.shots[0], SIZE[0] / SIZE[1], far_for(level.bounds))


def _settle_times(renderer: Renderer, request: PictureRequest) -> list[float]:
    out = np.empty((SIZE[1], SIZE[0], 4), np.uint8)
    renderer.settler.forget()
    renderer.settler.begin(request)
    times = []
    for count in range(HIGH.settled):
        start = time.perf_counter()
        for _ in renderer.refine():
            pass
        if renderer.settler.worth_showing:
            renderer.read_into(request, count + 1, out)
        times.append((time.perf_counter() - start) * 1e3)
    return times


def _crowd(project: Project, camera: Camera, count: int) -> Project:
    """The project with `count` more lamps behind the camera, out of the picture's reach."""
    behind = -np.array(camera.direction)
    right = camera.rotation()[0]
    lamps = []
    for i in range(count):
        at = np.array(camera.eye) + behind * (12.0 + 0.05 * i) + right * math.sin(i) * 8.0
        x, y, z = (float(part) for part in at)
        lamps.append(
            PointSource(id=f"crowd-{i}", name=f"Crowd {i}", position=(x, y, z), range=5.0, intensity=50.0)
        )
    return project.revised(sources=(*project.sources, *lamps))


def _near_lamps(project: Project, camera: Camera, count: int) -> Project:
    """The project with exactly `count` more lamps before the camera."""
    ahead = np.array(camera.direction)
    right = camera.rotation()[0]
    lamps = []
    for i in range(count):
        at = np.array(camera.eye) + ahead * (6.0 + i) + right * (i % 3 - 1.0) * 2.0
        lamps.append(
            PointSource(
                id=f"near-{i}",
                name=f"Near {i}",
                position=(float(at[0]), 1.0, float(at[2])),
                range=3.0,
                intensity=40.0,
            )
        )
    return project.revised(sources=(*project.sources, *lamps))


def _fifty(project: Project, camera: Camera) -> Project:
    """A project of which exactly 50 lamps reach the picture."""
    scene = evaluate(project)
    seen = int(in_view(scene.lamps, camera).sum())
    return _near_lamps(project, camera, 50 - seen)


def picture_rows() -> Iterator[Row]:
    """Measure; the level is drawn by an engine in this process, so that nothing else counts."""
    project, level = jar_yard_project(), jar_yard()
    renderer = Renderer()
    renderer.set_level(bundle_level(level))
    camera = _camera(project, level)
    request = PictureRequest(1, evaluate(project), camera, SIZE)
    fill = fill_ms(renderer.engine.context, SIZE)
    scene = f"{level.triangle_count:,} triangles, {len(request.scene.lamps.ids)} lamps, 8 spots with shadows"
    for _ in range(2):
        _drain(renderer, request)
    still = [_drain(renderer, request) for _ in range(RUNS)]
    yield Row(
        "still picture, surfaces kept, unsettled, 960x540",
        percentile(still, 0.5),
        "ms",
        100.0,
        fill,
        "one plain pass",
        {"scene": scene},
    )
    times = _settle_times(renderer, request)
    yield Row(
        "a settling picture",
        percentile(times[1:], 0.5),
        "ms",
        140.0,
        fill,
        "one plain pass",
        {
            "pictures": HIGH.settled,
            "95th": round(percentile(times[1:], 0.95)),
            "first": round(times[0]),
            "whole_s": round(sum(times) / 1e3, 1),
        },
    )
    alone = _fifty(project, camera)
    crowd = _crowd(alone, camera, 1000 - len(evaluate(alone).lamps.ids))
    few, many = (PictureRequest(1, evaluate(p), camera, SIZE) for p in (alone, crowd))
    for item in (few, many):
        _drain(renderer, item)
    # In turn, so that a change of the machine's pace falls on both.
    pairs = [(_drain(renderer, few), _drain(renderer, many)) for _ in range(RUNS)]
    ratio = percentile([b / a for a, b in pairs], 0.5)
    yield Row(
        "1,000 lamps, 50 in the picture, against those 50 alone",
        ratio,
        "x",
        1.5,
        None,
        "",
        {"alone_ms": round(percentile([a for a, _ in pairs], 0.5), 1), "lamps": len(many.scene.lamps.ids)},
    )
