"""Haze in a hall that is lit from one end: as paths have it, looked at against the light and with it."""

from dataclasses import replace

import numpy as np
import pytest
from level_shapes import field_of, glowing_room

from wallum.document.look import Look
from wallum.document.project import Project
from wallum.level.model.model import Material
from wallum.moment.camera import Camera
from wallum.moment.evaluate import evaluate
from wallum.physics.colour import luminance
from wallum.physics.medium import AirLayer, Medium
from wallum.realtime.level.bundling import bundle_level
from wallum.realtime.process.offline import relit
from wallum.realtime.process.request import PictureRequest
from wallum.transport.field.bounce import BounceField
from wallum.transport.paths.reference import Reference

SIZE = (96, 54)
BLACK = Material("black", (0.0, 0.0, 0.0, 1.0), 0.0, 1.0, reflectance=0.0)


def _hall():
    """A black room of which one wall, -z, glows."""
    colours = np.zeros((5, 3))
    colours[3] = 400.0
    return glowing_room(BLACK, colours)


@pytest.mark.parametrize("forwardness", [0.0, 0.65])
def test_haze_against_the_light_and_with_it_is_as_paths_have_it(renderer, forwardness):
    """On black walls only haze is seen. Were its light from all around, that against the light would be less
    than half of it, and that with it twice too much."""
    level = _hall()
    rays, built = field_of(level)
    renderer.set_level(bundle_level(level))
    scene = evaluate(Project(sources=(), look=Look(ev100=3.0)))
    scene = replace(scene, air=Medium((AirLayer(0.02, 50.0, 1000.0, (0.95, 0.95, 0.95), forwardness),)))
    relit(renderer, BounceField.of(rays, level, built, {}), scene)
    against = Camera((2.0, 1.5, 4.9), (0.0, 0.45, -1.0), 40.0, SIZE[0] / SIZE[1], far=60.0)
    along = Camera((2.0, 1.5, 0.1), (0.0, 0.2, 1.0), 40.0, SIZE[0] / SIZE[1], far=60.0)
    for camera in (against, along):
        request = PictureRequest(1, scene, camera, SIZE)
        for _ in renderer.draw(request):
            pass
        shown = luminance(renderer.luminance(request, False).astype(float))
        reference = Reference(rays, level, scene, camera, SIZE, 2, {})
        for _ in range(48):
            reference.step()
        truth = luminance(reference.luminance)
        black = truth < 40.0
        assert black.mean() > 0.3
        assert shown[black].mean() == pytest.approx(truth[black].mean(), rel=0.2)
