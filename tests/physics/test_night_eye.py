"""The eye at night, as a look."""

import numpy as np
import pytest

from wallum.physics.colour import luminance
from wallum.physics.night_eye import night_eye, rod_share

RED, BLUE, GREY = np.array([1.0, 0.0, 0.0]), np.array([0.0, 0.0, 1.0]), np.ones(3)


def test_cones_see_by_day_and_rods_by_starlight():
    assert rod_share(np.array([1e4, 3.0])) == pytest.approx([0.0, 0.0])
    assert rod_share(np.array([0.003, 1e-6])) == pytest.approx([1.0, 1.0])
    steps = rod_share(np.geomspace(1e-4, 10.0, 50))
    assert (np.diff(steps) <= 0.0).all()


def test_daylight_and_no_strength_change_nothing():
    for colour in (RED, BLUE, GREY):
        assert night_eye(colour * 500.0, 1.0) == pytest.approx(colour * 500.0)
        assert (night_eye(colour * 0.01, 0.0) == colour * 0.01).all()


def test_in_the_dark_grey_keeps_its_luminance_and_all_colours_become_one():
    dark = 0.001
    assert luminance(night_eye(GREY * dark, 1.0)) == pytest.approx(dark, rel=0.01)
    shown = [night_eye(colour * dark, 1.0) for colour in (BLUE, GREY)]
    assert shown[0] / luminance(shown[0]) == pytest.approx(shown[1] / luminance(shown[1]), rel=0.01)


def test_red_goes_dark_and_blue_stays_bright():
    """Purkinje: at the same luminance by day, blue is many times brighter to rods than red."""
    dark = 0.002
    red, blue = (luminance(night_eye(c * dark / luminance(c), 1.0)) for c in (RED, BLUE))
    assert red < 0.35 * dark
    assert blue > 2.0 * dark
