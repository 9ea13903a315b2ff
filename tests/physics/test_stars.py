"""Stars: where the catalogue of another program has them, with the light of their magnitudes."""

import math

import ephem
import ephem.stars
import numpy as np
import pytest

from wallum.physics.colour import cct_of, luminance
from wallum.physics.stars import star_temperature, stars


def of_another_catalogue(name):
    star = ephem.star(name)
    star.compute("2000/1/1", epoch="2000")
    flat = math.cos(star.a_dec)
    place = (flat * math.cos(star.a_ra), flat * math.sin(star.a_ra), math.sin(star.a_dec))
    return np.array(place), float(star.mag)


@pytest.mark.parametrize("name", sorted(set(ephem.stars.stars) - {"Albereo", "Albireo"}))
def test_named_stars_stand_where_another_catalogue_has_them(name):
    """But for one: a pair, which the catalogues hold as one star and as two."""
    places, light = stars()
    place, magnitude = of_another_catalogue(name)
    nearest = (places @ place).argmax()
    assert places[nearest] @ place > math.cos(math.radians(0.03))
    shown = -2.5 * math.log10(luminance(light[nearest]) / 2.54e-6)
    assert shown == pytest.approx(magnitude, abs=0.15)


def test_stars_have_the_light_of_their_magnitudes():
    places, light = stars()
    assert np.linalg.norm(places, axis=1) == pytest.approx(np.ones(len(places)), abs=1e-5)
    # Sirius, magnitude -1.46, is the brightest; all together they are a part of the night's light.
    assert luminance(light).max() == pytest.approx(2.54e-6 * 10 ** (0.4 * 1.46), rel=0.05)
    assert 3e-5 < luminance(light).sum() < 4e-4
    assert (np.diff(luminance(light)) <= 1e-12).all()


def test_a_magnitude_fainter_there_are_about_three_times_as_many():
    """Allen, table 19.10: counts grow by 10^0.5 a magnitude among the bright ones."""
    shown = -2.5 * np.log10(luminance(stars()[1]) / 2.54e-6)
    counts = [(shown < limit).sum() for limit in (3.0, 4.0, 5.0, 6.0)]
    for fewer, more in zip(counts, counts[1:], strict=False):
        assert 2.4 < more / fewer < 3.6


def test_red_stars_are_red_and_the_sun_has_its_temperature():
    assert star_temperature(np.array([0.653]))[0] == pytest.approx(5772.0, rel=0.02)
    betelgeuse, rigel = (of_another_catalogue(name)[0] for name in ("Betelgeuse", "Rigel"))
    places, light = stars()
    warm, cold = (cct_of(light[(places @ place).argmax()]) for place in (betelgeuse, rigel))
    assert warm < 4000.0 < 9000.0 < cold
