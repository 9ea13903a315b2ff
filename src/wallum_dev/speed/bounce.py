"""What light that comes back from surfaces costs: its field, its being lit anew, its place in the picture."""

import tempfile
import time
from collections.abc import Iterator
from dataclasses import replace
from pathlib import Path

import numpy as np

from wallum.document.project import Project
from wallum.figures import Row, percentile
from wallum.frame.passes.bounce import PROBE_LIGHT
from wallum.frame.passes.sky import SKY_VISIBILITY
from wallum.level.model.model import Level
from wallum.moment.bounce_gains import bounce_keys
from wallum.moment.camera import Camera
from wallum.moment.evaluate import evaluate
from wallum.moment.moment import Moment
from wallum.realtime.process.offline import relit
from wallum.realtime.process.request import PictureRequest
from wallum.realtime.renderer import Renderer
from wallum.transport.field.bounce import BOUNCES, BounceField, Field
from wallum.transport.field.field_cache import kept_field
from wallum.transport.field.make_field import make_field
from wallum.transport.scene.rays import RayScene, rays_asked
from wallum_dev.speed.raw_rays import raw_rate
from wallum_dev.speed.truth import truth_rows

__all__ = ["bounce_rows"]

RUNS = 9
UNDISTURBED = 0.25
# What the look-up of the grid of the sky took that probes replaced, see docs/details/bounce.md.
SKY_GRID_MS = 31.0


def bounce_rows(
    project: Project, level: Level, rays: RayScene, renderer: Renderer, yard: Camera, size: tuple[int, int]
) -> Iterator[Row]:
    """Every row of it."""
    with tempfile.TemporaryDirectory() as folder:
        file = Path(folder) / "demo.wallum"
        start = time.perf_counter()
        *_, built = make_field(rays, level, level.bounds)  # one that is kept anywhere must not be found
        took = time.perf_counter() - start
        assert isinstance(built, Field)
        count = len(built.probes)
        details = {"probes": count, "cells": f"{built.probes.step:.2f} m"}
        yield Row("the demo's probes placed, and what they see found", took, "s", 20.0, details=details)
        kept_field(rays, level, level.bounds, file, ())
        start = time.perf_counter()
        kept_field(rays, level, level.bounds, file, ())
        yield Row("the same from the cache", time.perf_counter() - start, "s", 0.5)
    bounce = BounceField.of(rays, level, built, project.follows)
    scene = evaluate(project, Moment(10.0))
    for _ in bounce.relight(scene):
        pass
    yield _sun_moved(project, bounce, raw_rate(rays))
    yield from _in_the_picture(renderer, bounce, PictureRequest(0, scene, yard, size))
    current = sum(item.nbytes for item in (built.seen.others.data, built.seen.others.indices, built.seen.sky))
    current += sum(unit.light.nbytes for unit in bounce.units.values())
    current += sum(getattr(built.probes, name).nbytes for name in vars(built.probes) if name != "step")
    yield Row("memory of the demo's probes, their light by source in it", current / 2**20, "MB", 200.0)
    yield from truth_rows(project, level, rays, built)


def _sun_moved(project: Project, bounce: BounceField, raw: float) -> Row:
    """Light of the sun alone worked out for other places of it: shadow rays and all bounces.
    raw : rays a second that Embree answers alone"""
    times, asked = [], 0
    for run in range(RUNS):
        scene = evaluate(project, Moment(10.0 + 0.25 * (run + 1)))
        assert scene.sun is not None
        alone = replace(scene, sky=None, lamps=scene.lamps.only(np.zeros(len(scene.lamps.ids), bool)))
        assert list(bounce_keys(alone)) == [scene.sun.id]
        before, start = rays_asked(), time.perf_counter()
        for _ in bounce.relight(alone):
            pass
        times.append((time.perf_counter() - start) * 1e3)
        asked = rays_asked() - before
    name = f"light from surfaces after the sun has moved, {len(bounce.made.probes):,} probes"
    took = percentile(times, 0.5)
    # What each bounce would be, were rays sent for it.
    relit = asked + bounce.made.seen.others.nnz * BOUNCES
    rate = f"{relit / took * 1e3 / raw:.0f} times"
    return Row(name, took, "ms", 300.0, details={"rays": asked, "of raw Embree's rate": rate})


def _in_the_picture(renderer: Renderer, bounce: BounceField, request: PictureRequest) -> Iterator[Row]:
    """What light from surfaces adds to a still with its surfaces and probes kept, and looked up anew."""
    out = np.zeros((request.size[1], request.size[0], 4), np.uint8)

    def once(anew: bool) -> float:
        if anew:
            for item in (PROBE_LIGHT, SKY_VISIBILITY):
                renderer.engine.still.keys.pop(item.name, None)
        renderer.engine.forget_light()
        start = time.perf_counter()
        for _ in renderer.draw(request):
            pass
        renderer.read_into(request, 0, out)
        return (time.perf_counter() - start) * 1e3

    times: dict[tuple[bool, bool], list[float]] = {(a, b): [] for a in (False, True) for b in (False, True)}
    for _ in range(RUNS):
        for probes in (False, True):
            if probes:
                relit(renderer, bounce, request.scene)
            else:
                renderer.set_probes(None)
            once(anew=True)
            for anew in (False, True):
                times[probes, anew].append(once(anew))
    renderer.set_probes(None)
    ms = {key: percentile(own, UNDISTURBED) for key, own in times.items()}
    for anew, words in ((False, "kept as looked up"), (True, "looked up anew")):
        asked = 10.0 + (SKY_GRID_MS if anew else 0.0)
        name = f"what light from surfaces adds to the yard's still, {words}, 960x540"
        without = round(ms[False, anew], 1)
        yield Row(name, ms[True, anew] - ms[False, anew], "ms", asked, details={"without": without})
