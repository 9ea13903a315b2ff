"""Walks: through every point, at one speed, looking ahead; clear of walls in the demo."""

import numpy as np
import pytest
from hypothesis import given
from hypothesis import strategies as st

from wallum.document.project import Walk
from wallum.level.demos.kilnworks.works import WALK, kilnworks
from wallum.level.model.flatten import flatten
from wallum.moment.walking import walk_camera, walk_line
from wallum.transport.scene.rays import RayScene

L = Walk(id="w", name="W", lasts=10.0, points=((0, 1, 0), (4, 1, 0), (8, 1, 0), (8, 1, 6)))


def test_the_line_goes_through_every_point():
    line, run = walk_line(L)
    for point in L.points:
        assert np.linalg.norm(line - point, axis=1).min() < 1e-9
    assert (np.diff(run) > 0.0).all()


def test_it_begins_and_ends_where_it_should_and_looks_ahead():
    first, last = walk_camera(L, 0.0), walk_camera(L, 99.0)
    assert first.eye == pytest.approx((0, 1, 0))
    assert last.eye == pytest.approx((8, 1, 6))
    assert first.direction[0] > 0.95
    assert last.direction[2] > 0.9


@given(st.floats(0.0, 9.8))
def test_it_goes_at_one_speed(seconds):
    length = walk_line(L)[1][-1]
    step = np.array(walk_camera(L, seconds + 0.05).eye) - walk_camera(L, seconds).eye
    assert np.linalg.norm(step) / 0.05 == pytest.approx(length / L.lasts, rel=0.03)


def test_the_demos_walk_meets_no_wall():
    level = kilnworks()
    rays = RayScene(level, flatten(level))
    line, _ = walk_line(WALK)
    diff = np.diff(line, axis=0)
    length = np.linalg.norm(diff, axis=1)
    blocked = rays.blocked(line[:-1], diff / length[:, None], length)
    assert not blocked.any(), line[:-1][blocked]
