import numpy as np
import pytest
from hypothesis import given
from hypothesis import strategies as st

from wallum.physics.colour import light_colour, luminance, xy_from_cct


@given(st.floats(1000.0, 20000.0), st.floats(-0.05, 0.05))
def test_every_light_colour_has_luminance_one_and_no_negative_part(kelvin, tint):
    rgb = light_colour(kelvin, tint)
    assert luminance(rgb) == pytest.approx(1.0)
    assert (rgb >= 0.0).all()


def test_daylight_of_6504_kelvin_is_white():
    assert light_colour(6504.0) == pytest.approx(np.ones(3), abs=2e-3)


def test_illuminant_a_lies_where_the_standard_says():
    # CIE 15:2018, table T.3: illuminant A, 2855.5 K on the 1990 temperature scale.
    assert xy_from_cct(2855.5) == pytest.approx([0.44758, 0.40745], abs=3e-4)


def test_d65_lies_where_the_standard_says():
    # CIE 15:2018: chromaticity of D65, 6504 K.
    assert xy_from_cct(6504.0) == pytest.approx([0.3127, 0.3290], abs=3e-4)


def test_warm_light_is_redder_than_cool_light():
    ratio = [light_colour(k)[0] / light_colour(k)[2] for k in (2700.0, 4000.0, 6500.0, 12000.0)]
    assert all(a > b for a, b in zip(ratio, ratio[1:], strict=False))


def test_the_locus_is_smooth_where_its_halves_meet():
    x = np.array([xy_from_cct(k)[0] for k in np.linspace(3900.0, 5100.0, 121)])
    assert np.abs(np.diff(x, 2)).max() < 2e-4


def test_positive_tint_is_green():
    assert light_colour(4000.0, 0.02)[1] > light_colour(4000.0)[1] > light_colour(4000.0, -0.02)[1]


@pytest.mark.parametrize("kelvin", [999.0, 20001.0, np.nan])
def test_outside_its_range_there_is_no_answer(kelvin):
    assert np.isnan(xy_from_cct(kelvin)).all()
