"""Strength and colour under the hand: the picture between two is the one that would be drawn."""

from dataclasses import replace

import numpy as np
import pytest

from wallum.document.air import Air
from wallum.document.sources import PointSource, SpotSource
from wallum.level.demos.pale_room import pale_room, pale_room_project
from wallum.moment.camera import Camera
from wallum.moment.evaluate import evaluate
from wallum.realtime.level.bundling import bundle_level
from wallum.realtime.process.request import PictureRequest

SIZE = (160, 90)
CAMERA = Camera((2.4, 1.7, 3.4), (-0.55, -0.25, -0.8), 65.0, SIZE[0] / SIZE[1], far=60.0)
LAMPS = (
    PointSource(id="a", name="a", position=(0.5, 1.6, 0.2), intensity=40.0),
    SpotSource(id="b", name="b", position=(-0.5, 2.0, 1.0), direction=(0.2, -1.0, -0.4), intensity=300.0),
)
FOG = Air(on=True, visibility=30.0)


def _project(air=None, **of_a):
    project = pale_room_project()
    lamps = (LAMPS[0].revised(**of_a), LAMPS[1])
    project = project.revised(sources=(*project.sources, *lamps), look=project.look.revised(ev100=3.0))
    return project if air is None else project.revised(air=air)


def _drawn(renderer, project, active=("a",), camera=CAMERA):
    """A picture's light, and the passes that it took."""
    request = PictureRequest(1, evaluate(project), camera, SIZE, active=frozenset(active))
    for _ in renderer.draw(request):
        pass
    out = np.zeros((SIZE[1], SIZE[0], 4), np.uint8)
    frame = renderer.read_into(request, 0, out)
    return renderer.luminance(request, settled=False), {pass_.name for pass_ in frame.passes}, out


@pytest.fixture
def shown(renderer):
    renderer.set_level(bundle_level(pale_room()))
    return renderer


@pytest.mark.parametrize("air", [None, FOG], ids=["clear", "fog"])
@pytest.mark.parametrize(
    "change",
    [{"intensity": 55.0}, {"intensity": 0.5}, {"intensity": 300.0}, {"kelvin": 4000.0}, {"trim": -2.0}],
    ids=lambda item: "-".join(map(str, *item.items())),
)
def test_a_strength_is_shown_as_it_would_be_drawn(shown, air, change):
    whole = _drawn(shown, _project(air, **change), active=())[0]
    for strength in (40.0, 42.0):  # the second finds that strength alone has changed
        _drawn(shown, _project(air, intensity=strength))
    light, passes, _ = _drawn(shown, _project(air, **change))
    assert "light by its strength" in passes
    assert not passes & {"light", "light added", "air", "air light", "light of the others"}
    gain = max(change.get("intensity", 40.0) / 40.0, 1.0)
    steps = 2.0**-10 * (whole + 2.0 * gain * _drawn(shown, _project(air), active=())[0])  # of half floats
    assert (np.abs(light - whole) <= steps + 1e-3).mean() > 0.999
    assert np.median(np.abs(light - whole) / np.maximum(whole, 1e-6)) < 1e-3


def test_a_hand_that_holds_two_lamps_changes_both_alike(shown):
    def both(factor):
        project = _project(intensity=40.0 * factor)
        return project.with_source(LAMPS[1].revised(intensity=300.0 * factor))

    for factor in (1.0, 1.1):
        _drawn(shown, both(factor), ("a", "b"))
    light, passes, _ = _drawn(shown, both(2.0), ("a", "b"))
    assert "light by its strength" in passes
    np.testing.assert_allclose(light, _drawn(shown, both(2.0), ())[0], rtol=5e-3, atol=1e-2)
    # One of them alone is no common factor.
    light, passes, _ = _drawn(shown, _project(intensity=120.0), ("a", "b"))
    assert "light added" in passes


@pytest.mark.parametrize(
    ("change", "camera"),
    [
        ({"position": (0.6, 1.6, 0.2)}, CAMERA),
        ({"intensity": 4000.0}, CAMERA),  # too much for the steps of half floats
        ({"intensity": 50.0}, replace(CAMERA, fov=50.0)),
        ({"intensity": 50.0, "radius": 0.2}, CAMERA),
    ],
    ids=["place", "much", "camera", "size"],
)
def test_what_is_no_strength_is_drawn(shown, change, camera):
    for strength in (40.0, 42.0, 43.0):
        _drawn(shown, _project(intensity=strength))
    light, passes, _ = _drawn(shown, _project(**change), camera=camera)
    assert "light added" in passes
    whole = _drawn(shown, _project(**change), (), camera)[0]
    np.testing.assert_allclose(light, whole, rtol=5e-3, atol=1e-2)


def test_a_lamp_that_reaches_nothing_in_the_picture_costs_no_light(shown):
    for strength in (40.0, 42.0, 43.0):
        light, passes, _ = _drawn(shown, _project(FOG, intensity=strength, on=False))
    assert passes <= {"light by its strength", "develop", "meter", "read back"}
    np.testing.assert_allclose(light, _drawn(shown, _project(FOG, on=False), ())[0], rtol=2e-3)


def test_what_is_much_stronger_is_drawn_once_and_then_followed_again(shown):
    for strength in (2.0, 2.1, 2.2):
        _drawn(shown, _project(intensity=strength))
    assert "light added" in _drawn(shown, _project(intensity=80.0))[1]
    light, passes, _ = _drawn(shown, _project(intensity=90.0))
    assert "light by its strength" in passes
    assert "light added" not in passes
    np.testing.assert_allclose(light, _drawn(shown, _project(intensity=90.0), ())[0], rtol=5e-3, atol=1e-2)


def test_light_that_comes_meanwhile_is_in_the_picture(shown):
    for strength in (40.0, 42.0, 43.0):
        _drawn(shown, _project(intensity=strength))
    shown.set_probes(None)
    _, passes, _ = _drawn(shown, _project(intensity=44.0))
    assert "light added" in passes


def test_other_looks_are_no_other_light(shown):
    """A scene that is exposed otherwise holds its light otherwise, and is developed as it would be."""
    for strength in (40.0, 42.0):
        _drawn(shown, _project(intensity=strength))
    brighter = _project(intensity=60.0)
    brighter = brighter.revised(look=brighter.look.revised(ev100=-2.0))
    light, passes, out = _drawn(shown, brighter)
    assert "light by its strength" in passes
    whole, _, drawn = _drawn(shown, brighter, ())
    np.testing.assert_allclose(light, whole, rtol=5e-3, atol=1e-2)
    assert np.abs(out.astype(int) - drawn.astype(int)).max() <= 1
