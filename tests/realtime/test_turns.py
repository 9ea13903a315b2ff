"""While a hand makes the air thicker or thinner, what that changes little takes turns; nothing waits at rest."""

from dataclasses import replace

import numpy as np
import pytest
from lit_ground import CAMERA, POINT, SIZE, SPOT, SUN, bundle

from wallum.document.look import Look
from wallum.document.project import Project
from wallum.moment.evaluate import evaluate
from wallum.physics.colour import luminance
from wallum.physics.medium import AirLayer, Medium
from wallum.realtime.passes.air.air_values import thickened
from wallum.realtime.passes.indirect.probe_light import UNNOTICED, ProbeLight
from wallum.realtime.passes.interaction.amortised_passes import TAKING_TURNS, AmortisedPasses
from wallum.realtime.passes.interaction.pace import Pace
from wallum.realtime.process.request import PictureRequest

EXACT_WITHIN = 2e-3


def air_of(visibility, **more):
    project = Project()
    return project.air.revised(on=True, visibility=visibility, base_height=50.0, **more)


def asked(air, *sources, **more):
    sources = sources or (SUN, SPOT, POINT)
    scene = evaluate(Project(sources=sources, look=Look(ev100=6.0), air=air))
    request = PictureRequest(1, scene, CAMERA, SIZE, detail="reduced")
    return replace(request, **more)


class OnePace(Pace):
    """Moving pictures of one size, however long they take."""

    def note(self, ms):
        pass


@pytest.fixture(scope="module")
def shown(renderer):
    own, renderer.engine._pace = renderer.engine._pace, OnePace()
    renderer.set_level(bundle())

    def draw(request, anew=False):
        """(H, W, 3) luminance of a picture; anew: as if none had been before."""
        if anew:
            renderer.engine.forget()
            renderer.engine._turns = AmortisedPasses()
        for _ in renderer.draw(request):
            pass
        return renderer.luminance(request, settled=False).astype(np.float64)

    yield draw
    renderer.engine._pace = own


def drawn(renderer):
    """Names of the passes of the last picture that were drawn as wholes."""
    return {record.name for record in renderer.engine.log.records if record.work.get("places", 1) > 0}


def test_pictures_of_air_alone_draw_one_part_each_and_all_parts_in_a_few(renderer, shown):
    shown(asked(air_of(220.0)), anew=True)
    for step in range(4):
        shown(asked(air_of(216.0 - 4.0 * step)))
    parts = []
    for step in range(8):
        shown(asked(air_of(196.0 - 4.0 * step)))
        parts.append(drawn(renderer) & TAKING_TURNS)
    assert all(len(part) <= 1 for part in parts)
    assert {"air light", "light"} <= set().union(*parts[:4])
    assert parts[:4] == parts[4:]


def test_what_is_shown_meanwhile_is_near_the_truth_and_at_rest_is_it(shown):
    visibilities = np.geomspace(400.0, 60.0, 40)  # in less than two seconds of a hand
    for visibility in visibilities:
        turning = shown(asked(air_of(float(visibility))))
    truth = shown(asked(air_of(60.0)), anew=True)
    off = np.abs(luminance(turning) / luminance(truth) - 1.0)
    assert np.median(off) < 0.03
    assert np.quantile(off, 0.95) < 0.12
    without_air = shown(asked(air_of(4e5)), anew=True)
    assert np.median(np.abs(luminance(without_air) / luminance(truth) - 1.0)) > 0.2  # it is no small change
    for visibility in visibilities:
        shown(asked(air_of(float(visibility))))
    full = asked(air_of(60.0), detail="full")
    rest = shown(full)
    assert np.allclose(rest, shown(full, anew=True), rtol=EXACT_WITHIN)


def test_air_that_stands_at_other_heights_or_has_another_colour_follows_too(shown):
    for step in range(24):
        air = air_of(150.0, scale_height=40.0 + 0.2 * step, colour=(0.96, 0.9 - 0.01 * step, 0.8))
        air = air.revised(base_height=-4.0 + 0.05 * step)
        turning = shown(asked(air))
    truth = shown(asked(air), anew=True)
    off = np.abs(turning / truth - 1.0)
    assert np.median(off) < 0.02
    assert np.quantile(off, 0.95) < 0.1


def test_air_that_scatters_otherwise_or_shines_is_lit_anew_each_time(renderer, shown):
    for change in ({"forwardness": 0.3}, {"own_light": 2.0}):
        shown(asked(air_of(100.0)), anew=True)
        for step in range(3):
            air = air_of(99.0 - step, **{name: value + 0.01 * step for name, value in change.items()})
            shown(asked(air))
            assert "air light" in drawn(renderer)


@pytest.mark.parametrize(
    "other",
    [
        {"sources": (SUN, SPOT.revised(intensity=2000.0), POINT)},
        {"sources": (SUN.revised(azimuth=151.0), SPOT, POINT)},
        {"camera": replace(CAMERA, eye=(0.1, 1.8, 9.0))},
        {"size": (160, 90)},
        {"view": "grey"},
    ],
)
def test_where_anything_else_changes_nothing_waits(shown, other):
    sources = other.pop("sources", ())
    shown(asked(air_of(100.0)), anew=True)
    shown(asked(air_of(98.0)))
    request = asked(air_of(96.0), *sources, **other)
    turning = shown(request)
    assert np.allclose(turning, shown(request, anew=True), rtol=EXACT_WITHIN)


def test_whole_pictures_and_pictures_of_the_same_air_take_no_turns():
    turns = AmortisedPasses()
    item, two = asked(air_of(100.0)), asked(air_of(90.0))
    assert turns.waiting(item) == frozenset()
    assert turns.waiting(item) == frozenset()
    assert turns.waiting(two) < TAKING_TURNS
    assert turns.waiting(replace(item, detail="full")) == frozenset()
    assert turns.waiting(item) == frozenset()  # the one before was no moving picture
    brighter = replace(two.scene, look=replace(two.scene.look, ev100=15.0))
    assert turns.waiting(replace(two, scene=brighter)) == frozenset()  # light is held with another exposure
    no_air = replace(item.scene, air=None)
    assert turns.waiting(replace(item, scene=no_air)) == frozenset()


def test_what_only_thickens_is_told_from_what_scatters_otherwise():
    layer = AirLayer(0.01, 100.0, 5.0, (0.9, 0.9, 0.9), 0.6)
    was = Medium((layer,))
    assert thickened(was, Medium((replace(layer, extinction=0.02, base_height=1.0, albedo=(0.5, 0.6, 0.7)),)))
    assert thickened(was, Medium((layer,), clear_to=3.0))
    assert not thickened(was, Medium((replace(layer, forwardness=0.5),)))
    assert not thickened(was, Medium((replace(layer, own=(0.1, 0.1, 0.1)),)))
    assert not thickened(was, Medium((layer, layer)))
    assert not thickened(was, Medium((layer,), reach=30.0))


def test_a_change_is_unnoticed_by_what_it_is_of_all_light():
    class Probes:
        places = np.zeros((4, 3))

    probes = ProbeLight.__new__(ProbeLight)
    probes._set, probes._means = Probes(), {}
    probes.units = {
        "lamp": np.full((6, 3), 10.0, np.float16),
        "moon": np.full((6, 3), 1.0, np.float16),
    }

    def key(lamp, moon, version=1):
        return (1, 1.0), (("lamp", version, lamp, lamp, lamp), ("moon", 1, moon, moon, moon))

    current = key(1.0, 0.1)  # of the lamp 10, of the moon 0.1
    assert probes.unnoticed(current, key(1.0, 0.14))
    assert not probes.unnoticed(current, key(1.0, 0.2))
    assert probes.unnoticed(current, key(1.0 + 0.9 * UNNOTICED, 0.1))
    assert not probes.unnoticed(current, key(1.0 + 1.2 * UNNOTICED, 0.1))
    assert not probes.unnoticed(current, key(1.0, 0.1, version=2))
    assert not probes.unnoticed(current, ((2, 1.0), current[1]))
    probes.units = {**probes.units, "moon": np.full((6, 3), 100.0, np.float16)}  # light that has come
    assert not probes.unnoticed(current, key(1.0, 0.14))
