"""Pockets of other air: their shape, and what they leave of light, in closed form where there is one."""

from dataclasses import replace

import numpy as np
import pytest
from hypothesis import assume, given
from hypothesis import strategies as st

from wallum.physics.medium import AirLayer, Medium
from wallum.physics.pocket import Pocket, pocket_noise

HARD = Pocket(
    id="p", centre=(1.0, 2.0, 3.0), half=(2.0, 1.0, 4.0), turn_rad=0.4, box=False, extinction=0.3,
    albedo=(0.9,) * 3, forwardness=0.3, own=(0.0,) * 3, edge=0.0, contrast=0.0, grain_m=1.0, drifted=(0.0,) * 3,
)  # fmt: skip
UP = np.array([[0.0, 1.0, 0.0]])


def test_through_its_middle_a_pocket_takes_what_its_height_takes():
    for box in (False, True):
        pocket = replace(HARD, box=box)
        depth = pocket.depth(np.array([1.0, -5.0, 3.0]), UP, np.array([100.0]))
        assert depth[0] == pytest.approx(0.3 * 2.0, rel=0.02)
        # It ends in the pocket's middle.
        half = pocket.depth(np.array([1.0, -5.0, 3.0]), UP, np.array([7.0]))
        assert half[0] == pytest.approx(0.3, rel=0.02)
        assert pocket.depth(np.array([1.0, -5.0, 3.0]), -UP, np.array([100.0]))[0] == 0.0


@given(
    x=st.floats(-8, 8), y=st.floats(-6, 8), z=st.floats(-8, 8),
    azimuth=st.floats(0, 6.28), rise=st.floats(-1.4, 1.4), box=st.booleans(),
)  # fmt: skip
def test_ways_come_in_and_go_out_where_density_begins_and_ends(x, y, z, azimuth, rise, box):
    pocket = replace(HARD, box=box)
    direction = np.array([[np.cos(rise) * np.cos(azimuth), np.sin(rise), np.cos(rise) * np.sin(azimuth)]])
    start = np.array([x, y, z])
    first, last = pocket.ends(start, direction)
    t = np.linspace(-30.0, 30.0, 4001)
    inside = pocket.density(start + direction * t[:, None]) > 0.5
    outside = (t < first[0] - 0.02) | (t > last[0] + 0.02)
    assert not (inside & outside).any()
    if last[0] - first[0] > 0.5:  # past a hard edge's own width
        middle = start + direction * (0.5 * (first[0] + last[0]))
        # A ray that lies in a side is neither inside nor outside.
        away = np.abs(np.abs(middle[0] - HARD.centre) - np.array(HARD.half))
        assume(not box or away.min() > 0.02)
        assert pocket.density(middle)[0] > 0.5
    elif last[0] < first[0]:
        assert not inside.any()


def test_noise_repeats_and_keeps_its_mean():
    noise = pocket_noise()
    assert noise.min() == 0.0
    assert noise.max() == 1.0
    # From the last cell to the first it goes on as between any two.
    steps = np.abs(np.diff(noise, axis=0)).max()
    assert np.abs(noise[0] - noise[-1]).max() <= steps * 1.01
    cloudy = replace(HARD, box=True, contrast=0.6, half=(40.0, 40.0, 40.0))
    rng = np.random.default_rng(3)
    places = rng.uniform(-30.0, 30.0, (20_000, 3)) + HARD.centre
    assert cloudy.density(places).mean() == pytest.approx(1.0, abs=0.2)
    assert cloudy.density(places).std() > 0.2


def test_what_drifts_is_the_same_air_elsewhere():
    cloudy = replace(HARD, box=True, contrast=0.8, half=(50.0,) * 3)
    gone = replace(cloudy, drifted=(3.0, 0.0, -2.0))
    places = np.random.default_rng(5).uniform(-10.0, 10.0, (200, 3))
    assert gone.density(places + np.array([3.0, 0.0, -2.0])) == pytest.approx(
        cloudy.density(places), abs=1e-9
    )


def test_pockets_and_layers_multiply():
    haze = AirLayer(0.01, 100.0, 50.0, (0.9,) * 3, 0.0)
    start, end = np.array([[1.0, -5.0, 3.0]]), np.array([[1.0, 9.0, 3.0]])
    both = Medium((haze,), pockets=(HARD,)).between(start, end)
    alone = Medium((haze,)).between(start, end) * np.exp(-HARD.depth(start, UP, np.array([14.0])))
    assert both == pytest.approx(alone, rel=1e-9)
