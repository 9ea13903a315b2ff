"""Where mirror images are taken: a place in each room, one outside, and the boxes about them."""

import numpy as np
from level_shapes import field_of, grey_level

from wallum.level.model.solids import box

W = 0.2


def _two_rooms():
    """Two rooms with a doorway between, 4 x 3 x 5 m and 6 x 3 x 5 m, on a yard."""
    slabs = [
        ((-20.0, -W, -20.0), (20.0, 0.0, 20.0)),
        ((-W, 3.0, -W), (10.0 + 2 * W, 3.0 + W, 5.0 + W)),
        ((-W, 0.0, -W), (0.0, 3.0, 5.0 + W)),
        ((10.0 + W, 0.0, -W), (10.0 + 2 * W, 3.0, 5.0 + W)),
        ((0.0, 0.0, -W), (10.0 + W, 3.0, 0.0)),
        ((0.0, 0.0, 5.0), (10.0 + W, 3.0, 5.0 + W)),
        ((4.0, 0.0, 0.0), (4.0 + W, 3.0, 2.0)),
        ((4.0, 0.0, 3.0), (4.0 + W, 3.0, 5.0)),
        ((4.0, 2.1, 2.0), (4.0 + W, 3.0, 3.0)),
    ]
    return grey_level(*(box(low, high, 0) for low, high in slabs))


def test_each_room_has_a_place_and_its_box_is_the_room():
    level = _two_rooms()
    _, built = field_of(level)
    rooms, probes = built.rooms, built.probes
    assert rooms.roofed.sum() == 2
    assert (~rooms.roofed).sum() >= 1
    small, large = sorted(np.flatnonzero(rooms.roofed), key=lambda k: rooms.eyes[k, 0])
    assert np.abs(rooms.low[small] - [0.0, 0.0, 0.0]).max() < 0.1
    assert np.abs(rooms.high[small] - [4.0, 3.0, 5.0]).max() < 0.1
    assert np.abs(rooms.low[large] - [4.0 + W, 0.0, 0.0]).max() < 0.1
    assert np.abs(rooms.high[large] - [10.0 + W, 3.0, 5.0]).max() < 0.1
    # The walls of each room are its own, those outside another's.
    for number, (x0, x1) in ((small, (0.0, 4.0)), (large, (4.0 + W, 10.0 + W))):
        inside = (probes.places[:, 0] > x0 - 0.01) & (probes.places[:, 0] < x1 + 0.01)
        inside &= (probes.places[:, 1] < 2.99) & (probes.places[:, 1] > -0.01)
        inside &= (probes.places[:, 2] > -0.01) & (probes.places[:, 2] < 5.01)
        assert (rooms.of[inside] == number + 1).mean() > 0.9
    outside = np.abs(probes.places[:, [0, 2]]).max(axis=1) > 12.0
    outside &= probes.normals[:, 1] > 0.9
    assert not rooms.roofed[rooms.of[outside & (rooms.of > 0)].astype(int) - 1].any()


def test_outside_they_are_taken_where_there_is_more_to_mirror_than_sky():
    """A court of 12 x 12 m, open above, in a field of 60 x 60 m: it has one, though it is a small part of that."""
    walls = [
        ((-6.2, 0.0, -6.2), (-6.0, 5.0, 6.2)),
        ((6.0, 0.0, -6.2), (6.2, 5.0, 6.2)),
        ((-6.0, 0.0, -6.2), (6.0, 5.0, -6.0)),
        ((-6.0, 0.0, 6.0), (6.0, 5.0, 6.2)),
    ]
    level = grey_level(box((-30.0, -W, -30.0), (30.0, 0.0, 30.0), 0), *(box(*wall, 0) for wall in walls))
    _, built = field_of(level)
    assert not built.rooms.roofed.any()
    assert (np.abs(built.rooms.eyes[:, [0, 2]]).max(axis=1) < 6.0).any()


def test_a_level_without_floors_has_no_place():
    level = grey_level(box((0.0, 0.0, 0.0), (0.4, 3.0, 0.4), 0))
    _, built = field_of(level)
    assert len(built.rooms) == 0
    assert not built.rooms.of.any()
