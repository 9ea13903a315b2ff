"""Surfaces in the real-time picture send back what they get: a white box in even light."""

from dataclasses import replace

import numpy as np
import pytest
from level_shapes import level_of

from wallum.document.look import Look
from wallum.document.project import Project, base_light
from wallum.level.model.model import Material
from wallum.level.model.solids import box
from wallum.moment.camera import Camera
from wallum.moment.evaluate import evaluate
from wallum.physics.colour import luminance
from wallum.realtime.level.bundling import bundle_level
from wallum.realtime.process.request import PictureRequest

CAMERA = Camera((0.0, 0.4, 2.2), (0.0, -0.18, -1.0), 40.0, 1.0, far=50.0)
EVEN = 200.0


@pytest.fixture(scope="module")
def even_scene():
    project = Project(sources=(base_light()[2].revised(model="plain", stars=0.0),), look=Look(ev100=9.0))
    scene = evaluate(project)
    sky = replace(
        scene.sky,
        luminance=np.full_like(scene.sky.luminance, EVEN),
        ground=np.full(3, EVEN),
        discs=(),
        key=(-8.0,),  # by which a dome is known: this one is another
    )
    return replace(scene, sky=sky, air=None)


@pytest.mark.parametrize("roughness", [0.05, 0.4, 0.7, 1.0])
@pytest.mark.parametrize("metallic", [0.0, 0.5, 1.0])
def test_a_white_box_in_even_light_is_as_bright_as_that(renderer, even_scene, metallic, roughness):
    white = Material("white", (1.0,) * 4, metallic, roughness)
    renderer.set_level(bundle_level(level_of(box((-0.5, -0.5, -0.5), (0.5, 0.5, 0.5), 0), white)))
    request = PictureRequest(1, even_scene, CAMERA, (60, 60))
    for _ in renderer.draw(request):
        pass
    seen = luminance(renderer.luminance(request, settled=False))[16:48, 20:44] / EVEN
    assert 0.96 <= seen.min() <= seen.max() <= 1.01


@pytest.mark.parametrize("roughness", [0.05, 0.5, 1.0])
@pytest.mark.parametrize("reflectance", [0.0, 0.02, 0.1, 0.5])
def test_whatever_its_gloss_reflects_the_rest_is_sent_back_from_below(
    renderer, even_scene, reflectance, roughness
):
    white = Material("white", (1.0,) * 4, 0.0, roughness, reflectance=reflectance)
    renderer.set_level(bundle_level(level_of(box((-0.5, -0.5, -0.5), (0.5, 0.5, 0.5), 0), white)))
    request = PictureRequest(1, even_scene, CAMERA, (60, 60))
    for _ in renderer.draw(request):
        pass
    seen = luminance(renderer.luminance(request, settled=False))[16:48, 20:44] / EVEN
    assert 0.96 <= seen.min() <= seen.max() <= 1.02
