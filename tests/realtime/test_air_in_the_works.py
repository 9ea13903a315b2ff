"""The lit air of whole scenes against rays: the demo's shed by day, its yard by night, a fogged corridor."""

from dataclasses import replace

import numpy as np
import pytest
from level_shapes import corridor, grey_level
from scipy.ndimage import uniform_filter

from wallum.document.look import Look
from wallum.document.project import Project
from wallum.document.sources import SpotSource
from wallum.judge.shaft_methods import MEASURED, looked_along
from wallum.level.model.flatten import flatten
from wallum.level.model.solids import box
from wallum.level.opening import lit_project, open_project
from wallum.moment.camera import Camera, far_for
from wallum.moment.evaluate import evaluate
from wallum.moment.moment import Moment
from wallum.physics.colour import luminance
from wallum.physics.medium import AirLayer, Medium
from wallum.realtime.level.bundling import bundle_level
from wallum.realtime.process.offline import relit
from wallum.realtime.process.request import PictureRequest
from wallum.transport.field.bounce import BounceField
from wallum.transport.field.field_cache import kept_field
from wallum.transport.paths.air_lit import air_light
from wallum.transport.paths.through import seen_through
from wallum.transport.scene.rays import RayScene

TURNS, SETTLED, BLUR, PATHS = 24, 24, 5, 2000


@pytest.fixture(scope="module")
def works():
    """The demo, its rays, and its probes."""
    project, file = open_project("demo:kilnworks")
    project, level = lit_project(project, file)
    rays = RayScene(level, flatten(level))
    return project, level, rays, kept_field(rays, level, level.bounds, file, ())


def _settled(renderer, scene, camera):
    """(H, W) luminance that the air adds in a settled picture, at MEASURED places."""
    width, height = MEASURED
    request = PictureRequest(1, scene, camera, (2 * width, 2 * height), view="air")
    for _ in renderer.draw(request):
        pass
    renderer.settle(request, SETTLED)
    seen = luminance(renderer.luminance(request, True))
    return seen.reshape(height, 2, width, 2).mean(axis=(1, 3))


def air_off(renderer, rays, scene, camera, turns=TURNS, of=None):
    """(N,) how far the air of a settled picture lies from that by rays (of another scene where one is given),
    over that, where there is any."""
    directions = looked_along(rays, camera)
    truth = luminance(air_light(rays, of or scene, directions, turns, np.random.default_rng(4)))
    truth = truth.reshape(MEASURED[::-1])
    seen = _settled(renderer, scene, camera)
    seen, truth = uniform_filter(seen, BLUR), uniform_filter(truth, BLUR)
    some = truth > 0.05 * np.quantile(truth, 0.9)
    return (np.abs(seen - truth) / np.maximum(truth, 1e-12))[some]


def _off_paths(renderer, works, scene, camera):
    """(N,) the same against whole paths, which surfaces give light to as well, at some places."""
    project, level, rays, _ = works
    width, height = MEASURED
    seen, eye, off = _settled(renderer, scene, camera), np.array(camera.eye), []
    for y in range(6, height, 14):
        for x in range(6, width, 17):
            at = np.array([(x + 0.5) / width]), np.array([(y + 0.5) / height])
            end = eye + camera.rays(*at)[0].astype(float) * 300.0
            truth = seen_through(rays, level, scene, eye, end, PATHS, bounces=6, follows=project.follows)
            here = seen[y - 1 : y + 2, x - 1 : x + 2].mean()
            off.append(abs(here / luminance(truth.scattered[None])[0] - 1.0))
    return np.array(off)


@pytest.mark.parametrize(("shot", "clock"), [("shot-shed", 10.0), ("shot-yard", 21.5)])
def test_the_works_have_the_air_that_rays_say(renderer, works, shot, clock):
    project, level, rays, built = works
    renderer.set_level(bundle_level(level, follows=project.follows))
    bounce = BounceField.of(rays, level, built, project.follows)
    chosen = next(item for item in project.shots if item.id == shot)
    camera = Camera.of_shot(chosen, MEASURED[0] / MEASURED[1], far_for(level.bounds))
    # What glows is small and bright: paths through the air meet it too seldom to be a measure.
    scene = replace(evaluate(project, Moment(clock)), cards=(), screen=None, glow_gain=0.0)
    relit(renderer, bounce, scene)
    assert np.median(_off_paths(renderer, works, scene, camera)) < 0.1


def test_a_fogged_corridor_has_the_air_that_rays_say(renderer):
    """Spots along its ceiling, some behind pillars."""
    pillars = (box((-1.4, 0.0, z), (-1.0, 3.0, z + 0.4), 0) for z in (-3.0, -8.0))
    level = grey_level(*corridor(), *pillars)
    rays = RayScene(level, flatten(level))
    lamps = tuple(
        SpotSource(
            id=f"s{n}", name=f"Spot {n}", position=(0.4 - 0.8 * (n % 2), 2.9, -1.5 - 3.5 * n), direction=(0.2, -1.0, 0.1),
            inner=20.0, outer=42.0, intensity=200.0, range=9.0, shadow=True,
        )
        for n in range(4)
    )  # fmt: skip
    scene = evaluate(Project(sources=lamps, look=Look(ev100=3.0)))
    scene = replace(scene, air=Medium((AirLayer(0.12, 5.0, 100.0, (0.92, 0.92, 0.92), 0.4),), reach=30.0))
    renderer.set_level(bundle_level(level))
    camera = Camera((0.0, 1.6, 5.0), (0.0, 0.0, -1.0), 60.0, MEASURED[0] / MEASURED[1], far=60.0)
    assert np.median(air_off(renderer, rays, scene, camera)) < 0.1
