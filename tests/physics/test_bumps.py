"""What light falls on bumps too small to be drawn: against normals spread by chance, and the normal distribution."""

import numpy as np
import pytest
from scipy.stats import norm
from twins.bump_response import bump_variance, mean_cosine

from wallum.physics.arrays import normalised


def test_a_mean_of_normals_tells_how_far_they_are_spread(rng):
    slopes = 0.15 * rng.normal(size=(200_000, 2))
    normals = normalised(np.concatenate([slopes, np.ones((200_000, 1))], axis=1))
    length = np.linalg.norm(normals.mean(axis=0))
    assert bump_variance(np.array([length]))[0] == pytest.approx(normals[:, 0].var(), rel=0.05)
    assert bump_variance(np.array([1.0, 1.002])).tolist() == [0.0, 0.0]


@pytest.mark.parametrize("slope", [0.02, 0.1, 0.25])
def test_the_mean_of_what_is_over_0_is_that_of_normals_spread_by_chance(rng, slope):
    slopes = slope * rng.normal(size=(200_000, 2))
    normals = normalised(np.concatenate([slopes, np.ones((200_000, 1))], axis=1))
    mean = normals.mean(axis=0)
    variance = bump_variance(np.array([np.linalg.norm(mean)]))
    for degrees in (-20.0, -4.0, 0.0, 3.0, 6.0, 15.0, 40.0, 90.0):
        light = np.array([np.cos(np.radians(degrees)), 0.0, np.sin(np.radians(degrees))])
        whole = np.maximum(normals @ light, 0.0).mean()
        got = mean_cosine(np.array([light @ mean / np.linalg.norm(mean)]), variance)[0]
        assert got == pytest.approx(whole, rel=0.03, abs=0.025 * slope), degrees


def test_the_short_form_is_near_the_normal_distributions():
    cosine, deviation = np.linspace(-0.6, 0.6, 121), 0.12
    mean = cosine * (1.0 - deviation**2)
    exact = mean * norm.cdf(mean / deviation) + deviation * norm.pdf(mean / deviation)
    off = mean_cosine(cosine, np.full(121, deviation**2)) - exact
    assert np.abs(off).max() < 0.015 * deviation


def test_without_bumps_it_is_lamberts():
    cosine = np.linspace(-1.0, 1.0, 21)
    assert mean_cosine(cosine, np.zeros(21)) == pytest.approx(np.maximum(cosine, 0.0), abs=1e-12)
