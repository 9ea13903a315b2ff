"""The layer of air in closed form, and exposure as a meter finds it."""

import numpy as np
import pytest
from hypothesis import given
from hypothesis import strategies as st

from wallum.physics.exposure import adapted_ev, ev_for_luminance, exposure_scale, metered_ev
from wallum.physics.medium import extinction_for, henyey_greenstein, optical_depth


@given(
    start=st.floats(-200.0, 800.0),
    rise=st.floats(-1.0, 1.0),
    distance=st.floats(0.1, 5000.0),
    height=st.floats(5.0, 2000.0),
)
def test_optical_depth_is_the_sum_over_the_way(start, rise, distance, height):
    direction = (np.arange(20_000) + 0.5) / 20_000 * distance
    y = start + rise * direction
    density = np.where(y < 0.0, 1.0, np.exp(-np.maximum(y, 0.0) / height))
    exact = 1e-3 * density.sum() * distance / 20_000
    result = optical_depth(1e-3, height, np.array([start]), np.array([rise]), np.array([distance]))
    assert result[0] == pytest.approx(exact, rel=2e-3, abs=1e-9)


def test_two_percent_of_contrast_are_left_at_the_visibility():
    depth = optical_depth(extinction_for(800.0), 100.0, np.array([-5.0]), np.array([0.0]), np.array([800.0]))
    assert np.exp(-depth[0]) == pytest.approx(0.02, rel=1e-3)


@pytest.mark.parametrize("g", [-0.5, 0.0, 0.6, 0.9])
def test_scattered_light_is_neither_lost_nor_made(g):
    cosine = np.linspace(-1.0, 1.0, 200_001)
    total = 2.0 * np.pi * henyey_greenstein(cosine, g).mean() * 2.0
    assert total == pytest.approx(1.0, rel=1e-3)
    mean = (henyey_greenstein(cosine, g) * cosine).mean() * 4.0 * np.pi
    assert mean == pytest.approx(g, abs=2e-3)


def test_metered_grey_lands_on_mid_grey_with_the_default_compensation():
    even = np.full(100, 37.0)
    assert even[0] * exposure_scale(metered_ev(even, np.ones(100), 0.0)) == pytest.approx(0.104, abs=0.001)
    assert even[0] * exposure_scale(metered_ev(even, np.ones(100))) == pytest.approx(0.18, abs=0.003)
    assert metered_ev(even, np.ones(100)) == pytest.approx(ev_for_luminance(37.0), abs=0.02)


@given(st.lists(st.floats(1e-4, 1e5), min_size=4, max_size=60), st.floats(0.1, 16.0))
def test_light_times_two_is_a_stop(values, factor):
    light = np.array(values)
    before, after = (metered_ev(light * k, np.ones(len(light)), limits=(-40.0, 60.0)) for k in (1.0, factor))
    assert after - before == pytest.approx(np.log2(factor), abs=1e-6)


def test_clips_leave_out_what_is_brightest_and_darkest():
    light = np.concatenate([np.full(10, 1e-3), np.full(80, 10.0), np.full(10, 1e5)])
    plain = metered_ev(np.full(100, 10.0), np.ones(100))
    assert metered_ev(light, np.ones(100), clips=(0.1, 0.1)) == pytest.approx(plain)
    assert metered_ev(light, np.ones(100), clips=(0.0, 0.1)) < plain
    # Half of the darkest cells' weight is enough to be counted by half.
    assert metered_ev(light, np.ones(100), clips=(0.05, 0.1)) < plain


def test_only_what_has_weight_counts():
    light, weights = np.array([1.0, 1000.0]), np.array([1.0, 0.0])
    assert metered_ev(light, weights) == pytest.approx(metered_ev(np.ones(1), np.ones(1)))
    assert metered_ev(light, np.zeros(2)) == pytest.approx(metered_ev(light, np.ones(2)))


def test_limits_hold():
    assert metered_ev(np.full(4, 1e-7), np.ones(4), limits=(-3.0, 9.0)) == -3.0
    assert metered_ev(np.full(4, 1e7), np.ones(4), limits=(-3.0, 9.0)) == 9.0


def test_the_eye_adapts_at_its_speeds_and_never_beyond():
    assert adapted_ev(5.0, 12.0, 0.5, up=3.0, down=1.0) == pytest.approx(6.5)
    assert adapted_ev(5.0, -2.0, 0.5, up=3.0, down=1.0) == pytest.approx(4.5)
    assert adapted_ev(5.0, 5.2, 10.0, up=3.0, down=1.0) == 5.2
