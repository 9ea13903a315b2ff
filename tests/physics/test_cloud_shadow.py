"""Shadows of clouds, place by place."""

from dataclasses import replace

import numpy as np
import pytest

from wallum.physics.arrays import normalised
from wallum.physics.cloud_shadow import CLOUD_TAKES, CloudShadow, ShadowMap
from wallum.physics.deck import Deck, sun_through
from wallum.physics.high_cloud import HighCloud, cloud_cover

TOWARD = tuple(normalised(np.array([0.5, 0.6, -0.3])).tolist())
BOX = np.array([[-300.0, -5.0, -200.0], [250.0, 60.0, 300.0]])
ONES = (1.0, 1.0, 1.0)


def high_cloud(**values):
    own = HighCloud(0.5, 0.3, 0.9, 6000.0, 3000.0, (120.0, -70.0), TOWARD, ONES, ONES)
    return replace(own, **values)


def deck(**values):
    own = Deck(900.0, 350.0, 0.55, 0.4, 0.01, 2400.0, (30.0, 60.0), TOWARD, ONES, ONES, ONES, ONES)
    return replace(own, **values)


@pytest.fixture
def points(rng):
    return rng.uniform(BOX[0], BOX[1], (600, 3))


SHADOWS = [
    CloudShadow(TOWARD, high_cloud(), None),
    CloudShadow(TOWARD, None, deck()),
    CloudShadow(TOWARD, high_cloud(), deck()),
]


@pytest.mark.parametrize("shadow", SHADOWS)
def test_all_places_on_one_way_to_the_light_lie_in_the_same_shadow(shadow, points):
    farther = points + np.array(TOWARD) * 37.0
    assert shadow.left(farther) == pytest.approx(shadow.left(points), abs=1e-9)
    assert np.ptp(shadow.left(points)) > 0.2


@pytest.mark.parametrize("shadow", SHADOWS)
def test_a_map_of_the_shadow_gives_what_each_place_gives(shadow, points):
    error = np.abs(ShadowMap(shadow, BOX).left(points) - shadow.left(points))
    assert np.median(error) < 0.004
    assert np.percentile(error, 95) < 0.07


def test_a_cloud_that_drifts_takes_its_shadow_along(points):
    before, after = (CloudShadow(TOWARD, high_cloud(drift=d), None) for d in ((0.0, 0.0), (80.0, -40.0)))
    moved = points + np.array([80.0, 0.0, -40.0])
    assert after.left(moved) == pytest.approx(before.left(points), abs=1e-9)


def test_at_the_middle_it_is_what_the_sky_shows_toward_the_light():
    hidden = cloud_cover(high_cloud(), np.array([TOWARD]))[0]
    assert SHADOWS[0].left(np.zeros((1, 3)))[0] == pytest.approx(1.0 - CLOUD_TAKES * hidden)
    assert SHADOWS[1].left(np.zeros((1, 3)))[0] == pytest.approx(sun_through(deck()), abs=0.05)


def test_over_the_deck_the_light_is_whole_and_in_its_midst_the_root_of_it():
    low = deck(base=-20.0, thick=60.0, cover=1.0, detail=0.0, extinction=0.02)
    shadow = CloudShadow((0.0, 1.0, 0.0), None, low)
    under, midst, over = shadow.left(np.array([[0.0, -20.0, 0.0], [0.0, 10.0, 0.0], [0.0, 45.0, 0.0]]))
    assert over == 1.0
    assert under < 0.7
    assert midst == pytest.approx(np.sqrt(under), rel=1e-6)


def test_the_average_is_that_of_many_places_and_no_cloud_takes_nothing(rng):
    shadow = SHADOWS[2]
    wide = np.column_stack([rng.uniform(0, 3000.0, 4000), np.zeros(4000), rng.uniform(0, 3000.0, 4000)])
    assert shadow.average() == pytest.approx(shadow.left(wide).mean(), abs=0.08)
    assert CloudShadow(TOWARD, high_cloud(cover=0.0), None).average() == pytest.approx(1.0)


def test_a_light_at_the_horizon_has_a_shadow_of_some_size():
    low, high = CloudShadow((1.0, 1e-4, 0.0), high_cloud(), None).bounds(BOX)
    assert np.isfinite([low, high]).all()
    assert (high > low).all()
