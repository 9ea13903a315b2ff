"""Tone curves, grade and white balance, against what is published of them."""

import colorsys

import numpy as np
import pytest

from wallum.document.look import Look
from wallum.physics.colour import XYZ_TO_SRGB, light_colour, luminance
from wallum.physics.curves import Curve, filmic, neutral, reinhard
from wallum.physics.exposure import MID_GREY
from wallum.physics.grade import DecisionList, Grade, Ranges, balance_matrix, by_hue, neutral_for
from wallum.physics.tone import DEFAULT_CURVE

GREYS = np.repeat(np.geomspace(1e-3, 500.0, 200)[:, None], 3, axis=1)


def test_extended_reinhard_is_the_published_form():
    """Reinhard 2002, equation 4: x (1 + x / w2) / (1 + x); 1 at w, the plain one where w is endless."""
    assert reinhard(np.array(4.0), 4.0) == pytest.approx(1.0)
    assert reinhard(np.array(1.0), 1e9) == pytest.approx(0.5)
    assert reinhard(np.array(1.0), 2.0) == pytest.approx(0.625)


@pytest.mark.parametrize(
    ("given", "wanted"),
    [
        ((0.5, 0.5, 0.5), (0.46, 0.46, 0.46)),  # less the sheen of 4 per cent
        ((0.8, 0.2, 0.1), (0.76, 0.16, 0.06)),  # just below its shoulder colours are as they are
        ((0.04, 0.04, 0.04), (0.01, 0.01, 0.01)),  # 6.25 x2
        ((1.04, 1.04, 1.04), (0.88, 0.88, 0.88)),  # peak 1: 1 - 0.24 / 2
    ],
)
def test_pbr_neutral_is_the_published_form(given, wanted):
    assert neutral(np.array(given)) == pytest.approx(np.array(wanted), abs=1e-12)


def test_pbr_neutral_takes_colour_away_as_light_grows():
    """Of Khronos' text: peak p becomes 1 - 0.0576 / (p - 0.52), and the rest goes toward it by
    1 - 1 / (0.15 (p - that) + 1)."""
    peak = 10.0 - 0.04
    lower = 1.0 - 0.0576 / (peak - 0.52)
    share = 1.0 - 1.0 / (0.15 * (peak - lower) + 1.0)
    smallest = 1.0 - 0.04
    out = neutral(np.array([10.0, 1.0, 1.0]))
    assert out[0] == pytest.approx(lower)
    assert out[1] == pytest.approx(smallest * lower / peak * (1.0 - share) + lower * share)


def test_the_filmic_fit_is_the_published_one():
    """Narkowicz 2015: (x (2.51 x + 0.03)) / (x (2.43 x + 0.59) + 0.14), of light as ACES exposes it."""
    assert filmic(np.array(1.0 / 0.6)) == pytest.approx(2.54 / 3.16)
    assert filmic(np.array(1e9)) == pytest.approx(2.51 / 2.43)


@pytest.mark.parametrize("kind", ["own", "linear", "reinhard", "neutral", "filmic"])
@pytest.mark.parametrize("on", ["channel", "luminance"])
def test_every_curve_rises_from_black_and_ends_within_the_screen(kind, on):
    shown = Curve(kind, 6.0, on)(GREYS)
    assert (np.diff(shown[:, 0]) >= -1e-12).all()
    assert np.ptp(shown, axis=1).max() < 1e-12
    assert shown.min() >= 0.0
    assert shown.max() <= 1.0
    assert not Curve(kind, 6.0, on)(np.zeros(3)).any()


@pytest.mark.parametrize("kind", ["own", "reinhard", "filmic"])
def test_on_luminance_colours_keep_their_ratios(kind, rng):
    light = rng.uniform(0.02, 0.4, (500, 3))
    selected = Curve(kind, 6.0, "luminance")(light)
    inside = (selected < 1.0).all(axis=1)
    assert (selected[inside] / selected[inside][:, :1]) == pytest.approx(light[inside] / light[inside][:, :1])
    by_channel = Curve(kind, 6.0)(light)
    assert not np.allclose(by_channel / by_channel[:, :1], light / light[:, :1], rtol=1e-3)


def test_a_decision_list_is_slope_offset_power_and_then_saturation():
    """ASC CDL: out = (in slope + offset) ^ power by channel; then luma + saturation (out - luma), Rec. 709."""
    grade = Grade((1.2, 1.0, 0.8), (0.05, 0.0, -0.1), (1.0, 2.0, 0.5), 0.5)
    wanted = np.array([0.5 * 1.2 + 0.05, 0.5**2.0, (0.5 * 0.8 - 0.1) ** 0.5])
    luma = wanted @ [0.2126, 0.7152, 0.0722]
    assert grade(np.full(3, 0.5)) == pytest.approx(luma + 0.5 * (wanted - luma))
    assert grade(np.zeros(3))[2] == pytest.approx(0.5 * grade(np.zeros(3)).max(), rel=1.0)


def test_what_would_be_below_black_is_black_before_the_power():
    assert Grade(offset=(-1.0,) * 3, power=(0.5,) * 3)(np.full(3, 0.2)) == pytest.approx(0.0)


def test_contrast_is_in_stops_about_mid_grey():
    out = Grade(contrast=1.5)(MID_GREY * 2.0 ** np.array([-2.0, 0.0, 2.0]))
    assert np.log2(out / MID_GREY) == pytest.approx([-3.0, 0.0, 3.0])


def test_a_neutral_grade_changes_nothing_bit_for_bit(rng):
    light = rng.uniform(0.0, 50.0, (300, 3))
    assert np.array_equal(Grade()(light), light)
    assert Look().own_curve is DEFAULT_CURVE
    assert np.array_equal(Curve()(light), DEFAULT_CURVE(light))


@pytest.mark.parametrize(("kelvin", "tint"), [(2200.0, 0.0), (3000.0, 0.01), (9000.0, -0.01)])
def test_white_under_a_light_looks_neutral(kelvin, tint):
    balanced = balance_matrix(kelvin, tint) @ light_colour(kelvin, tint)
    assert balanced == pytest.approx(np.full(3, balanced[0]), rel=1e-6)
    assert luminance(balanced) == pytest.approx(1.0, rel=0.02)


def test_daylight_of_5000_k_to_that_of_6500_is_the_published_bradford_matrix():
    """D50 to D65 in XYZ, as ISO 15076-1 and Lindbloom give it."""
    published = np.array(
        [
            [0.9555766, -0.0230393, 0.0631636],
            [-0.0282895, 1.0099416, 0.0210077],
            [0.0122982, -0.0204830, 1.3299098],
        ]
    )
    own = np.linalg.inv(XYZ_TO_SRGB) @ balance_matrix(5003.0, 0.0) @ XYZ_TO_SRGB
    assert own == pytest.approx(published, abs=4e-3)


def test_looks_that_cannot_be_are_refused():
    for wrong in ({"power": (1.0, 0.0, 1.0)}, {"slope": (-0.1, 1.0, 1.0)}, {"toe": 1.0, "shoulder": 1.5}):
        with pytest.raises(ValueError, match=r"power|toe"):
            Look().revised(**wrong)


def test_ranges_add_up_to_one_and_neutral_ones_change_nothing(rng):
    light = 2.0 ** rng.uniform(-12.0, 8.0, (400, 3))
    ranges = Ranges(borders=(-2.0, 2.0), soft=2.0)
    assert sum(ranges.weights(light)) == pytest.approx(np.ones((400, 1)))
    assert min(weight.min() for weight in ranges.weights(light)) >= 0.0
    assert Grade(ranges=ranges)(light) == pytest.approx(light)


def test_each_range_is_graded_by_itself_and_between_them_they_blend():
    greys = MID_GREY * 2.0 ** np.linspace(-8.0, 8.0, 161)[:, None] * np.ones(3)
    double, half = DecisionList(slope=(2.0, 1.0, 1.0)), DecisionList(slope=(1.0, 1.0, 0.5))
    out = Grade(ranges=Ranges(shadows=double, lights=half, borders=(-3.0, 3.0), soft=2.0))(greys) / greys
    assert out[:40, 0] == pytest.approx(2.0)
    assert out[:40, 2] == pytest.approx(1.0)
    assert out[60:100] == pytest.approx(1.0)
    assert out[-40:, 2] == pytest.approx(0.5)
    assert np.abs(np.diff(out, axis=0)).max() < 0.1


def test_contrast_leaves_its_pivot_and_a_lift_leaves_black_and_bright():
    pivot = MID_GREY * 2.0**-2.0
    assert Grade(contrast=1.6, pivot=-2.0)(np.full(3, pivot)) == pytest.approx(pivot)
    light = np.geomspace(1e-7, 30.0, 300)[:, None] * np.ones(3)
    for stops in (-2.0, 1.0, 3.0):
        gain = np.log2(Grade(lift=stops)(light) / light)[:, 0]
        assert gain[0] == pytest.approx(stops, abs=1e-3)
        assert gain[-1] == pytest.approx(0.0, abs=0.02)
        assert (np.diff(Grade(lift=stops)(light)[:, 0]) > 0.0).all()
        assert (Grade(lift=stops)(np.zeros(3)) == 0.0).all()


@pytest.mark.parametrize(("kelvin", "tint"), [(2700.0, 0.0), (4000.0, 0.01), (6500.0, -0.01), (9000.0, 0.02)])
def test_what_is_picked_as_grey_becomes_grey(kelvin, tint):
    result = neutral_for(0.3 * light_colour(kelvin, tint))
    assert result[0] == pytest.approx(kelvin, rel=0.01)
    assert result[1] == pytest.approx(tint, abs=5e-4)
    shown = balance_matrix(*result) @ light_colour(kelvin, tint)
    assert shown == pytest.approx(np.ones(3), abs=5e-3)
    with pytest.raises(ValueError, match="black"):
        neutral_for(np.zeros(3))


HUES, BETWEEN = (0.2, 0.7, 1.4), (1.1, 0.4, 2.0)


def test_a_hue_has_the_saturation_of_the_two_it_lies_between():
    """The hue of a hexagon, as Python's colorsys finds it, goes evenly from one of six to the next."""
    x = np.random.default_rng(3).uniform(0.2, 1.0, (400, 3))
    around = [HUES[0], BETWEEN[0], HUES[1], BETWEEN[1], HUES[2], BETWEEN[2], HUES[0]]
    factors = [np.interp(6.0 * colorsys.rgb_to_hsv(*item)[0], np.arange(7), around) for item in x.tolist()]
    grey = luminance(x)[:, None]
    wanted = np.maximum(grey + np.array(factors)[:, None] * (x - grey), 0.0)
    np.testing.assert_allclose(by_hue(x, HUES, BETWEEN), wanted, rtol=1e-9)


def test_all_hues_alike_are_one_saturation_and_greys_stay():
    x = np.random.default_rng(4).uniform(0.0, 3.0, (200, 3))
    even = Grade(hues=(1.3,) * 3, hues_between=(1.3,) * 3)(x)
    np.testing.assert_allclose(even, Grade(saturation=1.3)(x), atol=1e-12)
    np.testing.assert_allclose(by_hue(GREYS, HUES, BETWEEN), GREYS, rtol=1e-12)
    np.testing.assert_allclose(luminance(by_hue(x, (0.3,) * 3, (0.9,) * 3)), luminance(x))
