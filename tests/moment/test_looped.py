"""A date that is played over and over: moon and stars close their circle, and are true by day."""

import datetime as dt

import numpy as np
import pytest

from wallum.moment.base_light import direction_to
from wallum.moment.looped import looped_moon, looped_stars
from wallum.physics.ephemeris import Observer, moon_place, sky_rotation

DESERT, NORTH = Observer(31.4, -109.2, -7.0), Observer(68.0, 20.0, 2.0)
DATES = (dt.date(2027, 10, 12), dt.date(2027, 6, 21), dt.date(2027, 1, 3))


def toward(place):
    return direction_to(place.azimuth, place.geometric)


@pytest.mark.parametrize("where", [DESERT, NORTH])
@pytest.mark.parametrize("date", DATES)
def test_midnight_shows_one_moon(where, date):
    before, after = looped_moon(where, date, 24.0), looped_moon(where, date, 0.0)
    assert toward(before) == pytest.approx(toward(after), abs=1e-6)
    assert before.phase_deg == pytest.approx(after.phase_deg)
    assert before.distance_ratio == pytest.approx(after.distance_ratio)
    # The true one jumps by what it falls back in a day.
    jump = np.degrees(np.arccos(toward(moon_place(where, date, 24.0)) @ toward(moon_place(where, date, 0.0))))
    assert jump > 8.0


@pytest.mark.parametrize("hour", [3.0, 7.5, 12.0, 20.9])
def test_by_day_the_moon_is_true(hour):
    assert looped_moon(DESERT, DATES[0], hour) == moon_place(DESERT, DATES[0], hour)


def test_the_moon_never_moves_faster_than_the_sky_and_a_third():
    hours = np.arange(0.0, 24.001, 0.05)
    directions = np.array([toward(looped_moon(DESERT, DATES[0], float(h))) for h in hours])
    speed = np.degrees(np.arccos(np.clip((directions[1:] * directions[:-1]).sum(axis=1), -1.0, 1.0))) / 0.05
    assert speed.max() < 20.0


def test_the_stars_close_their_circle_too():
    before, after = (looped_stars(DESERT, DATES[0], h) for h in (24.0, 0.0))
    assert before == pytest.approx(after, abs=2e-5)
    assert np.abs(sky_rotation(DESERT, DATES[0], 24.0) - sky_rotation(DESERT, DATES[0], 0.0)).max() > 0.01
    assert (looped_stars(DESERT, DATES[0], 12.0) == sky_rotation(DESERT, DATES[0], 12.0)).all()
