"""New lamps stand where one would be, with a strength for what they light."""

import numpy as np
import pytest
from level_shapes import level_of

from wallum.level.model.flatten import flatten
from wallum.level.model.model import Material
from wallum.level.model.solids import box
from wallum.transport.scene.placing import place_around, place_toward
from wallum.transport.scene.rays import RayScene

GREY = Material("grey", (0.5, 0.5, 0.5, 1.0), 0.0, 1.0)


def hall(height):
    """Rays in a hall of 8 x 8 m."""
    level = level_of(box((-4.0, 0.0, -4.0), (4.0, height, 4.0), 0, inward=True), GREY)
    return RayScene(level, flatten(level))


def at(*numbers):
    return np.array(numbers, dtype=float)


def test_over_a_floor_it_hangs_above_ones_head():
    placed = place_around(hall(6.0), at(0, 0, 0), at(0, 1, 0))
    assert placed.position == pytest.approx((0.0, 2.2, 0.0), abs=0.01)
    assert placed.distance == pytest.approx(2.2, rel=0.05)  # what it lights first is the floor


def test_under_a_low_roof_it_stays_below_it():
    x, y, z = place_around(hall(1.5), at(0, 0, 0), at(0, 1, 0)).position
    assert (x, z) == (0.0, 0.0)
    assert y == pytest.approx(1.2, abs=0.01)


def test_under_a_ceiling_it_hangs_a_little_below():
    assert place_around(hall(4.0), at(1, 4, 1), at(0, -1, 0)).position == pytest.approx((1, 3.5, 1), abs=0.01)


def test_at_the_foot_of_a_wall_it_comes_up_to_ones_eyes():
    """It stood 16 cm over the ground, a hot spot."""
    x, y, z = place_around(hall(4.0), at(4, 0.16, 0), at(-1, 0, 0)).position
    assert (x, y, z) == pytest.approx((3.6, 1.6, 0.0), abs=0.01)
    assert place_around(hall(4.0), at(4, 2.5, 0), at(-1, 0, 0)).position[1] == pytest.approx(2.5)


def test_what_is_nearest_is_no_hot_spot():
    """At most two stops more than what the lamp is meant to light."""
    placed = place_around(hall(4.0), at(4, 2.5, 0), at(-1, 0, 0))
    off = 4.0 - placed.position[0]
    assert 1.0 < (placed.distance / off) ** 2 < 4.4


def test_in_the_open_it_lights_the_ground_under_it():
    level = level_of(box((-50.0, -1.0, -50.0), (50.0, 0.0, 50.0), 0), GREY)
    placed = place_around(RayScene(level, flatten(level)), at(0, 0, 0), at(0, 1, 0))
    assert placed.position == pytest.approx((0, 2.2, 0), abs=0.01)


def test_a_spot_keeps_its_distance_as_far_as_there_is_room():
    assert place_toward(hall(6.0), at(0, 0, 0), at(0, 1, 0)).position[1] == pytest.approx(2.2, abs=0.01)
    narrow = place_toward(hall(2.0), at(0, 0, 0), at(0, 1, 0))
    assert narrow.position[1] == pytest.approx(1.6, abs=0.01)
    assert narrow.distance == pytest.approx(narrow.position[1])
