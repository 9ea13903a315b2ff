"""Patterns before lamps: shares, their means, and what softening does."""

import numpy as np
import pytest
from hypothesis import given
from hypothesis import strategies as st

from wallum.physics.gobo import COMES_BACK, PATTERNS, bars, gobo_share, leaves

PATTERNED = range(1, len(PATTERNS))
SHARE = st.floats(0.05, 0.98)
SOFT = st.floats(0.0, 2.0)


def share(pattern, places, open_share, soft, drifted=0.0):
    across, along = np.asarray(places, float).T
    full = np.full(len(across), 1.0)
    parts = (value * full for value in (drifted, open_share, soft))
    return gobo_share(np.full(len(across), pattern), across, along, *parts)


def over_a_square(repeats, count):
    side = (np.arange(count) + 0.5) * (repeats / count)
    return np.stack(np.meshgrid(side, side), axis=-1).reshape(-1, 2)


@given(SHARE, SOFT)
def test_slats_and_panes_leave_their_open_share_of_each_repeat(open_share, soft):
    for pattern in (1, 2):
        assert share(pattern, over_a_square(1.0, 200), open_share, soft).mean() == pytest.approx(
            open_share, abs=0.006
        )


@pytest.mark.parametrize("open_share", [0.05, 0.2, 0.5, 0.9])
@pytest.mark.parametrize("soft", [0.0, 0.3, 1.5])
def test_leaves_leave_their_open_share_in_the_mean(rng, open_share, soft):
    places = rng.random((400_000, 2)) * 64.0
    assert share(3, places, open_share, soft).mean() == pytest.approx(open_share, rel=0.015)


def test_one_layer_of_leaves_hides_as_much_as_its_ellipses_cover(monkeypatch):
    """Three layers that stand across each other multiply: each leaves the cube root of the open share."""
    monkeypatch.setattr("wallum.physics.gobo.LAYERS", ((0.0, 1.0),))
    item = share(3, over_a_square(8.0, 1600), 0.5, 0.0)
    assert item.mean() == pytest.approx(0.5 ** (1.0 / 3.0), abs=1e-3)
    assert set(np.unique(np.round(item, 6))) >= {0.0, 1.0}


@given(st.sampled_from(list(PATTERNED)), SHARE, SOFT, st.integers(0, 2**31))
def test_no_pattern_gives_light_or_takes_more_than_there_is(pattern, open_share, soft, seed):
    left = share(pattern, np.random.default_rng(seed).uniform(-300.0, 300.0, (200, 2)), open_share, soft)
    assert left.min() >= -1e-9
    assert left.max() <= 1.0 + 1e-9


@given(SHARE, st.floats(0.05, 2.0), st.floats(-5.0, 5.0))
def test_a_soft_bar_is_the_mean_of_sharp_ones_over_its_width(open_share, soft, at):
    near = at + ((np.arange(4000) + 0.5) / 4000 - 0.5) * soft
    sharp = (near - np.floor(near) < open_share).mean()
    assert bars(np.array([at]), np.array([open_share]), np.array([soft]))[0] == pytest.approx(sharp, abs=2e-3)


@pytest.mark.parametrize("pattern", PATTERNED)
def test_the_softest_is_as_if_it_were_grey_glass(pattern, rng):
    left = share(pattern, rng.random((1000, 2)) * 10.0, 0.4, 60.0)
    assert np.abs(left - 0.4).max() < 0.02


@pytest.mark.parametrize("pattern", PATTERNED)
def test_what_has_drifted_so_far_is_where_it_was(pattern, rng):
    places = rng.random((2000, 2)) * 6.0
    here, back, between = (share(pattern, places, 0.4, 0.2, d) for d in (0.3, 0.3 + COMES_BACK, 0.8))
    assert np.allclose(here, back, atol=1e-6)
    assert np.abs(here - between).max() > 0.5


def test_leaves_are_alike_in_single_precision(rng):
    across, along = (rng.random((2, 5000)) * 20.0).astype(np.float32)
    full = np.ones(5000, np.float32)
    parts = (across, along, 0.25 * full, 0.5 * full, 0.2 * full)
    single = leaves(*parts)
    double = leaves(*(part.astype(float) for part in parts))
    assert np.quantile(np.abs(single - double), 0.99) < 1e-3
