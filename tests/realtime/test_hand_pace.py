"""A source that is moved is shown small where whole pictures come too slowly; its strength never is."""

from dataclasses import replace

import numpy as np
import pytest
from lit_ground import CAMERA, POINT, SIZE, SPOT, SUN, bundle

from wallum.document.look import Look
from wallum.document.project import Project
from wallum.frame.passes.light import LIGHT_ADDED, LIGHT_OF_OTHERS
from wallum.frame.record import PassRecord
from wallum.moment.evaluate import evaluate
from wallum.realtime.passes.interaction import pace as paces
from wallum.realtime.passes.interaction.hand_light import hand_request
from wallum.realtime.passes.interaction.pace import HandPace
from wallum.realtime.process.precompile import LARGE, precompile
from wallum.realtime.process.request import PictureRequest


def asked(point, held=True):
    scene = evaluate(Project(sources=(SUN, SPOT, point), look=Look(ev100=6.0)))
    return PictureRequest(1, scene, CAMERA, SIZE, active=frozenset({"point"} if held else ()))


def at(x):
    return POINT.revised(position=(x, 1.5, 1.0))


@pytest.fixture
def draw(renderer, monkeypatch):
    renderer.set_level(bundle())
    monkeypatch.setattr(renderer.engine, "_hand_pace", HandPace())
    monkeypatch.setattr(paces, "HAND_SLOW_MS", 0.0)  # as on a machine where every picture is slow

    def shown(request):
        for _ in renderer.draw(request):
            pass
        out = np.zeros((SIZE[1], SIZE[0], 4), np.uint8)
        frame = renderer.read_into(request, 0, out)
        return renderer.luminance(request, settled=False).astype(np.float64), frame

    return shown


def test_a_moved_source_is_shown_small_from_its_second_move_on_and_whole_at_rest(draw):
    draw(asked(at(-1.5), held=False))
    sizes = [draw(asked(at(-1.4 + 0.1 * step)))[1].size for step in range(4)]
    assert sizes[0] == SIZE
    assert all(size[0] < SIZE[0] for size in sizes[1:])
    light, frame = draw(asked(at(-1.1), held=False))
    assert (frame.size, frame.detail) == (SIZE, "full")
    again, _ = draw(replace(asked(at(-1.1), held=False), number=2))
    assert np.array_equal(light, again)
    assert draw(asked(at(-1.0)))[1].size[0] < SIZE[0]  # by now it is known to be slow


def test_strength_stays_whole_though_another_source_was_chosen_just_before(draw):
    """What is chosen is told with every picture, for views that show something of it."""
    draw(asked(at(-1.4)))
    assert draw(asked(at(-0.9)))[1].detail == "reduced"  # it is known to be slow
    draw(replace(asked(at(-0.9), held=False), view_of="spot"))
    stronger = asked(at(-0.9).revised(intensity=500.0))
    assert draw(replace(stronger, view_of="point"))[1].size == SIZE


def test_under_another_look_it_is_the_same_small_picture(draw, renderer):
    draw(asked(at(-1.4)))
    request = asked(at(-0.9))
    _, frame = draw(request)
    assert frame.size[0] < SIZE[0]
    out = np.zeros((SIZE[1], SIZE[0], 4), np.uint8)
    brighter = replace(request.scene, look=replace(request.scene.look, ev100=5.0))
    assert renderer.read_into(replace(request, scene=brighter), 0, out).size == frame.size


def test_programs_are_compiled_whatever_a_hand_does_meanwhile(draw, renderer):
    """Also with a window that is larger than the pictures they are compiled by."""
    wide = (LARGE[0] + 64, LARGE[1] + 36)
    for number, _ in enumerate(precompile(renderer)):
        for _ in renderer.draw(replace(asked(at(-1.5), held=False), size=wide, number=number)):
            pass


def test_small_it_is_the_whole_picture_in_few_pixels(draw):
    draw(asked(at(-1.4)))
    light, frame = draw(asked(at(-0.9)))
    assert frame.detail == "reduced"
    whole, _ = draw(asked(at(-0.9), held=False))
    few, same = (
        item[np.ix_(*(np.linspace(0, n - 1, 27).round().astype(int) for n in item.shape[:2]))]
        for item in (light, whole)
    )
    seen = same > 0.0  # what lies behind all surfaces is black
    assert seen.mean() > 0.3
    assert np.median(np.abs(few[seen] / same[seen] - 1.0)) < 0.03


def test_a_strength_that_is_dragged_after_a_place_is_whole_and_exact(draw):
    draw(asked(at(-1.4)))
    draw(asked(at(-0.9)))
    for strength in (500.0, 520.0, 800.0):
        light, frame = draw(asked(at(-0.9).revised(intensity=strength)))
        assert (frame.size, frame.detail) == (SIZE, "full")
    truth, _ = draw(asked(at(-0.9).revised(intensity=800.0), held=False))
    assert np.allclose(light, truth, rtol=4e-3, atol=1e-5)


@pytest.mark.shipped_pace
def test_what_is_done_once_for_all_moves_makes_no_hand_slow():
    assert 30.0 <= paces.HAND_SLOW_MS <= 100.0  # as shipped: a hand feels a tenth of a second
    pace = HandPace()

    def small(request):
        return pace.small(request, hand_request(request))

    assert not small(asked(at(-1.5), held=False))
    assert not small(asked(at(-1.4)))
    pace.note([PassRecord(LIGHT_OF_OTHERS.name, 500.0), PassRecord(LIGHT_ADDED.name, 30.0)])
    assert not small(asked(at(-1.3)))
    pace.note([PassRecord(LIGHT_ADDED.name, 90.0)])
    brighter = at(-1.3).revised(intensity=410.0)
    assert not small(asked(brighter))  # moved no further: its strength alone
    assert small(asked(at(-1.2)))
    assert small(asked(at(-1.2)))  # other light has come meanwhile
    assert not small(asked(at(-1.2).revised(intensity=410.0)))
    assert not small(asked(at(-1.2), held=False))
    assert not small(asked(brighter.revised(position=(-1.2, 1.5, 1.0))))  # another drag, of its strength
    assert not small(asked(at(-1.2), held=False))
    assert small(asked(at(-1.1)))  # and one of its place
