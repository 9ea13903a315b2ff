"""Openings found by looking through them."""

import numpy as np
import pytest
from level_shapes import grey_level

from wallum.level.model.flatten import flatten
from wallum.level.model.solids import box
from wallum.transport.scene.openings import find_opening, free_length
from wallum.transport.scene.placing import sky_share
from wallum.transport.scene.rays import RayScene

# A wall of 0.3 m at z 0..-0.3 with a window of 1.6 x 1.2 m whose middle is at (0.5, 2.0), inside toward +z.
WINDOW = (1.6, 1.2)


def _walled(turn=0.0):
    low, high = (0.5 - 0.8, 2.0 - 0.6), (0.5 + 0.8, 2.0 + 0.6)
    parts = [
        box((-8.0, -1.0, -0.3), (low[0], 8.0, 0.0), 0),
        box((high[0], -1.0, -0.3), (8.0, 8.0, 0.0), 0),
        box((low[0], -1.0, -0.3), (high[0], low[1], 0.0), 0),
        box((low[0], high[1], -0.3), (high[0], 8.0, 0.0), 0),
        box((-30.0, -1.2, -40.0), (30.0, -1.0, 30.0), 0),  # ground
    ]
    level = grey_level(*parts)
    return RayScene(level, flatten(level))


@pytest.mark.parametrize("eye", [(0.0, 1.7, 5.0), (2.5, 1.2, 4.0), (-1.0, 3.0, 2.5)])
@pytest.mark.parametrize("through", [(0.5, 2.0), (0.1, 1.8)])
def test_a_window_is_found_as_large_as_it_is(eye, through):
    rays = _walled()
    offset = np.array([*through, 0.0]) - eye
    opening = find_opening(rays, np.array(eye), offset / np.linalg.norm(offset))
    assert opening is not None
    assert opening.width == pytest.approx(WINDOW[0], abs=0.06)
    assert opening.height == pytest.approx(WINDOW[1], abs=0.06)
    assert opening.middle == pytest.approx([0.5, 2.0, 0.0], abs=0.05)
    assert opening.facing == pytest.approx([0.0, 0.0, 1.0], abs=0.02)


def test_from_outside_it_is_the_same_window_facing_out():
    eye = np.array([0.0, 2.0, -6.0])
    offset = np.array([0.5, 2.0, 0.0]) - eye
    opening = find_opening(_walled(), eye, offset / np.linalg.norm(offset))
    assert opening is not None
    assert (opening.width, opening.height) == pytest.approx(WINDOW, abs=0.08)
    assert opening.facing == pytest.approx([0.0, 0.0, -1.0], abs=0.02)


def test_a_bare_wall_and_the_open_sky_are_no_openings():
    rays = _walled()
    eye = np.array([0.0, 1.7, 5.0])
    assert find_opening(rays, eye, np.array([-0.6, 0.0, -0.8])) is None
    assert find_opening(rays, np.array([0.0, 1.7, 20.0]), np.array([0.0, 0.0, 1.0])) is None


def test_how_far_it_is_free_and_how_much_of_the_sky_is_open():
    rays = _walled()
    down = np.array([0.0, -1.0, 0.0])
    assert free_length(rays, np.array([0.0, 2.0, 5.0]), down, 30.0) == pytest.approx(3.0, abs=1e-3)
    assert free_length(rays, np.array([0.0, 2.0, 5.0]), -down, 30.0) == 30.0
    assert sky_share(rays, np.array([0.0, 20.0, 5.0])) == 1.0
    assert sky_share(rays, np.array([0.0, 1.0, 0.2])) == pytest.approx(0.5, abs=0.12)
