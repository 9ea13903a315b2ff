"""The air's tables: no light is made, what is published comes out, other air does what air does."""

import numpy as np
import pytest

from wallum.physics.atmosphere import atmosphere_dome, ground_illuminance, multiple_scattering_table
from wallum.physics.clear_sky import sky_illuminance
from wallum.physics.colour import luminance
from wallum.physics.dome import dome_directions, dome_illuminance
from wallum.physics.sky_air import CLEAR, SkyAir, columns_to_top, densities, optical_depths, transmitted
from wallum.physics.sunlight import SOLAR_LX

HIGH = np.sin(np.radians(60.0))


def direction(elevation):
    return np.array([0.0, np.sin(np.radians(elevation)), -np.cos(np.radians(elevation))])


def sky_lux(elevation, air=CLEAR):
    return luminance(dome_illuminance(atmosphere_dome(direction(elevation), elevation, air)))


def test_the_columns_are_whole_from_the_sea_up_and_thin_out_as_stated():
    whole = columns_to_top(np.zeros(1), np.ones(1))[0]
    assert whole == pytest.approx([1.0, 1.0, 1.0], rel=0.02)
    height = np.array([8000.0])
    assert columns_to_top(height, np.ones(1))[0, 0] == pytest.approx(np.exp(-1.0), rel=0.03)
    fine = np.arange(0.0, 80_000.0, 50.0)
    assert densities(fine).sum(axis=0) * 50.0 == pytest.approx([1.0, 1.0, 1.0], rel=0.03)


@pytest.mark.parametrize("elevation", [90.0, 60.0, 30.0, 10.0])
def test_sun_and_sky_give_the_ground_no_more_than_came_in(elevation):
    """With white ground light comes back; with black ground less arrives than went in."""
    black = SkyAir(albedo=0.0)
    came = np.sin(np.radians(elevation))
    beam = luminance(transmitted(elevation, black)) * came
    inputs = sky_lux(elevation, black)
    assert inputs > 0.0
    assert beam + inputs < came
    # What does not arrive went back to space or was swallowed: less than four tenths of a high sun.
    if elevation >= 30.0:
        assert beam + inputs > 0.6 * came


def test_bright_ground_makes_a_brighter_sky():
    lux = [sky_lux(40.0, SkyAir(albedo=a)) for a in (0.0, 0.3, 0.9)]
    assert lux == sorted(lux)
    assert lux[2] > 1.15 * lux[0]


def test_what_is_scattered_again_is_less_than_the_light_that_came():
    table = multiple_scattering_table(SkyAir(albedo=0.0))
    assert (table >= 0.0).all()
    # A field of 1/4 pi all around would be all the light there is.
    assert table.max() < 1.0 / (4.0 * np.pi)


@pytest.mark.parametrize(
    ("elevation", "low", "high"),
    [
        (90.0, 0.75, 1.35),
        (45.0, 0.75, 1.35),
        (20.0, 0.75, 1.35),
        (0.0, 0.6, 1.5),
        (-3.0, 0.5, 2.0),
        (-6.0, 0.5, 2.0),
    ],
)
def test_the_model_alone_comes_near_to_what_is_published(elevation, low, high):
    """IES daylight availability by day, the Explanatory Supplement in twilight."""
    assert low < sky_lux(elevation) * SOLAR_LX / sky_illuminance(elevation) < high


# Sun and sky on level ground by the sun's elevation [deg: lx]: Explanatory Supplement to the
# Astronomical Almanac (1992), section 9.34, worked by hand.
PUBLISHED = {
    -5.0: 10.4,
    -0.8: 462.0,
    0.0: 759.0,
    1.0: 1268.0,
    3.0: 2689.0,
    5.0: 4538.0,
    7.0: 6840.0,
    10.0: 11120.0,
}


@pytest.mark.parametrize("elevation", PUBLISHED)
def test_sun_and_sky_together_are_what_is_published_of_low_suns(elevation):
    """The sky alone was given more than both have."""
    up = max(np.sin(np.radians(elevation)), 0.0)
    sun = SOLAR_LX * luminance(transmitted(elevation)) * up
    assert sun + sky_illuminance(elevation) == pytest.approx(PUBLISHED[elevation], rel=0.04)


def test_the_sky_goes_evenly_from_a_low_sun_to_a_high_one():
    lux = np.array([sky_illuminance(e) for e in np.arange(0.0, 60.0, 0.25)])
    assert (np.diff(lux) > 0.0).all()
    assert np.diff(np.log2(lux)).max() < 0.22  # stops a quarter of a degree


@pytest.mark.parametrize("elevation", [70.0, 25.0, 6.0, -2.0])
def test_the_coarse_look_agrees_with_the_whole_dome(elevation):
    assert ground_illuminance(elevation, CLEAR) == pytest.approx(sky_lux(elevation), rel=0.12)


def test_the_glow_about_the_sun_grows_with_haze_and_the_far_side_stays_blue():
    thin, thick = (atmosphere_dome(direction(30.0), 30.0, SkyAir(haze=h)) for h in (0.5, 4.0))
    toward = dome_directions()[0] @ direction(30.0)
    near, far = toward > np.cos(np.radians(8.0)), (toward < 0.1) & (dome_directions()[0][..., 1] > 0.7)
    assert luminance(thick[near].mean(axis=0)) > 3.0 * luminance(thin[near].mean(axis=0))
    blue = thin[far].mean(axis=0)
    assert blue[2] > 1.8 * blue[0]


def test_high_up_the_sky_is_darker_and_the_sun_stronger():
    assert sky_lux(50.0, SkyAir(height_m=4000.0)) < 0.75 * sky_lux(50.0)
    assert luminance(transmitted(20.0, SkyAir(height_m=4000.0))) > 1.1 * luminance(transmitted(20.0))


def test_haze_of_large_grains_takes_all_colours_alike():
    white = optical_depths(SkyAir(angstrom=0.0))[1]
    assert np.ptp(white) == pytest.approx(0.0, abs=1e-12)
    assert optical_depths(SkyAir(haze=2.0))[1] == pytest.approx(2.0 * optical_depths()[1])


def test_the_shadow_of_the_earth_rises_opposite_the_sun():
    """At dusk the lowest band opposite is darker than what stands over it (Belt of Venus)."""
    dome = luminance(atmosphere_dome(direction(-3.0), -3.0, CLEAR))
    heights = np.degrees(np.arcsin(dome_directions()[0][:, 0, 1]))
    opposite = dome[:, 48]
    at = [opposite[np.argmin(np.abs(heights - e))] for e in (1.0, 8.0, 14.0)]
    assert at[0] < at[1]
    # Redder in the band than overhead.
    colours = atmosphere_dome(direction(-3.0), -3.0, CLEAR)[:, 48]
    band, over = colours[np.argmin(np.abs(heights - 8.0))], colours[0]
    assert band[0] / band[2] > 1.5 * over[0] / over[2]
