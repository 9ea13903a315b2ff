"""From the result back to the light: laws of aim, highlight, shadow and reading."""

import numpy as np
import pytest
from hypothesis import given
from hypothesis import strategies as st
from set_lights import set_sun

from wallum.document.sources import PointSource, SpotSource
from wallum.errors import ValueProblem
from wallum.moment.aiming import aimed_at, angles_of, for_reading, kicked, pulled
from wallum.moment.base_light import direction_to

SPOT = SpotSource(id="s", name="S", position=(1.0, 3.0, 2.0))
POINT = PointSource(id="p", name="P", position=(1.0, 3.0, 2.0))
coordinate = st.floats(-20.0, 20.0)


@given(st.tuples(coordinate, st.floats(-1.0, 2.0), coordinate))
def test_an_aimed_spots_axis_meets_the_target(target):
    spot = aimed_at(SPOT, np.array(target))
    offset = np.array(target) - np.array(spot.position)
    along = np.array(spot.direction) * np.linalg.norm(offset)
    assert along == pytest.approx(offset, abs=1e-3)


def test_a_spot_cannot_be_aimed_at_itself():
    with pytest.raises(ValueProblem):
        aimed_at(SPOT, np.array(SPOT.position))


@given(st.floats(0.0, 359.9), st.floats(-80.0, 80.0))
def test_angles_and_directions_are_each_others_inverse(azimuth, elevation):
    angles = angles_of(direction_to(azimuth, elevation))
    assert np.cos(np.radians(angles[0] - azimuth)) == pytest.approx(1.0, abs=1e-9)
    assert angles[1] == pytest.approx(elevation, abs=1e-6)


def test_a_kicked_lamps_light_is_mirrored_into_the_eye():
    point, normal, eye = np.array([0.0, 1.0, 0.0]), np.array([0.0, 0.6, 0.8]), np.array([2.0, 1.5, 6.0])
    for lamp in (SPOT, POINT):
        moved = kicked(lamp, point, normal, eye)
        to_lamp = np.array(moved.position) - point
        to_eye = eye - point
        half = to_lamp / np.linalg.norm(to_lamp) + to_eye / np.linalg.norm(to_eye)
        assert half / np.linalg.norm(half) == pytest.approx(normal, abs=1e-5)
        before = np.linalg.norm(np.array(lamp.position) - point)
        assert np.linalg.norm(to_lamp) == pytest.approx(before, abs=1e-4)
    assert kicked(SPOT, point, normal, eye).direction == pytest.approx(
        -to_lamp / np.linalg.norm(to_lamp), abs=1e-5
    )
    with pytest.raises(ValueProblem):
        kicked(POINT, point, -normal, eye)


def test_a_pulled_sun_throws_the_shadow_where_it_was_dragged():
    caster, target = np.array([0.0, 2.0, 0.0]), np.array([-2.0, 0.0, 0.0])
    sun = pulled(set_sun(), caster, target)
    assert sun.stands == "where set"
    assert (sun.azimuth, sun.elevation) == pytest.approx((90.0, 45.0), abs=1e-3)
    ray = caster - target
    assert direction_to(sun.azimuth, sun.elevation) == pytest.approx(ray / np.linalg.norm(ray), abs=1e-5)
    with pytest.raises(ValueProblem, match="upward"):
        pulled(set_sun(), caster, np.array([0.0, 3.0, 1.0]))
    with pytest.raises(ValueProblem):
        pulled(set_sun(), caster, caster)


def test_a_pulled_lamp_keeps_its_distance_and_a_spot_goes_on_to_shine_there():
    caster, target = np.array([0.0, 1.0, 0.0]), np.array([-1.0, 0.0, 0.5])
    for lamp in (SPOT, POINT):
        moved = pulled(lamp, caster, target)
        away = np.array(moved.position) - caster
        assert np.cross(away, caster - target) == pytest.approx(np.zeros(3), abs=1e-4)
        assert np.linalg.norm(away) == pytest.approx(
            np.linalg.norm(np.array(lamp.position) - caster), abs=1e-4
        )
    assert pulled(SPOT, caster, target).direction[1] < 0.0


def test_a_reading_is_delivered_by_one_source():
    assert for_reading(100.0, now=20.0, wanted=50.0, others=10.0) == pytest.approx(200.0)
    with pytest.raises(ValueProblem, match="already"):
        for_reading(100.0, now=20.0, wanted=5.0, others=10.0)
    with pytest.raises(ValueProblem, match="nothing"):
        for_reading(100.0, now=0.0, wanted=5.0, others=1.0)
