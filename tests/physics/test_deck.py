"""The deck of cloud: where it stands, what it hides, how much light comes through and back."""

import numpy as np
import pytest

from wallum.physics.deck import Deck, deck_along, deck_density, deck_ends, sun_through
from wallum.physics.sky_air import EARTH_M

HIGH_SUN = (0.0, 0.8, -0.6)


def deck(**changes):
    values = {
        "base": 900.0, "thick": 500.0, "cover": 0.5, "detail": 0.6, "extinction": 0.03, "tile": 10_000.0, "drift": (0.0, 0.0),
        "toward": HIGH_SUN, "sunlit": (1e5, 9e4, 8e4), "above": (3000.0, 3500.0, 4500.0), "below": (800.0, 700.0, 600.0),
        "veil": (0.0, 0.0, 0.0),
    }  # fmt: skip
    return Deck(**{**values, **changes})


def ways(count=1500, low=0.1, high=1.0):
    rng = np.random.default_rng(5)
    up, around = rng.uniform(low, high, count), rng.uniform(0.0, 2.0 * np.pi, count)
    flat = np.sqrt(1.0 - up * up)
    return np.stack([flat * np.cos(around), up, flat * np.sin(around)], axis=1)


def test_straight_up_it_begins_at_its_base_and_ends_at_its_top():
    start, end = deck_ends(deck(), np.array([[0.0, 1.0, 0.0]]), 100.0)
    assert (start[0], end[0]) == pytest.approx((800.0, 1300.0))


def test_at_a_slant_it_is_as_far_as_on_a_round_earth():
    sine = 0.05
    d = np.array([[np.sqrt(1.0 - sine**2), sine, 0.0]])
    start, _ = deck_ends(deck(), d, 0.0)
    height = np.hypot(start[0] * d[0, 0], EARTH_M + start[0] * sine) - EARTH_M
    assert height == pytest.approx(900.0, rel=0.01)


def test_from_above_it_is_met_downward_and_missed_upward_and_within_at_once():
    down, up = np.array([[0.0, -1.0, 0.0]]), np.array([[0.0, 1.0, 0.0]])
    start, end = deck_ends(deck(), down, 2000.0)
    assert (start[0], end[0]) == pytest.approx((600.0, 1100.0))
    start, end = deck_ends(deck(), up, 2000.0)
    assert start[0] == end[0]
    assert deck_ends(deck(), up, 1000.0)[0][0] == 0.0
    # From below what looks down sees the ground, not the deck.
    start, end = deck_ends(deck(), down, 2.0)
    assert start[0] == end[0]


def test_coverage_is_the_share_of_ground_under_cloud():
    rng = np.random.default_rng(2)
    x, z = rng.uniform(-2e4, 2e4, (2, 20_000))
    for cover in (0.2, 0.5, 0.8):
        there = deck_density(deck(cover=cover, detail=0.0), x, z, np.full(20_000, 0.3)) > 0.0
        assert there.mean() == pytest.approx(cover, abs=0.06)
    # Detail only takes away, and higher up there is less.
    plain = deck_density(deck(detail=0.0), x, z, np.full(20_000, 0.3))
    assert (deck_density(deck(), x, z, np.full(20_000, 0.3)) <= plain + 1e-12).all()
    leaning = deck_density(deck(detail=0.0), x, z, np.full(20_000, 0.8))
    assert leaning.mean() < 0.7 * plain.mean()


def test_what_it_leaves_falls_with_its_density_and_none_leaves_all():
    d, eye = ways(), np.zeros(3)
    left = [deck_along(deck(extinction=e, cover=1.0), d, eye)[1].mean() for e in (0.0005, 0.005, 0.05)]
    assert left == sorted(left, reverse=True)
    light, selected = deck_along(deck(cover=0.0), d, eye)
    assert selected == pytest.approx(np.ones(len(d)))
    assert light == pytest.approx(np.zeros((len(d), 3)))


def test_a_closed_deck_lets_through_what_overcast_skies_do():
    """Of a high sun's horizontal light and the sky's, between a tenth and a half comes down."""
    closed = deck(cover=1.0, detail=0.2)
    d = ways(3000, 0.02, 1.0)
    light, _ = deck_along(closed, d, np.zeros(3))
    # Directions even in their sine: the mean of luminance times sine, over the half sphere.
    down = 2.0 * np.pi * (light[:, 1] * d[:, 1]).mean()
    came = 9e4 * HIGH_SUN[1] + np.pi * 3500.0
    assert 0.1 < down / came < 0.5
    assert sun_through(closed) < 1e-3


def test_the_sun_comes_through_gaps_and_over_the_deck():
    places = [(x, z) for x in np.linspace(-8e3, 8e3, 9) for z in np.linspace(-8e3, 8e3, 9)]
    through = np.array([sun_through(deck(), over=place) for place in places])
    assert (through > 0.9).any()
    assert (through < 0.05).any()
    assert sun_through(deck(), eye_m=2000.0) == 1.0


def test_toward_the_sun_edges_glow_and_light_scales_with_what_comes():
    thin = deck(extinction=0.002, cover=1.0)
    toward, away = np.array([HIGH_SUN]), np.array([[0.0, 0.8, 0.6]])
    near, off = (deck_along(thin, d, np.zeros(3))[0][0, 1] for d in (toward, away))
    assert near > 2.0 * off
    doubled = deck_along(thin.times(2.0), toward, np.zeros(3))[0]
    assert doubled == pytest.approx(2.0 * deck_along(thin, toward, np.zeros(3))[0])


def test_far_off_it_goes_into_the_haze():
    hazy = deck(veil=(2e-5, 3e-5, 6e-5), cover=1.0)
    low, high = ways(300, 0.01, 0.02), ways(300, 0.7, 1.0)
    left = [deck_along(hazy, d, np.zeros(3))[1].mean() for d in (low, high)]
    assert left[0] > left[1] + 0.3


def test_after_one_repeat_of_its_noise_it_is_the_same_again(rng):
    """So that the drift of a day closes: coarse shapes and fine ones."""
    x, z = rng.uniform(-3e3, 3e3, (2, 2000))
    share = rng.random(2000)
    there = deck_density(deck(), x, z, share)
    tile = deck().tile
    back = deck_density(deck(drift=(deck().drift[0] - 3.0 * tile, deck().drift[1] + tile)), x, z, share)
    assert back == pytest.approx(there, abs=1e-6)


def test_a_way_that_ends_in_it_has_less_of_it_and_one_that_ends_before_it_none():
    thin, d = deck(extinction=0.002, cover=1.0), ways(200, 0.3, 0.9)
    start, end = deck_ends(thin, d, 0.0)
    lefts = [
        deck_along(thin, d, np.zeros(3), until_m=start + part * (end - start))[1] for part in (0.0, 0.5, 1.0)
    ]
    assert lefts[0] == pytest.approx(np.ones(len(d)))
    assert (lefts[1] < 1.0).any()
    assert (lefts[2] <= lefts[1] + 1e-3).all()
    assert lefts[2] == pytest.approx(deck_along(thin, d, np.zeros(3))[1])


def test_sides_toward_a_low_sun_are_brighter_than_those_away_from_it():
    """From over a broken, thick deck: with the sun behind one sees lit sides, against it shaded ones."""
    sine = np.sin(np.radians(8.0))
    toward = (float(np.sqrt(1.0 - sine**2)), float(sine), 0.0)
    broken = deck(cover=0.55, extinction=0.2, toward=toward, above=(0.0,) * 3, below=(0.0,) * 3)
    eye = np.array([0.0, 2400.0, 0.0])
    rng = np.random.default_rng(8)
    down, aside = rng.uniform(-0.5, -0.2, 4000), rng.uniform(-0.6, 0.6, 4000)
    flat = np.sqrt(1.0 - down**2)
    d = np.stack([flat * np.cos(aside), down, flat * np.sin(aside)], axis=1)
    shown = {}
    for name, turn in (("against", 1.0), ("along", -1.0)):
        light, left = deck_along(broken, d * np.array([turn, 1.0, 1.0]), eye)
        shown[name] = light[left < 0.05, 1].mean()
    assert shown["along"] > 1.1 * shown["against"]


def test_within_a_closed_deck_few_steps_show_what_many_do():
    """Samples lie closer where they are near: what is near hides the rest."""
    closed = deck(cover=1.0, detail=0.0, extinction=0.02)
    d, eye = ways(400, -0.9, 0.9), np.array([0.0, 1150.0, 0.0])
    few, many = (deck_along(closed, d, eye, steps=count)[0][:, 1] for count in (20, 400))
    assert np.median(np.abs(few / many - 1.0)) < 0.05
    assert deck_along(closed, d, eye)[1].max() < 0.02


def test_at_the_horizon_within_it_there_is_no_edge():
    closed = deck(cover=1.0, extinction=0.02)
    sine = np.linspace(-0.03, 0.03, 41)
    d = np.stack([np.sqrt(1.0 - sine**2), sine, np.zeros_like(sine)], axis=1)
    light = deck_along(closed, d, np.array([0.0, 1150.0, 0.0]))[0][:, 1]
    assert np.abs(np.diff(light)).max() < 0.03 * light.mean()


@pytest.mark.parametrize("elevation", [2.0, 8.0, 15.0, 30.0, 60.0])
def test_a_closed_deck_darkens_to_the_horizon_as_an_overcast_sky(elevation):
    """CIE standard general sky, type 1: (1 + 2 sin) / 3 of the zenith (ISO 15469)."""
    around = np.linspace(0.0, 2.0 * np.pi, 24, endpoint=False)

    def ring(degrees):
        e = np.radians(degrees)
        flat = np.cos(e)
        d = np.stack([flat * np.cos(around), np.full(24, np.sin(e)), flat * np.sin(around)], axis=1)
        return deck_along(deck(cover=1.0), d, np.array([0.0, 1.7, 0.0]))[0][:, 1].mean()

    assert ring(elevation) / ring(90.0) == pytest.approx(
        (1.0 + 2.0 * np.sin(np.radians(elevation))) / 3.0, rel=0.1
    )


def test_the_darkening_takes_nothing_of_the_light_on_the_ground():
    """What the zenith has more the horizon has less: the mean by the cosine stays."""
    sine = np.linspace(0.0005, 0.9995, 1000)
    d = np.stack([np.sqrt(1.0 - sine**2), sine, 0.0 * sine], axis=1)
    below, beside = (
        (deck_along(deck(cover=1.0, base=base), d, np.array([0.0, 950.0, 0.0]))[0][:, 1] * sine).mean()
        for base in (1600.0, 960.0)
    )
    assert below == pytest.approx(beside, rel=0.05)
