"""Skies of other kinds, and what is laid over all of them: trims, gradients, panoramas, high cloud."""

import numpy as np
import pytest

from wallum.physics.clear_sky import clear_dome
from wallum.physics.colour import luminance
from wallum.physics.dome import DOME_SIZE, dome_directions, dome_illuminance
from wallum.physics.gradient_sky import GradientSky, gradient_dome
from wallum.physics.high_cloud import HighCloud, cloud_cover, cloud_light, over_sky, way_up
from wallum.physics.noise import bilinear, cloud_noise
from wallum.physics.panorama import (
    PanoramaView,
    find_sun,
    panorama_dome,
    panorama_ground,
    panorama_light,
    without_sun,
)
from wallum.physics.sky_trims import SkyTrims, low_sun_tint, trimmed

UP = np.array([0.0, 1.0, 0.0])
EVEN = np.ones((*DOME_SIZE, 3))
HEIGHTS = np.degrees(np.arcsin(dome_directions()[0][:, 0, 1]))


def row(dome, elevation):
    return dome[np.argmin(np.abs(HEIGHTS - elevation))]


# -- trims -----------------------------------------------------------------------------------


def test_no_trim_changes_nothing():
    sky = clear_dome(UP, 90.0, 10_000.0)
    assert (trimmed(sky, SkyTrims(), UP, 40.0) == sky).all()


def test_stops_hold_at_their_heights():
    out = trimmed(EVEN, SkyTrims(stops=(1.0, 0.0, -2.0)), UP, 40.0)
    assert luminance(out[-1, 0]) == pytest.approx(2.0, rel=0.01)
    assert luminance(row(out, 30.0)[0]) == pytest.approx(1.0, rel=0.02)
    assert luminance(out[0, 0]) == pytest.approx(0.25, rel=0.02)


def test_the_band_stands_over_the_horizon_alone():
    out = luminance(trimmed(EVEN, SkyTrims(band_deg=5.0, band_stops=2.0), UP, 40.0))
    assert out[-1, 0] == pytest.approx(4.0, rel=0.01)
    near = HEIGHTS[np.argmin(np.abs(HEIGHTS - 5.0))]
    assert row(out, 5.0)[0] == pytest.approx(2.0 ** (2.0 * np.exp(-((near / 5.0) ** 2))), rel=0.01)
    assert row(out, 20.0)[0] == pytest.approx(1.0, abs=0.01)


def test_deeper_blue_leaves_grey_and_orange_as_they_are():
    sky = EVEN * np.array([0.3, 0.5, 1.0])
    deep = trimmed(sky, SkyTrims(blue_depth=1.0), UP, 40.0)
    assert deep[0, 0, 0] / deep[0, 0, 2] < 0.75 * sky[0, 0, 0] / sky[0, 0, 2]
    assert trimmed(EVEN, SkyTrims(blue_depth=1.0), UP, 40.0) == pytest.approx(EVEN)
    orange = EVEN * np.array([1.0, 0.5, 0.2])
    assert trimmed(orange, SkyTrims(blue_depth=1.0), UP, 40.0) == pytest.approx(orange)


def test_a_low_sun_is_warmed_and_a_high_one_is_not():
    assert low_sun_tint(800.0, 40.0) == pytest.approx(np.ones(3))
    low = low_sun_tint(800.0, 2.0)
    assert low[0] > 1.0 > low[2]
    cooler = low_sun_tint(-800.0, 2.0)
    assert cooler[0] < 1.0 < cooler[2]


# -- gradient --------------------------------------------------------------------------------


GRADIENT = GradientSky((0.1, 0.2, 0.6), (0.3, 0.5, 0.8), (1.0, 0.8, 0.6), 25.0, 5000.0, 15.0, 3.0)


def test_a_gradient_has_its_colours_at_their_heights():
    dome = gradient_dome(GRADIENT, None)
    assert dome[-1, 7] == pytest.approx(np.array(GRADIENT.horizon) * 5000.0, rel=0.01)
    assert row(dome, 25.0)[3] == pytest.approx(np.array(GRADIENT.middle) * 5000.0, rel=0.05)
    assert dome[0, 50] == pytest.approx(np.array(GRADIENT.zenith) * 5000.0, rel=0.1)


def test_the_glow_is_about_the_sun_and_as_wide_as_stated():
    toward = dome_directions()[0][20, 30]
    ratio = luminance(gradient_dome(GRADIENT, toward)) / luminance(gradient_dome(GRADIENT, None))
    assert ratio[20, 30] == pytest.approx(8.0)
    off = np.degrees(np.arccos(np.clip(dome_directions()[0] @ toward, -1.0, 1.0)))
    assert ratio[off > 50.0].max() < 1.001
    assert ratio[np.abs(off - 15.0) < 1.0] == pytest.approx(2.0 ** (3.0 / np.e), rel=0.1)


# -- panoramas -------------------------------------------------------------------------------


def panorama(azimuth=100.0, elevation=35.0, height=180):
    """A sky of 1,000 cd/m2 over ground of 100, with a sun of 0.6 degrees radius."""
    width = 2 * height
    el = np.pi * (0.5 - (np.arange(height) + 0.5) / height)
    az = 2.0 * np.pi * ((np.arange(width) + 0.5) / width - 0.5)
    directions = np.stack(
        np.broadcast_arrays(
            np.cos(el)[:, None] * np.sin(az), np.sin(el)[:, None], -np.cos(el)[:, None] * np.cos(az)
        ),
        axis=-1,
    )
    out = np.where(directions[..., 1:2] > 0.0, 1000.0, 100.0) * np.ones(3)
    a, e = np.radians(azimuth), np.radians(elevation)
    sun = np.array([np.cos(e) * np.sin(a), np.sin(e), -np.cos(e) * np.cos(a)])
    out[directions @ sun > np.cos(np.radians(0.6))] += np.array([2e8, 1.8e8, 1.5e8])
    return out


@pytest.mark.parametrize(("azimuth", "elevation"), [(100.0, 35.0), (355.0, 8.0), (181.0, 62.0)])
def test_the_sun_is_found_where_it_was_put_with_its_energy(azimuth, elevation):
    sun = find_sun(panorama(azimuth, elevation, 512))
    assert sun is not None
    assert (sun.azimuth - azimuth + 180.0) % 360.0 - 180.0 == pytest.approx(0.0, abs=0.4)
    assert sun.elevation == pytest.approx(elevation, abs=0.3)
    solid = 2.0 * np.pi * (1.0 - np.cos(np.radians(0.6)))
    # A disc of a dozen cells is as round as that.
    assert sun.energy[0] == pytest.approx(2e8 * solid, rel=0.2)
    assert sun.energy[2] / sun.energy[0] == pytest.approx(0.75, rel=0.01)


def test_an_overcast_panorama_has_no_sun():
    assert find_sun(np.full((90, 180, 3), 800.0)) is None


def test_without_its_sun_a_panorama_is_as_bright_as_the_sky_about_it():
    out = without_sun(panorama(height=256))
    assert out.max() == pytest.approx(1000.0)


def test_a_panorama_gives_the_light_that_it_shows():
    dome = panorama_dome(without_sun(panorama()), 0.0, 0.0, DOME_SIZE, 4)
    assert dome_illuminance(dome) == pytest.approx(np.full(3, 1000.0 * np.pi), rel=0.01)
    assert panorama_ground(panorama(), 0.0) == pytest.approx([100.0] * 3)


def test_a_panorama_turns_clockwise_and_takes_its_suns_energy_along():
    turned = panorama_dome(panorama(100.0, 35.0, 512), 30.0, 0.0, DOME_SIZE, 6)
    row_, column = np.unravel_index(int(np.argmax(luminance(turned))), DOME_SIZE)
    toward = dome_directions()[0][row_, column]
    assert np.degrees(np.arctan2(toward[0], -toward[2])) == pytest.approx(130.0, abs=3.0)
    direct = dome_illuminance(turned)[0] - 1000.0 * np.pi
    solid = 2.0 * np.pi * (1.0 - np.cos(np.radians(0.6)))
    assert direct == pytest.approx(2e8 * solid * np.sin(np.radians(35.0)), rel=0.15)


def test_a_panoramas_light_by_direction_is_that_of_its_dome():
    """Toward the dome's own cells, whatever turn and horizon: the same cells of the panorama."""
    rng = np.random.default_rng(5)
    smooth = np.repeat(np.repeat(rng.random((8, 16, 3)), 16, axis=0), 16, axis=1)
    for turn, horizon in ((0.0, 0.0), (75.0, 0.0), (-130.0, 12.0)):
        dome = panorama_dome(smooth, turn, horizon, DOME_SIZE)
        toward = dome_directions()[0].reshape(-1, 3)
        light = panorama_light(smooth, PanoramaView(turn, horizon), toward)
        assert light == pytest.approx(dome.reshape(-1, 3), abs=1e-6)


def test_what_lies_over_a_panorama_and_its_gain_count_and_contrast_leaves_the_middle():
    even = np.full((32, 64, 3), 50.0)
    d = ways(20)
    plain = panorama_light(even, PanoramaView(0.0, 0.0, gain=3.0, added=(1.0, 2.0, 4.0)), d)
    assert plain == pytest.approx(np.tile([151.0, 152.0, 154.0], (20, 1)))
    hard = panorama_light(even, PanoramaView(0.0, 0.0, contrast=2.0, middle=50.0), d)
    assert hard == pytest.approx(np.full((20, 3), 50.0))
    brighter = panorama_light(even * 2.0, PanoramaView(0.0, 0.0, contrast=2.0, middle=50.0), d)
    assert brighter == pytest.approx(np.full((20, 3), 200.0))


def test_the_sun_is_found_across_the_seam_and_near_the_zenith():
    for azimuth, elevation in ((180.0, 30.0), (20.0, 87.0)):
        sun = find_sun(panorama(azimuth, elevation, 512))
        assert sun is not None
        assert sun.elevation == pytest.approx(elevation, abs=0.4)


# -- high cloud ------------------------------------------------------------------------------


def cloud(**changes):
    values = {
        "cover": 0.4, "soft": 0.5, "opacity": 0.8, "height": 8000.0, "tile": 30_000.0, "drift": (0.0, 0.0),
        "toward": (0.0, 0.6, -0.8), "sunlit": (1e5, 9e4, 8e4), "even": (2000.0, 2200.0, 2600.0),
    }  # fmt: skip
    return HighCloud(**{**values, **changes})


def ways(count=4000, lowest=0.2):
    rng = np.random.default_rng(3)
    up = rng.uniform(lowest, 1.0, count)
    around = rng.uniform(0.0, 2.0 * np.pi, count)
    flat = np.sqrt(1.0 - up * up)
    return np.stack([flat * np.cos(around), up, flat * np.sin(around)], axis=1)


def test_the_noise_repeats_without_a_seam_and_is_spread_evenly():
    noise = cloud_noise()
    steps = np.abs(np.diff(noise, axis=1)).mean()
    assert np.abs(noise[:, 0] - noise[:, -1]).mean() < 2.0 * steps
    assert np.histogram(noise, bins=10, range=(0, 1))[0] == pytest.approx(noise.size / 10, rel=0.01)
    assert bilinear(noise, 0.25, 0.5) == pytest.approx(bilinear(noise, 1.25, -0.5))
    assert (cloud_noise() == cloud_noise.__wrapped__()).all()


def test_more_coverage_hides_more_and_none_hides_nothing():
    hidden = [cloud_cover(cloud(cover=c, soft=0.05), ways()).mean() for c in (0.0, 0.2, 0.5, 0.8, 1.0)]
    assert hidden == sorted(hidden)
    assert hidden[0] < 0.02
    assert hidden[-1] > 0.75
    assert (cloud_cover(cloud(opacity=0.0), ways()) == 0.0).all()
    assert (cloud_cover(cloud(), -ways()) == 0.0).all()


def test_a_layer_is_as_far_as_geometry_says():
    assert way_up(1.0, 8000.0) == pytest.approx(8000.0)
    assert way_up(0.0, 8000.0) == pytest.approx(np.sqrt(2.0 * 6_371_000.0 * 8000.0 + 8000.0**2))


def test_a_drift_of_one_tile_is_none():
    there = cloud_cover(cloud(), ways())
    assert cloud_cover(cloud(drift=(30_000.0, -60_000.0)), ways()) == pytest.approx(there, abs=1e-6)
    assert np.abs(cloud_cover(cloud(drift=(4000.0, 0.0)), ways()) - there).max() > 0.2


def test_cloud_is_brightest_before_the_sun_and_mixes_between_sky_and_itself():
    layer = cloud()
    toward = np.array([layer.toward])
    assert luminance(cloud_light(layer, toward))[0] > 5.0 * luminance(cloud_light(layer, -toward))[0]
    some = ways(500)
    mixed = over_sky(layer, some, np.full((500, 3), 3000.0))
    low = np.minimum(3000.0, cloud_light(layer, some))
    high = np.maximum(3000.0, cloud_light(layer, some))
    assert ((mixed >= low - 1e-6) & (mixed <= high + 1e-6)).all()
