"""A lens falls off by the fourth power of the cosine."""

import numpy as np
import pytest

from wallum.physics.vignette import corner_fall, vignette


def test_it_is_the_cos4_law_of_a_lens_of_that_angle():
    width, height, half_diagonal = 64, 36, np.radians(35.0)
    stops = -np.log2(np.cos(half_diagonal) ** 4)
    x, y = np.meshgrid(np.arange(width) + 0.5 - width / 2, np.arange(height) + 0.5 - height / 2)
    off_axis = np.arctan(np.hypot(x, y) / np.hypot(width / 2, height / 2) * np.tan(half_diagonal))
    assert vignette((width, height), float(stops)) == pytest.approx(np.cos(off_axis) ** 4)


@pytest.mark.parametrize("stops", [0.3, 1.0, 4.0])
def test_the_corner_loses_what_is_stated_and_the_middle_nothing(stops):
    left = vignette((2001, 1001), stops)
    assert np.log2(left[0, 0]) == pytest.approx(-stops, abs=0.01)
    assert left[500, 1000] == pytest.approx(1.0, abs=1e-5)
    assert (np.diff(left[500, 1000:]) < 0.0).all()


def test_without_any_all_is_left():
    assert corner_fall(0.0) == 0.0
    assert (vignette((8, 6), 0.0) == 1.0).all()
