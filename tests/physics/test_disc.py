"""Light of a disc: published configurations, the sum over its area, and what a horizon cuts off."""

import numpy as np
import pytest

from wallum.physics.disc import disc_illuminance, disc_lumens
from wallum.physics.frames import frame_of

DOWN = np.array([[0.0, -1.0, 0.0]])
RNG = np.random.default_rng(8)


def unit(vectors):
    return vectors / np.linalg.norm(vectors, axis=-1, keepdims=True)


def by_area(c, facing, radius, normal, rings=400, turns=720):
    """The same by small parts of the disc."""
    side, up = (item[0] for item in frame_of(facing[None]))
    r = radius * np.sqrt((np.arange(rings) + 0.5) / rings)
    t = 2.0 * np.pi * (np.arange(turns) + 0.5) / turns
    at = c + (r[:, None, None] * (np.cos(t)[:, None] * side + np.sin(t)[:, None] * up)).reshape(-1, 3)
    squared = (at**2).sum(axis=1)
    distance = at / np.sqrt(squared)[:, None]
    inputs = np.clip(distance @ normal, 0.0, None) * np.clip(-distance @ facing, 0.0, None) / squared
    return inputs.mean() * np.pi * radius**2


@pytest.mark.parametrize("h", [0.01, 0.3, 1.0, 7.0, 400.0])
def test_on_the_axis_it_is_pi_times_the_squared_sine(h):
    result = disc_illuminance(np.array([[0.0, h, 0.0]]), DOWN, np.array([0.5]), -DOWN)
    assert result[0] == pytest.approx(np.pi * 0.25 / (0.25 + h * h), rel=1e-9)


@pytest.mark.parametrize(("h", "aside"), [(1.0, 0.7), (0.4, 2.0), (2.0, 0.05)])
def test_of_a_parallel_surface_aside_it_is_the_published_factor(h, aside):
    """Howell, A Catalog of Radiation Heat Transfer Configuration Factors, B-13."""
    big, small = h / aside, 0.5 / aside
    z = 1.0 + big**2 + small**2
    factor = 0.5 * (1.0 - (z - 2.0 * small**2) / np.sqrt(z**2 - 4.0 * small**2))
    result = disc_illuminance(np.array([[aside, h, 0.0]]), DOWN, np.array([0.5]), -DOWN)
    assert result[0] == pytest.approx(np.pi * factor, rel=1e-9)


@pytest.mark.parametrize(("h", "aside"), [(1.0, 0.7), (0.4, 2.0), (2.0, 0.55)])
def test_of_a_wall_that_faces_it_it_is_the_published_factor(h, aside):
    """The same, B-14: the whole disc is before the wall."""
    big, small = h / aside, 0.5 / aside
    z = 1.0 + big**2 + small**2
    factor = 0.5 * big * (z / np.sqrt(z**2 - 4.0 * small**2) - 1.0)
    result = disc_illuminance(np.array([[aside, h, 0.0]]), DOWN, np.array([0.5]), np.array([[1.0, 0.0, 0.0]]))
    assert result[0] == pytest.approx(np.pi * factor, rel=1e-9)


def test_anywhere_it_is_the_sum_over_its_area_horizon_and_all():
    cut = 0
    for _ in range(60):
        facing, normal = unit(RNG.normal(size=(2, 3)))
        c = RNG.normal(size=3) * 1.5
        if c @ facing > -0.1:
            continue
        whole = by_area(c, facing, 0.8, normal)
        result = disc_illuminance(c[None], facing[None], np.array([0.8]), normal[None])[0]
        assert result == pytest.approx(whole, rel=5e-3, abs=2e-4)
        level = c @ normal
        cut += abs(level) < 0.8 * np.linalg.norm(np.cross(facing, normal))
    assert cut >= 5


def test_a_sphere_about_it_receives_its_flux():
    points = unit(RNG.normal(size=(200_000, 3))) * 2.0
    result = disc_illuminance(-points, DOWN, np.array([0.5]), -unit(points))
    assert result.mean() * 4.0 * np.pi * 4.0 == pytest.approx(disc_lumens(1.0, 0.5), rel=0.01)


def test_behind_it_and_below_the_horizon_there_is_nothing():
    behind = disc_illuminance(np.array([[0.0, -1.0, 0.0]]), DOWN, np.array([0.5]), DOWN)
    under = disc_illuminance(np.array([[0.0, 1.0, 0.0]]), DOWN, np.array([0.5]), DOWN)
    assert behind[0] == under[0] == 0.0
    assert disc_illuminance(np.zeros((0, 3)), DOWN, np.array([0.5]), np.zeros((0, 3))).shape == (0,)


def test_frames_are_frames():
    n = np.concatenate([unit(RNG.normal(size=(200, 3))), [[0, 0, 1.0], [0, 0, -1.0], [0, 1.0, 0]]])
    side, up = frame_of(n)
    for a, b, value in ((side, side, 1.0), (up, up, 1.0), (side, up, 0.0), (side, n, 0.0), (up, n, 0.0)):
        assert (a * b).sum(axis=1) == pytest.approx(np.full(len(n), value), abs=1e-12)
