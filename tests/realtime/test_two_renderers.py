"""Renderers in one process do not draw with each other's buffers."""

import numpy as np

from wallum.level.demos.pale_room import pale_room, pale_room_project
from wallum.level.model.generated_sheets import rolling_sheets
from wallum.moment.camera import Camera
from wallum.moment.evaluate import evaluate
from wallum.realtime.level.bundling import bundle_level
from wallum.realtime.process.request import PictureRequest
from wallum.realtime.renderer import Renderer

CAMERA = Camera((-2.4, 1.6, 3.6), (0.4178, -0.1592, -0.8945), 60.0, 16 / 9, far=50.0)
REQUEST = PictureRequest(0, evaluate(pale_room_project()), CAMERA, (96, 54))


def drawn(renderer):
    renderer.engine.forget()
    for _ in renderer.draw(REQUEST):
        pass
    return renderer.luminance(REQUEST, settled=False)


def test_another_renderer_changes_nothing_of_the_first():
    first = Renderer()
    first.set_level(bundle_level(pale_room()))
    before = drawn(first)
    second = Renderer()
    second.set_level(bundle_level(rolling_sheets(2, 30)))
    other = drawn(second)
    assert np.array_equal(drawn(first), before)
    assert not np.array_equal(other, before)
    assert np.array_equal(drawn(second), other)
