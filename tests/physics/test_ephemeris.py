"""Places of sun and moon against independent algorithms, written out here."""

import datetime as dt

import ephem
import numpy as np
import pytest

from wallum.physics.ephemeris import Observer, moon_place, refracted, sky_rotation, sun_place

PLACES = [
    Observer(31.4, -109.2, -7.0),
    Observer(-33.9, 18.4, 2.0),
    Observer(69.6, 18.9, 1.0),
    Observer(0.0, 100.0, 7.0),
]
DATES = [dt.date(2027, 10, 12), dt.date(2027, 3, 1), dt.date(2030, 6, 21), dt.date(2024, 12, 20)]


def horizontal(observer, date, clock, ascension, declination):
    """Azimuth from north and elevation [deg] of right ascension and declination [rad]."""
    days = (date - dt.date(2000, 1, 1)).days - 0.5 + (clock - observer.utc_offset) / 24.0
    # Greenwich mean sidereal time: Meeus 1998, eq. 12.4.
    turn = np.radians(280.46061837 + 360.98564736629 * days + observer.longitude)
    hour, latitude = turn - ascension, np.radians(observer.latitude)
    up = np.sin(latitude) * np.sin(declination) + np.cos(latitude) * np.cos(declination) * np.cos(hour)
    south = np.sin(latitude) * np.cos(hour) - np.tan(declination) * np.cos(latitude)
    return np.degrees(np.arctan2(np.sin(hour), south)) + 180.0, np.degrees(np.arcsin(up))


def centuries(observer, date, clock):
    # Terrestrial time runs about 69 s ahead of universal time in these years.
    days = (date - dt.date(2000, 1, 1)).days - 0.5 + (clock - observer.utc_offset) / 24.0 + 69.0 / 86400.0
    return days / 36525.0


def equatorial(longitude, latitude, t):
    tilt = np.radians(23.439291 - 0.0130042 * t)
    ascension = np.arctan2(
        np.sin(longitude) * np.cos(tilt) - np.tan(latitude) * np.sin(tilt), np.cos(longitude)
    )
    declination = np.arcsin(
        np.sin(latitude) * np.cos(tilt) + np.cos(latitude) * np.sin(tilt) * np.sin(longitude)
    )
    return ascension, declination


def sun_by_meeus(observer, date, clock):
    """Meeus 1998, chapter 25, the low accuracy method: 0.01 degrees."""
    t = centuries(observer, date, clock)
    mean = 280.46646 + 36000.76983 * t + 0.0003032 * t * t
    m = np.radians(357.52911 + 35999.05029 * t - 0.0001537 * t * t)
    centre = (
        (1.914602 - 0.004817 * t) * np.sin(m)
        + (0.019993 - 0.000101 * t) * np.sin(2 * m)
        + 0.000289 * np.sin(3 * m)
    )
    longitude = np.radians(mean + centre - 0.00569 - 0.00478 * np.sin(np.radians(125.04 - 1934.136 * t)))
    return horizontal(observer, date, clock, *equatorial(longitude, 0.0, t))


# Meeus 1998, tables 47.A and 47.B: D, M, M', F, coefficient [1e-6 deg]; the largest terms.
LONGITUDE = [
    (0, 0, 1, 0, 6288774), (2, 0, -1, 0, 1274027), (2, 0, 0, 0, 658314), (0, 0, 2, 0, 213618),
    (0, 1, 0, 0, -185116), (0, 0, 0, 2, -114332), (2, 0, -2, 0, 58793), (2, -1, -1, 0, 57066),
    (2, 0, 1, 0, 53322), (2, -1, 0, 0, 45758), (0, 1, -1, 0, -40923), (1, 0, 0, 0, -34720),
    (0, 1, 1, 0, -30383), (2, 0, 0, -2, 15327), (0, 0, 1, 2, -12528), (0, 0, 1, -2, 10980),
    (4, 0, -1, 0, 10675), (0, 0, 3, 0, 10034), (4, 0, -2, 0, 8548), (2, 1, -1, 0, -7888),
    (2, 1, 0, 0, -6766), (1, 0, -1, 0, -5163), (1, 1, 0, 0, 4987), (2, -1, 1, 0, 4036),
]  # fmt: skip
LATITUDE = [
    (0, 0, 0, 1, 5128122), (0, 0, 1, 1, 280602), (0, 0, 1, -1, 277693), (2, 0, 0, -1, 173237),
    (2, 0, -1, 1, 55413), (2, 0, -1, -1, 46271), (2, 0, 0, 1, 32573), (0, 0, 2, 1, 17198),
    (2, 0, 1, -1, 9266), (0, 0, 2, -1, 8822), (2, -1, 0, -1, 8216), (2, 0, -2, -1, 4324),
    (2, 0, 1, 1, 4200),
]  # fmt: skip
DISTANCE_KM = [
    (0, 0, 1, 0, -20905.355), (2, 0, -1, 0, -3699.111), (2, 0, 0, 0, -2955.968), (0, 0, 2, 0, -569.925),
    (2, 0, -2, 0, 246.158), (2, -1, 0, 0, -204.586), (2, 0, 1, 0, -170.733), (2, -1, -1, 0, -152.138),
]  # fmt: skip


def moon_by_meeus(observer, date, clock):
    """Meeus 1998, chapter 47 with its largest terms (about 0.01 degrees), and parallax."""
    t = centuries(observer, date, clock)
    mean = 218.3164477 + 481267.88123421 * t
    arguments = np.radians(
        [
            297.8501921 + 445267.1114034 * t,
            357.5291092 + 35999.0502909 * t,
            134.9633964 + 477198.8675055 * t,
            93.2720950 + 483202.0175233 * t,
        ]
    )

    def total(rows, wave):
        return sum(row[4] * wave(np.dot(row[:4], arguments)) for row in rows)

    nutation = -0.00478 * np.sin(np.radians(125.04 - 1934.136 * t))
    longitude = np.radians(mean + total(LONGITUDE, np.sin) * 1e-6 + nutation)
    latitude = np.radians(total(LATITUDE, np.sin) * 1e-6)
    distance = 385000.56 + total(DISTANCE_KM, np.cos)
    azimuth, elevation = horizontal(observer, date, clock, *equatorial(longitude, latitude, t))
    lowered = elevation - np.degrees(np.arcsin(6378.14 / distance * np.cos(np.radians(elevation))))
    return azimuth, lowered


def angle_between(a, b):
    """Angle between two places (azimuth, elevation) [deg]."""
    directions = []
    for azimuth, elevation in (a, b):
        az, el = np.radians(azimuth), np.radians(elevation)
        directions.append([np.cos(el) * np.sin(az), np.sin(el), np.cos(el) * np.cos(az)])
    return np.degrees(np.arccos(np.clip(np.dot(*directions), -1.0, 1.0)))


def test_the_sun_is_where_the_published_example_has_it():
    """Reda, Andreas 2004 (NREL/TP-560-34302), appendix A.5: zenith 50.11162, azimuth 194.34024."""
    place = sun_place(Observer(39.742476, -105.1786, -7.0), dt.date(2003, 10, 17), 12.0 + 30.5 / 60.0)
    assert place.azimuth == pytest.approx(194.34024, abs=0.01)
    assert place.elevation == pytest.approx(90.0 - 50.11162, abs=0.01)


@pytest.mark.parametrize("observer", PLACES)
@pytest.mark.parametrize("date", DATES)
def test_the_sun_agrees_with_an_independent_method(observer, date):
    for clock in (0.0, 5.5, 9.25, 12.0, 15.75, 21.0):
        here = sun_place(observer, date, clock)
        assert angle_between((here.azimuth, here.geometric), sun_by_meeus(observer, date, clock)) < 0.03


@pytest.mark.parametrize("observer", PLACES)
@pytest.mark.parametrize("date", DATES)
def test_the_moon_agrees_with_an_independent_method(observer, date):
    for clock in (0.0, 5.5, 9.25, 12.0, 15.75, 21.0):
        here = moon_place(observer, date, clock)
        assert angle_between((here.azimuth, here.geometric), moon_by_meeus(observer, date, clock)) < 0.05


def test_refraction_is_half_a_degree_at_the_horizon_and_none_overhead():
    # 34' of lift bring a disc's middle from -0.57 to 0: Nautical Almanac.
    assert refracted(-0.5667) == pytest.approx(0.0, abs=0.06)
    assert refracted(10.0) - 10.0 == pytest.approx(5.3 / 60.0, abs=0.01)
    assert refracted(90.0) == pytest.approx(90.0, abs=1e-3)
    heights = np.arange(-30.0, 90.0, 0.05)
    lifted = np.array([refracted(h) for h in heights])
    assert (np.diff(lifted) > 0.0).all()
    assert refracted(-20.0) == -20.0


def test_the_moons_phase_is_that_of_the_date():
    """12 October 2027: 94 % lit; new on 30 September, full on 15 October (almanac dates)."""
    observer = PLACES[0]
    assert moon_place(observer, dt.date(2027, 10, 12), 21.5).lit == pytest.approx(0.94, abs=0.01)
    assert moon_place(observer, dt.date(2027, 9, 29), 19.5).lit < 0.01
    assert moon_place(observer, dt.date(2027, 10, 15), 7.0).lit > 0.995


def test_stars_turn_about_the_pole():
    observer, date = PLACES[0], dt.date(2027, 10, 12)
    pole = sky_rotation(observer, date, 3.0) @ np.array([0.0, 0.0, 1.0])
    assert np.degrees(np.arcsin(pole[1])) == pytest.approx(observer.latitude, abs=1e-6)
    assert pole[2] < 0.0  # in the north
    assert pole[0] == pytest.approx(0.0, abs=1e-9)


def test_the_rotation_puts_the_sun_where_the_sun_is():
    observer, date, clock = PLACES[1], dt.date(2027, 3, 1), 9.5
    sun = ephem.Sun(observer.moment(date, clock))
    a, d = float(sun.g_ra), float(sun.g_dec)
    toward = sky_rotation(observer, date, clock) @ np.array(
        [np.cos(d) * np.cos(a), np.cos(d) * np.sin(a), np.sin(d)]
    )
    place = sun_place(observer, date, clock)
    assert np.degrees(np.arcsin(toward[1])) == pytest.approx(place.geometric, abs=0.02)
    assert np.degrees(np.arctan2(toward[0], -toward[2])) % 360.0 == pytest.approx(place.azimuth, abs=0.02)
