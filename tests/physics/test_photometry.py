import numpy as np
import pytest
from hypothesis import given
from hypothesis import strategies as st

from wallum.physics.photometry import (
    cone_falloff,
    point_candela,
    point_lumens,
    punctual_illuminance,
    range_window,
    spot_candela,
    spot_lumens,
)


def unit_sphere(count):
    """Directions spread evenly by the golden angle."""
    k = np.arange(count) + 0.5
    height, around = 1.0 - 2.0 * k / count, np.pi * (1.0 + 5.0**0.5) * k
    flat = np.sqrt(1.0 - height**2)
    return np.stack([flat * np.cos(around), height, flat * np.sin(around)], axis=1)


def test_flux_through_a_sphere_equals_source_flux():
    n = unit_sphere(20_000)
    lx = 50.0 * punctual_illuminance(-1.7 * n, -n, 0.0, 0.0)
    assert lx.mean() * 4 * np.pi * 1.7**2 == pytest.approx(point_lumens(50.0), rel=1e-5)


@given(st.floats(0.0, 80.0), st.floats(1.0, 9.0))
def test_spot_lumens_are_the_integral_of_its_falloff(inner_deg, more_deg):
    inner, outer = np.radians(inner_deg), np.radians(inner_deg + more_deg)
    edges = np.linspace(np.cos(outer), 1.0, 200_001)
    middle = 0.5 * (edges[1:] + edges[:-1])
    flux = 2 * np.pi * (cone_falloff(middle, np.cos(inner), np.cos(outer)) * np.diff(edges)).sum()
    assert spot_lumens(1.0, inner, outer) == pytest.approx(flux, rel=1e-3)


@given(st.floats(0.01, 1e6))
def test_lumens_and_candela_are_inverse(candela):
    assert point_candela(point_lumens(candela)) == pytest.approx(candela)
    assert spot_candela(spot_lumens(candela, 0.3, 0.7), 0.3, 0.7) == pytest.approx(candela)


def test_illuminance_falls_with_the_square_and_the_cosine():
    to_source = np.array([[0.0, 2.0, 0.0], [0.0, 4.0, 0.0], [3.0, 4.0, 0.0]])
    lx = punctual_illuminance(to_source, np.tile([0.0, 1.0, 0.0], (3, 1)), 0.0, 0.0)
    assert lx == pytest.approx([1 / 4, 1 / 16, 0.8 / 25])


def test_no_light_from_behind():
    assert punctual_illuminance(np.array([[0.0, -1.0, 0.0]]), np.array([[0.0, 1.0, 0.0]]), 0.0, 0.0) == 0.0


def test_radius_bounds_the_near_field():
    near = punctual_illuminance(np.array([[0.0, 0.01, 0.0]]), np.array([[0.0, 1.0, 0.0]]), 0.1, 0.0)
    assert near == pytest.approx([100.0])


def test_range_ends_the_light_exactly_there():
    distance = np.array([0.0, 1.0, 2.0, 3.0])
    assert range_window(distance, 2.0) == pytest.approx([1.0, 1 - 1 / 16, 0.0, 0.0])
    assert range_window(distance, 0.0) == pytest.approx(np.ones(4))


def test_illuminance_of_no_receivers_is_empty():
    assert punctual_illuminance(np.zeros((0, 3)), np.zeros((0, 3)), 0.0, 0.0).shape == (0,)
