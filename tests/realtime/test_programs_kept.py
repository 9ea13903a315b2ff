"""Programs are kept while a level needs them, and no longer."""

import numpy as np

from wallum.document.sources import PointSource
from wallum.level.demos.pale_room import pale_room, pale_room_project
from wallum.moment.camera import Camera
from wallum.moment.evaluate import evaluate
from wallum.realtime.level.bundling import bundle_level
from wallum.realtime.process.request import PictureRequest
from wallum.realtime.renderer import Renderer

CAMERA = Camera((-2.4, 1.6, 3.6), (0.4178, -0.1592, -0.8945), 60.0, 16 / 9, far=50.0)


def bundles():
    """A level, and the same with a surface whose glow follows a lamp, which needs other programs."""
    level = pale_room()
    lamp = next(source for source in pale_room_project().sources if isinstance(source, PointSource))
    return bundle_level(level), bundle_level(level, None, {level.parts[0].id: lamp.id})


def drawn(renderer, bundle):
    """The picture of a level shown anew, once what it does not need was let go of."""
    request = PictureRequest(0, evaluate(pale_room_project()), CAMERA, (96, 54))
    renderer.set_level(bundle)
    for _ in range(2):
        for _ in renderer.draw(request):
            pass
        renderer.forget_unused()
    return renderer.luminance(request, settled=False), len(renderer.engine.programs)


def test_after_another_level_the_first_takes_as_many_programs_and_looks_the_same():
    renderer, (plain, following) = Renderer(), bundles()
    before, count = drawn(renderer, plain)
    _, others = drawn(renderer, following)
    after, again = drawn(renderer, plain)
    assert again == count
    assert np.array_equal(before, after)
    # Programs with what follows came in the place of those without, and did not stay beside them.
    assert others == count


def test_without_letting_go_programs_gather():
    """What is let go of is there to be let go of."""
    renderer, (plain, following) = Renderer(), bundles()
    request = PictureRequest(0, evaluate(pale_room_project()), CAMERA, (96, 54))
    counts = []
    for level in (plain, following, plain):
        renderer.set_level(level)
        for _ in renderer.draw(request):
            pass
        counts.append(len(renderer.engine.programs))
    assert counts[2] > counts[0]
    renderer.forget_unused()
    assert len(renderer.engine.programs) <= counts[0]
