"""How far a look moves a picture is said in stops, differences of colour and what it clips."""

import numpy as np
import pytest

from wallum.document.look import Look
from wallum.document.own_looks import OWN_LOOKS, effects_of, own_look, taken
from wallum.document.picture_values import EFFECTS
from wallum.image.apart import look_apart
from wallum.image.chain import displayed
from wallum.moment.looks import shown_look
from wallum.physics.colour import luminance
from wallum.physics.exposure import MID_GREY


@pytest.fixture
def values(rng):
    return MID_GREY * 2.0 ** rng.normal(0.0, 1.5, (40, 60, 1)) * rng.uniform(0.7, 1.3, (40, 60, 3))


def test_no_look_moves_nothing(values):
    result = look_apart(values, shown_look(Look(ev100=3.0)))
    assert (result.stops, result.delta_e, result.clipped) == (0.0, 0.0, (0.0, 0.0, 0.0))
    assert result.loud() == ()


def test_brighter_by_a_stop_on_a_straight_curve_is_a_stop():
    dim = np.random.default_rng(3).uniform(0.01, 0.2, (40, 60, 3))
    twice = shown_look(Look(curve="linear", slope=(2.0, 2.0, 2.0)))
    both = (
        shown_look(Look(curve="linear", slope=(2.0, 2.0, 2.0), ev100=1.0)),
        shown_look(Look(curve="linear")),
    )
    a, b = (displayed(dim, item) for item in both)
    assert np.median(np.log2(luminance(a) / luminance(b))) == pytest.approx(1.0, abs=1e-6)
    assert look_apart(dim, twice).stops == pytest.approx(
        np.median(
            np.abs(np.log2((luminance(a) + 1e-4) / (luminance(displayed(dim, shown_look(Look()))) + 1e-4)))
        )
    )
    red = look_apart(dim, shown_look(Look(slope=(1.0, 1.0, 0.4))))
    assert red.delta_e > 5.0


def test_what_is_loud_is_named(values):
    loud = look_apart(values, shown_look(Look(contrast=3.0, slope=(4.0, 1.0, 1.0)))).loud()
    assert any("clips" in item for item in loud)
    assert any("stops" in item or "delta E" in item for item in loud)


@pytest.mark.parametrize("name", OWN_LOOKS)
def test_looks_of_our_own_are_heard_and_not_loud(values, name):
    result = look_apart(values, shown_look(own_look(name)))
    assert result.delta_e > 0.5
    assert result.loud() == ()


def test_a_look_is_taken_in_part_and_exposure_stays():
    base = Look(ev100=4.0, contrast=1.3, exposed="metered", dark_dusk=2.0)
    other = own_look("Moon and lamps").revised(ev100=9.0)
    some = taken(base, other, ("with_bloom", "with_night_eye"))
    assert (some.bloom, some.night_eye) == (other.bloom, other.night_eye)
    assert (some.ev100, some.contrast, some.exposed, some.dark_dusk) == (4.0, 1.3, "metered", 2.0)
    whole = taken(base, other)
    assert whole.contrast == other.contrast
    assert whole.ev100 == 4.0
    assert set(effects_of(other)) == {
        "with_bloom",
        "with_lens",
        "with_night_eye",
        "with_grade",
        "with_ranges",
    }
    assert effects_of(Look()) == ()
    assert {name for names in EFFECTS.values() for name in names} <= set(Look.model_fields)
