"""The clear day, twilight and night: sums, bands, colours, and no jumps."""

import numpy as np
import pytest

from wallum.physics.clear_sky import NIGHT_LX, clear_dome, night_dome, sky_illuminance
from wallum.physics.colour import cct_of, light_colour, luminance
from wallum.physics.dome import dome_directions, dome_illuminance
from wallum.physics.sky_air import SkyAir, _transmission, air_mass, transmitted
from wallum.physics.sunlight import moonlight, phase_factor, sunlight, visible_share

RADIUS = 0.267


def direction(elevation, azimuth=90.0):
    el, az = np.radians(elevation), np.radians(azimuth)
    return np.array([np.cos(el) * np.sin(az), np.sin(el), -np.cos(el) * np.cos(az)])


def dome_at(elevation):
    return clear_dome(direction(elevation), elevation, sky_illuminance(elevation))


@pytest.mark.parametrize("elevation", [60.0, 20.0, 3.0, -4.0, -10.0])
def test_the_dome_gives_open_ground_what_was_stated(elevation):
    assert luminance(dome_illuminance(dome_at(elevation))) == pytest.approx(
        sky_illuminance(elevation), rel=1e-6
    )


@pytest.mark.parametrize(
    ("elevation", "low", "high"),
    [
        # IES daylight availability, 0.8 + 15.5 sqrt(sin a) klx.
        (90.0, 16_200, 16_400),
        (30.0, 11_700, 11_800),
        # Explanatory Supplement, 11,120 lx at 10 degrees, less the sun's own 7,230 lx.
        (10.0, 3_800, 4_400),
        # Explanatory Supplement: sunset 400-800, the three twilights.
        (0.0, 400, 800),
        (-0.8333, 400, 800),
        (-6.0, 3.3, 3.5),
        (-12.0, 0.0075, 0.0085),
        (-18.0, 0.0, 1e-4),
        (-60.0, 0.0, 0.0),
    ],
)
def test_the_sky_gives_what_is_published(elevation, low, high):
    assert low <= sky_illuminance(elevation) <= high


def test_the_natural_night_is_dark():
    total = luminance(dome_illuminance(night_dome()))
    assert 0.0005 < total < 0.0008
    assert total == pytest.approx(NIGHT_LX)


@pytest.mark.parametrize(
    ("elevation", "low", "high"), [(90.0, 100_000, 112_000), (30.0, 80_000, 92_000), (5.0, 12_000, 20_000)]
)
def test_the_sun_gives_what_clear_days_give(elevation, low, high):
    """Around 127.5 klx exp(-0.21 m), IES: 103, 84 and 14 klx."""
    assert low < luminance(sunlight(elevation, RADIUS)) < high


def test_without_air_the_sun_gives_the_constant():
    masses, selected = _transmission()
    assert masses[0] == 0.0
    assert luminance(selected[0]) == pytest.approx(1.0, rel=1e-4)  # the matrix has four digits
    assert (np.diff(luminance(selected)) < 0.0).all()
    assert luminance(transmitted(90.0)) < 1.0
    assert air_mass(90.0) == pytest.approx(1.0, abs=1e-3)
    assert air_mass(0.0) == pytest.approx(38.0, abs=0.2)


def test_nothing_comes_from_below_the_horizon():
    assert not sunlight(-RADIUS, RADIUS).any()
    assert not moonlight(-0.3, 0.26, 0.0).any()
    assert visible_share(0.0, RADIUS) == pytest.approx(0.5)
    assert visible_share(RADIUS, RADIUS) == 1.0
    assert visible_share(-0.1, 0.0) == 0.0


def test_a_setting_sun_goes_without_a_jump():
    steps = np.arange(-0.5, 1.0, 0.01)
    inputs = np.array([luminance(sunlight(e, RADIUS)) for e in steps])
    assert (np.diff(inputs) >= 0.0).all()
    assert np.abs(np.diff(inputs)).max() < 30.0


def test_a_low_sun_is_redder_the_lower_it_stands():
    kelvin = [cct_of(sunlight(e, RADIUS)) for e in (60.0, 30.0, 15.0, 8.0, 4.0)]
    assert kelvin == sorted(kelvin, reverse=True)
    assert 4900 < kelvin[0] < 5600
    assert kelvin[-1] < 3000


def test_a_full_moon_gives_a_quarter_lux_and_a_quarter_moon_a_tenth_of_it():
    full = luminance(moonlight(60.0, 0.26, 0.0))
    assert full == pytest.approx(0.25, abs=0.02)
    assert full * np.sin(np.radians(60.0)) == pytest.approx(0.21, abs=0.02)
    assert phase_factor(90.0) == pytest.approx(0.1, abs=0.03)
    assert phase_factor(0.0) == 1.0


def test_day_and_twilight_make_no_jump_between_neighbouring_minutes():
    """The sun moves at most a quarter of a degree a minute: never more than 0.45 stops."""
    heights = np.arange(90.0, -25.0, -0.25)
    lux = np.array(
        [
            sky_illuminance(h) + luminance(sunlight(h, RADIUS)) * max(np.sin(np.radians(h)), 0.0) + NIGHT_LX
            for h in heights
        ]
    )
    assert np.abs(np.diff(np.log2(lux))).max() < 0.45
    assert (np.diff(lux) <= 1e-12).all()


def row_at(dome, elevation_deg):
    """The dome's row at an elevation; columns start at north, the sun stands in the east."""
    heights = np.degrees(np.arcsin(dome_directions()[0][:, 0, 1]))
    return dome[np.argmin(np.abs(heights - elevation_deg))]


def test_by_day_the_zenith_is_bluer_than_the_horizon():
    dome = dome_at(40.0)
    low, high = row_at(dome, 2.0)[72], row_at(dome, 85.0)[72]
    low, high = low / luminance(low), high / luminance(high)
    assert high[2] > 1.3 * low[2]
    assert high[2] > 1.5 * high[0]


def test_dusk_is_orange_over_the_sun_and_blue_overhead():
    dome = dome_at(-4.0)
    toward, overhead = row_at(dome, 3.0)[24], row_at(dome, 80.0)[24]
    toward, overhead = toward / luminance(toward), overhead / luminance(overhead)
    assert toward[0] > 2.0 * toward[2]
    assert overhead[2] > 1.8 * overhead[0]
    # Ozone keeps the blue hour blue: without it the zenith would turn yellow.
    assert overhead[2] > light_colour(9000.0)[2]
    bare = clear_dome(direction(-4.0), -4.0, 1.0, SkyAir(ozone_du=0.0))
    without = row_at(bare, 80.0)[24]
    assert without[2] / luminance(without) < 0.9 * overhead[2]


def test_the_dome_changes_smoothly_with_the_sun():
    for elevation in (70.0, 9.9, 0.0, -6.0, -9.5):
        a, b = dome_at(elevation), dome_at(elevation - 0.25)
        assert np.abs(np.log2(luminance(b) / luminance(a))).max() < 0.55
        share_a, share_b = a / luminance(a)[..., None], b / luminance(b)[..., None]
        assert np.abs(share_a - share_b).max() < 0.35


def test_the_brightest_part_of_the_sky_is_about_the_sun():
    dome = luminance(dome_at(35.0))
    at = np.unravel_index(dome.argmax(), dome.shape)
    assert dome_directions()[0][at] @ direction(35.0) > np.cos(np.radians(8.0))
