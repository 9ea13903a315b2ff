import numpy as np
import pytest
from hypothesis import given
from hypothesis import strategies as st

from wallum.document.look import Look
from wallum.physics.exposure import (
    MID_GREY,
    ev_for_luminance,
    exposure_scale,
    grey_luminance,
    key_value,
    metered_ev,
)
from wallum.physics.tone import DEFAULT_CURVE, ToneCurve, bayer_matrix, srgb_decode, srgb_encode


def test_one_stop_more_exposure_value_halves_the_picture():
    assert exposure_scale(7.0) / exposure_scale(8.0) == pytest.approx(2.0)


def test_exposure_follows_iso_12232():
    # 1.2 x 2^EV is the luminance of picture value 1.
    assert exposure_scale(0.0) == pytest.approx(1 / 1.2)


@given(st.floats(-12.0, 20.0))
def test_metering_grey_gives_back_the_exposure(ev100):
    assert ev_for_luminance(grey_luminance(ev100)) == pytest.approx(ev100)


@pytest.mark.parametrize(
    "curve", [DEFAULT_CURVE, ToneCurve.through(0.4, 1.25, 6.5), ToneCurve.through(0.7, 1.1, 6)]
)
def test_curve_keeps_grey_rises_and_ends_at_white(curve):
    x = np.concatenate([[0.0], np.geomspace(1e-6, 100.0, 4000)])
    y = curve(x)
    assert curve(np.array(MID_GREY)) == pytest.approx(MID_GREY)
    assert (np.diff(y) >= -1e-12).all()
    assert y[0] == 0.0
    assert y[-1] == 1.0


def test_curve_has_the_contrast_and_white_it_was_made_with():
    curve = ToneCurve.through(0.6, 1.2, 5.0)
    step = 1e-4
    slope = np.log(curve(np.array(MID_GREY * (1 + step))) / MID_GREY) / np.log1p(step)
    assert slope == pytest.approx(1.2, rel=1e-3)
    assert curve(np.array(MID_GREY * 2**5)) == pytest.approx(1.0)


@given(st.floats(0.0, 1.0))
def test_srgb_decodes_what_it_encodes(value):
    assert srgb_decode(srgb_encode(np.array(value))) == pytest.approx(value, abs=1e-7)


def test_dither_thresholds_are_each_there_once_and_centred():
    matrix = bayer_matrix(3)
    assert sorted(matrix.ravel()) == pytest.approx((np.arange(64) + 0.5) / 64)


def test_the_key_is_as_published():
    """Krawczyk and others 2005, eq. 11, where the logarithm is a whole number."""
    assert key_value(np.array([0.0, 9.0, 99.0, 9999.0])) == pytest.approx(
        [0.03, 1.03 - 2.0 / 3.0, 0.53, 1.03 - 2.0 / 6.0]
    )


@pytest.mark.parametrize("light", [0.01, 0.1, 1.0, 10.0, 100.0, 1000.0])
def test_a_metered_picture_is_as_much_darker_as_the_key_says(light):
    ev = metered_ev(np.full(6, light), np.ones(6), darker=Look().darker)
    shown = light * exposure_scale(ev) / MID_GREY
    assert shown == pytest.approx(float(key_value(light) / key_value(1000.0)), rel=0.03)


def test_by_day_a_metered_picture_is_as_it_was_and_never_brighter_for_less_light():
    bright = metered_ev(np.full(6, 5000.0), np.ones(6), darker=Look().darker)
    assert bright == metered_ev(np.full(6, 5000.0), np.ones(6))
    lights = np.geomspace(1e-4, 1e5, 60)
    shown = [
        light * exposure_scale(metered_ev(np.full(2, light), np.ones(2), darker=Look().darker))
        for light in lights
    ]
    assert (np.diff(shown) > -1e-9).all()
