"""Layers of air in closed form: what slabs, slanted rays and several layers leave of light."""

import numpy as np
import pytest
from hypothesis import given
from hypothesis import strategies as st

from wallum.physics.medium import AirLayer, Medium, extinction_for, henyey_greenstein

GREY = (0.9, 0.9, 0.9)
HAZE = AirLayer(2e-3, 200.0, 10.0, GREY, 0.6)
MIST = AirLayer(5e-2, 3.0, 1.0, GREY, 0.4, absorption=(0.0, 0.1, 0.5))


def _summed(medium, start, end, count=40_000):
    """Transmittance by adding up small steps."""
    steps = (np.arange(count) + 0.5) / count
    heights = start[1] + (end[1] - start[1]) * steps
    length = float(np.linalg.norm(np.subtract(end, start)))
    return np.exp(-medium.extinction(heights).mean(axis=0) * length)


def test_a_slab_leaves_what_beer_and_lambert_say():
    slab = Medium((AirLayer(0.05, 4.0, 100.0, GREY, 0.0),))
    between = slab.between(np.array([[0.0, 2.0, 0.0]]), np.array([[30.0, 2.0, 40.0]]))
    assert between[0] == pytest.approx(np.exp(-0.05 * 50.0), rel=1e-12)


@given(low=st.floats(-30.0, 40.0), high=st.floats(-30.0, 400.0), away=st.floats(0.5, 3000.0))
def test_slanted_ways_through_two_layers_are_the_sum_of_small_steps(low, high, away):
    both = Medium((HAZE, MIST))
    start, end = np.array([0.0, low, 0.0]), np.array([away, high, 0.0])
    assert both.between(start[None], end[None])[0] == pytest.approx(
        _summed(both, start, end), rel=2e-2, abs=1e-6
    )


def test_layers_multiply_and_ways_join():
    both = Medium((HAZE, MIST))
    a, b, c = (np.array([p]) for p in ((0.0, 0.5, 0.0), (20.0, 6.0, 3.0), (40.0, 11.5, 6.0)))
    apart = Medium((HAZE,)).between(a, c) * Medium((MIST,)).between(a, c)
    assert both.between(a, c) == pytest.approx(apart, rel=1e-12)
    assert both.between(a, c) == pytest.approx(both.between(c, a), rel=1e-9)
    assert both.between(a, c) == pytest.approx(both.between(a, b) * both.between(b, c), rel=1e-6)


def test_two_percent_are_left_at_the_visibility_and_smoke_tints():
    smoke = Medium((AirLayer(extinction_for(40.0), 5.0, 50.0, GREY, 0.0, absorption=(0.0, 0.0, 1.0)),))
    selected = smoke.between(np.zeros((1, 3)), np.array([[40.0, 0.0, 0.0]]))[0]
    assert selected[0] == pytest.approx(0.02, rel=1e-3)
    assert selected[2] == pytest.approx(0.02**2, rel=1e-3)


@given(height=st.floats(-40.0, 300.0), mass=st.floats(1.0, 12.0))
def test_a_far_light_is_dimmed_by_all_that_stands_over_a_place(height, mass):
    both = Medium((HAZE, MIST))
    up = np.array([[0.0, height, 0.0]])
    straight = both.between(up, up + np.array([[0.0, 1e5, 0.0]]))[0]
    result = both.at_base(mass) * both.from_far(np.array([height]), mass)[0]
    expected = straight**mass
    if expected.min() > 1e-6:
        assert result == pytest.approx(expected, rel=1e-6)


def test_a_layer_takes_what_it_scatters_and_what_it_swallows():
    assert MIST.scattered * MIST.thickness == pytest.approx(np.array(MIST.albedo))
    assert np.all(MIST.scattered <= 1.0)


@pytest.mark.parametrize("forwardness", [-0.6, 0.0, 0.5, 0.9])
def test_a_phase_function_sends_all_light_somewhere_and_forward_by_its_g(forwardness):
    cosine, weight = np.polynomial.legendre.leggauss(400)
    phase = henyey_greenstein(cosine, forwardness)
    assert 2.0 * np.pi * (phase * weight).sum() == pytest.approx(1.0, abs=1e-6)
    assert 2.0 * np.pi * (phase * cosine * weight).sum() == pytest.approx(forwardness, abs=1e-6)


def test_what_air_takes_of_a_beam_it_shows_to_all_sides_or_swallows():
    layer = AirLayer(0.08, 1e4, 1e4, (0.9, 0.7, 0.4), 0.6, (0.1, 0.3, 0.8))
    direction, steps = 25.0, np.linspace(0.0, 25.0, 20_001)
    middle, dt = 0.5 * (steps[1:] + steps[:-1]), steps[1] - steps[0]
    taken_here = (
        layer.extinction * layer.thickness * np.exp(-layer.extinction * layer.thickness * middle[:, None])
    )
    cosine, weight = np.polynomial.legendre.leggauss(200)
    everywhere = 2.0 * np.pi * (henyey_greenstein(cosine, layer.forwardness) * weight).sum()
    shown = (taken_here * layer.scattered * dt).sum(axis=0) * everywhere
    swallowed = (taken_here * (1.0 - layer.scattered) * dt).sum(axis=0)
    selected = Medium((layer,)).kept(np.zeros(1), np.zeros(1), np.full(1, direction))[0]
    assert shown + swallowed == pytest.approx(1.0 - selected, rel=1e-5)
