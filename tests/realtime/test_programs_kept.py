"""Programs are kept while a level needs them, and no longer."""

from dataclasses import replace

import numpy as np

from wallum.level.pale_room import pale_room, pale_room_project
from wallum.moment.camera import Camera
from wallum.moment.evaluate import evaluate
from wallum.realtime.bundling import bundle_level
from wallum.realtime.renderer import Renderer
from wallum.realtime.request import PictureRequest

CAMERA = Camera((-2.4, 1.6, 3.6), (0.4178, -0.1592, -0.8945), 60.0, 16 / 9, far=50.0)


def glowing(level):
    """The level with surfaces that glow, which need programs of their own."""
    first, *others = level.materials
    return replace(level, materials=(replace(first, emissive=(1.0,) * 3, emissive_strength=9.0), *others))


def drawn(renderer, level):
    """The picture of a level shown anew, once what it does not need was let go of."""
    request = PictureRequest(0, evaluate(pale_room_project()), CAMERA, (96, 54))
    renderer.set_level(bundle_level(level))
    for _ in range(2):
        for _ in renderer.draw(request):
            pass
        renderer.forget_unused()
    return renderer.luminance(request, settled=False), len(renderer.engine.programs)


def test_after_another_level_the_first_takes_as_many_programs_and_looks_the_same():
    renderer, plain = Renderer(), pale_room()
    before, count = drawn(renderer, plain)
    _, with_glow = drawn(renderer, glowing(plain))
    after, again = drawn(renderer, plain)
    assert again == count
    assert np.array_equal(before, after)
    # Programs for glow came in the place of those without it, and did not stay beside them.
    assert with_glow < 2 * count


def test_without_letting_go_programs_gather():
    """What is let go of is there to be let go of."""
    renderer, plain = Renderer(), pale_room()
    request = PictureRequest(0, evaluate(pale_room_project()), CAMERA, (96, 54))
    counts = []
    for level in (plain, glowing(plain), plain):
        renderer.set_level(bundle_level(level))
        for _ in renderer.draw(request):
            pass
        counts.append(len(renderer.engine.programs))
    assert counts[2] > counts[0]
    renderer.forget_unused()
    assert len(renderer.engine.programs) <= counts[0]
