"""Lines of equal light: closed forms, and levels that are round."""

import numpy as np
import pytest

from wallum.image.contours import contour, round_levels
from wallum.level.demos.pale_room import pale_room, pale_room_project
from wallum.level.model.flatten import flatten
from wallum.moment.camera import Camera
from wallum.moment.evaluate import evaluate
from wallum.moment.moment import Moment
from wallum.transport.direct.meter import direct_illuminance
from wallum.transport.direct.pool import pool_field
from wallum.transport.scene.rays import RayScene
from wallum.transport.scene.surfaces import seen_surfaces


def test_a_line_through_a_bowl_is_a_circle():
    y, x = np.mgrid[0:41, 0:61]
    bowl = np.hypot(x - 30.0, y - 20.0)
    segments = contour(bowl, 12.5)
    assert np.hypot(*(segments.reshape(-1, 2) - (30.0, 20.0)).T) == pytest.approx(12.5, abs=0.02)
    length = np.linalg.norm(segments[:, 1] - segments[:, 0], axis=1).sum()
    assert length == pytest.approx(2.0 * np.pi * 12.5, rel=0.005)
    ends = np.round(segments.reshape(-1, 2), 6)
    _, counts = np.unique(ends, axis=0, return_counts=True)
    assert (counts % 2 == 0).all()  # closed: no end hangs loose


def test_a_line_stops_where_there_is_no_number_and_a_saddle_is_cut_twice():
    slope = np.tile(np.arange(8.0), (6, 1))
    whole = contour(slope, 3.5)
    assert len(whole) == 5
    slope[2, 3] = np.nan
    assert len(contour(slope, 3.5)) == 3
    assert len(contour(np.array([[1.0, 0.0], [0.0, 1.0]]), 0.5)) == 2
    assert contour(np.zeros((4, 4)), 1.0).shape == (0, 2, 2)


@pytest.mark.parametrize(
    ("peak", "first"), [(100.0, 50.0), (57.0, 50.0), (51.0, 20.0), (0.34, 0.2), (6e4, 5e4)]
)
def test_levels_are_round_and_below_the_peak(peak, first):
    levels = round_levels(peak)
    assert levels[0] == pytest.approx(first)
    assert len(levels) == 5
    assert all(a > b for a, b in zip(levels, levels[1:]))
    assert {round(float(f"{level:e}".split("e")[0]), 6) for level in levels} <= {1.0, 2.0, 5.0}


def test_no_light_has_no_levels():
    assert round_levels(0.0) == []
    assert round_levels(float("nan")) == []


def test_the_pool_agrees_with_the_meter_and_knows_shadow():
    level = pale_room()
    rays = RayScene(level, flatten(level))
    scene = evaluate(pale_room_project(), Moment(12.0))
    camera = Camera((-1.5, 1.6, 3.4), (0.35, -0.12, -0.93), 75.0, 16.0 / 9.0, far=50.0)
    seen = seen_surfaces(rays, level, camera, (64, 36))
    field = pool_field(rays, scene, seen, "spot").ravel()
    assert np.isfinite(field).mean() > 0.7
    rng = np.random.default_rng(3)
    for index in rng.choice(len(seen.pixel), 30, replace=False):
        value = field[seen.pixel[index]]
        if np.isfinite(value):
            read = direct_illuminance(rays, scene, seen.points[index], seen.normals[index], 64)
            assert value == pytest.approx(read.by_source["spot"], rel=0.05, abs=0.3)
    assert (field == 0.0).any()
    assert np.isnan(pool_field(rays, scene, seen, "no such lamp")).all()
