"""Shadows of clouds on a level: the picture, the meter and rays agree from place to place."""

from dataclasses import replace

import numpy as np
import pytest
from test_day_pictures import DESERT, draw, yard

from wallum.document.look import Look
from wallum.document.project import Project, base_light
from wallum.level.model.flatten import flatten
from wallum.moment.camera import Camera
from wallum.moment.evaluate import evaluate
from wallum.moment.moment import Moment
from wallum.physics.cloud_shadow import ShadowMap
from wallum.physics.colour import luminance
from wallum.realtime.level.bundling import bundle_level
from wallum.realtime.process.request import PictureRequest
from wallum.realtime.renderer import Renderer
from wallum.transport.direct.meter import direct_illuminance
from wallum.transport.paths.reference import Reference
from wallum.transport.scene.rays import RayScene

SIZE = (96, 54)
# Down on the open yard.
ABOVE = Camera((0.0, 600.0, 0.0), (0.0, -1.0, -0.001), 32.0, 16 / 9, far=3000.0)
CLOUDS = ({"cloud": 0.5, "cloud_size": 600.0}, {"deck": 0.5, "deck_size": 700.0})


@pytest.fixture(scope="module")
def renderer():
    built = Renderer()
    built.set_level(bundle_level(yard()))
    return built


def clouded(**values):
    sun, moon, sky = base_light()
    return Project(setting=DESERT, sources=(sun, moon, sky.revised(**values)), look=Look(ev100=13.0))


def in_sunlight(scene):
    """The scene in the sun alone, no shadows of the level."""
    return replace(scene, sky=None, sun=replace(scene.sun, shadow=False))


def seen_places():
    x, y = np.meshgrid((np.arange(SIZE[0]) + 0.5) / SIZE[0], (np.arange(SIZE[1]) + 0.5) / SIZE[1])
    d = ABOVE.rays(x.ravel(), y.ravel())
    return np.array(ABOVE.eye) + d * (-ABOVE.eye[1] / d[:, 1:2])


@pytest.mark.parametrize("values", CLOUDS)
def test_the_picture_shows_the_shadow_that_arrays_compute(renderer, values):
    scene = in_sunlight(evaluate(clouded(**values), Moment(10.0)))
    clear = replace(scene, sun=replace(scene.sun, illuminance=scene.sun.clouds[1], clouds=None))
    with_clouds, without = (
        luminance(draw(renderer, PictureRequest(1, item, ABOVE, SIZE))).ravel() for item in (scene, clear)
    )
    ground = without > 0.0
    shadow, places = scene.sun.clouds[0], seen_places()[ground]
    shown = with_clouds[ground] / without[ground]
    assert ground.sum() > 1000
    assert np.ptp(shown) > 0.15
    assert np.abs(shown - ShadowMap(shadow, np.array(yard().bounds)).left(places)).max() < 0.01
    assert np.median(np.abs(shown - shadow.left(places))) < 0.01


@pytest.mark.parametrize("values", CLOUDS)
def test_rays_and_the_meter_find_the_same_shadow(values):
    level = yard()
    rays = RayScene(level, flatten(level))
    scene = in_sunlight(evaluate(clouded(**values), Moment(10.0)))
    clear = replace(scene, sun=replace(scene.sun, illuminance=scene.sun.clouds[1], clouds=None))
    pictures = []
    for item in (scene, clear):
        reference = Reference(rays, level, item, ABOVE, SIZE, 0)
        reference.step()
        pictures.append(luminance(reference.luminance).ravel())
    ground = pictures[1] > 0.0
    left = scene.sun.clouds[0].left(seen_places())
    assert np.median(np.abs(pictures[0][ground] / pictures[1][ground] - left[ground])) < 0.01
    for index in np.flatnonzero(ground)[:: ground.sum() // 5]:
        place = tuple(seen_places()[index])
        metered = [
            sum(direct_illuminance(rays, item, place, (0.0, 1.0, 0.0), 8).by_source.values())
            for item in (scene, clear)
        ]
        assert metered[0] == pytest.approx(metered[1] * left[index], rel=0.02)


def test_a_cloud_may_be_told_to_cast_none():
    scene = evaluate(clouded(cloud=0.5, cloud_shadow=False), Moment(10.0))
    assert scene.sun.clouds is None


def test_the_light_of_a_sun_in_gaps_is_kept_where_the_middle_lies_in_shadow():
    """Hour by hour through a day of broken cloud: some place has light though the middle has none."""
    project = clouded(deck=0.6, deck_density=0.05, deck_speed=15.0)
    dark_middle = 0
    for hour in np.arange(9.0, 15.0, 0.25):
        sun = evaluate(project, Moment(hour)).sun
        assert sun is not None
        here, above = float(luminance(sun.at(np.zeros((1, 3))))[0]), float(luminance(sun.clouds[1]))
        dark_middle += here < 0.01 * above
        assert 0.0 < float(luminance(sun.illuminance)) < above
    assert dark_middle > 0
