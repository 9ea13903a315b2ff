"""Settled light is developed by any look and at any exposure, as if it had been settled for that."""

from dataclasses import replace

import numpy as np
import pytest

from wallum.document.paths import put
from wallum.level.demos.pale_room import pale_room_project
from wallum.moment.camera import Camera
from wallum.moment.evaluate import evaluate
from wallum.realtime.level.bundling import bundle_level
from wallum.realtime.process.precompile import LARGE, precompile
from wallum.realtime.process.request import PictureRequest
from wallum.realtime.renderer import Renderer

SIZE, PICTURES = (160, 90), 5
CAMERA = Camera((-2.4, 1.6, 3.6), (0.4178, -0.1592, -0.8945), 60.0, 16 / 9, far=50.0)


@pytest.fixture(scope="module")
def renderer(room):
    built = Renderer()
    built.set_level(bundle_level(room))
    return built


def of(**look):
    project = pale_room_project()
    for name, value in look.items():
        project = put(project, f"look/{name}", value)
    return PictureRequest(0, evaluate(project), CAMERA, SIZE)


def developed(renderer, request):
    out = np.zeros((SIZE[1], SIZE[0], 4), np.uint8)
    renderer.read_into(request, renderer.settler.count, out)
    return out.astype(int)


@pytest.mark.parametrize("look", [{"contrast": 1.4}, {"bloom": 0.2}, {"ev100": 6.5}, {"exposed": "metered"}])
def test_it_is_as_if_settled_for_that_look(renderer, look):
    renderer.settler.forget()
    renderer.settle(of(), PICTURES)
    assert renderer.settler.shows(of(**look))
    selected = developed(renderer, of(**look))
    neutral = developed(renderer, of())
    renderer.settler.forget()
    renderer.settle(of(**look), PICTURES)
    anew = developed(renderer, of(**look))
    assert np.abs(anew - neutral).max() > 8
    # Held at another exposure, half floats step elsewhere.
    assert np.abs(selected - anew).max() <= (2 if "ev100" in look else 0)


@pytest.mark.parametrize(
    "request_",
    [
        PictureRequest(0, of().scene, CAMERA, (150, 90)),
        PictureRequest(0, of().scene, CAMERA, SIZE, view="direct"),
        PictureRequest(0, of().scene, CAMERA, SIZE, detail="reduced"),
        PictureRequest(0, of().scene, CAMERA, SIZE, most=4),
        PictureRequest(0, of().scene.only("lamp"), CAMERA, SIZE),
    ],
    ids=["size", "view", "detail", "pictures", "sources"],
)
def test_of_anything_else_it_is_not(renderer, request_):
    renderer.settler.forget()
    renderer.settle(of(), 1)
    assert renderer.settler.shows(of())
    assert not renderer.settler.shows(request_)


def test_it_goes_on_where_it_was_left_and_starts_over_where_held_otherwise(renderer):
    renderer.settler.forget()
    renderer.settle(of(), 2)
    renderer.settler.stop()
    renderer.settler.begin(of(contrast=1.2))
    assert renderer.settler.count == 2
    renderer.settler.begin(of(ev100=9.0))
    assert renderer.settler.count == 0


def test_a_picture_that_stays_as_it_is_delivered_is_drawn(renderer):
    renderer.settler.forget()
    renderer.settle(of(), 2)
    assert renderer.settled_for(of(contrast=1.2)) == 2
    assert renderer.settled_for(replace(of(contrast=1.2), delivered=True, edges="filter")) == 0
    several = replace(of(), most=2, delivered=True)
    renderer.settler.forget()
    renderer.settle(several, 2)
    assert renderer.settled_for(several) == 2


def test_light_that_comes_makes_it_useless(renderer):
    renderer.settle(of(), 2)
    renderer.set_baked(None)
    assert not renderer.settler.shows(of())


def test_a_window_of_another_size_may_ask_while_programs_are_compiled(room):
    """What is compiled for is drawn anew where a picture of the desk came between."""
    renderer = Renderer()
    renderer.set_level(bundle_level(room))
    size = (LARGE[0] + 40, LARGE[1] + 30)
    asked = PictureRequest(0, of().scene, CAMERA, size)
    out = np.zeros((size[1], size[0], 4), np.uint8)
    for _ in precompile(renderer, lambda: asked):
        if not renderer.settler.count:
            continue  # nothing that is drawn before is developed later
        for _ in renderer.draw(asked):
            pass
        renderer.read_into(asked, 0, out)
    assert out[..., :3].std() > 5
    assert not renderer.settler.shows(asked)
