"""What a thin lens leaves sharp, by its closed form; and pictures that are drawn by it."""

import numpy as np
import pytest

from wallum.physics.focus import MAXIMUM, Focus, focused


def test_the_disc_is_that_of_a_thin_lens():
    """50 mm, f/2, focus at 5 m: what is at 10 m has a disc of 0.1263 mm (25 mm x 5 / 10 x 50 / 4950)."""
    fov = float(np.degrees(2.0 * np.arctan(12.0 / 50.0)))
    radius = Focus(5.0, 2.0).radius(np.array([10.0, 5.0, 0.0]), fov)
    assert 2.0 * radius[0] * 24.0 == pytest.approx(0.12626, rel=1e-3)
    assert radius[1] == 0.0
    assert 2.0 * radius[2] * 24.0 == pytest.approx(
        2.0 * 0.12626, rel=1e-3
    )  # endlessly far: twice of twice as far
    # Halving the f-number doubles the disc; before the focus it is counted below 0.
    assert Focus(5.0, 1.0).radius(np.array(10.0), fov) == pytest.approx(2.0 * radius[0])
    assert Focus(5.0, 2.0).radius(np.array(2.5), fov) < 0.0
    assert Focus(5.0, 0.7).radius(np.array(0.05), 20.0) == -MAXIMUM


def test_the_sides_are_by_themselves():
    depths = np.array([1.0, 5.0, 20.0])
    both, far, near = (Focus(5.0, 2.0, side).radius(depths, 40.0) for side in ("both", "far", "near"))
    assert both == pytest.approx(far + near)
    assert far[0] == near[2] == 0.0


def test_what_is_in_focus_stays_bit_for_bit(rng):
    picture = rng.random((48, 80, 3))
    assert np.array_equal(focused(picture, np.full((48, 80), 5.0), Focus(5.0, 1.4), 40.0), picture)


def test_what_is_far_is_spread_evenly_and_keeps_its_light(rng):
    picture = rng.random((120, 200, 3))
    out = focused(picture, np.zeros((120, 200)), Focus(2.0, 1.4), 30.0)
    assert out.std() < 0.35 * picture.std()
    assert out.mean() == pytest.approx(picture.mean(), rel=0.01)
    even = np.full((61, 83, 3), 0.4)
    assert focused(even, rng.uniform(0.5, 90.0, (61, 83)), Focus(5.0, 1.0), 30.0) == pytest.approx(even)


def test_what_is_behind_does_not_reach_over_what_is_sharp_before_it():
    """A bright wall far away beside a dark post in focus: the post stays dark up to its edge."""
    picture, depth = np.full((240, 400, 3), 10.0), np.full((240, 400), 60.0)
    picture[:, 150:250], depth[:, 150:250] = 0.1, 3.0
    out = focused(picture, depth, Focus(3.0, 1.4), 30.0)
    assert out[:, 153:247] == pytest.approx(0.1, abs=0.02)
    depth[:, 150:250] = 1.0
    near = focused(picture, depth, Focus(60.0, 0.7), 30.0)
    # Three pixels off the edge a disc of seven is covered by more than a fifth.
    assert near[120, 146, 1] < 8.5
    assert near[120, 100, 1] == pytest.approx(10.0)
