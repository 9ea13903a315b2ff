"""A level written out, and its bounds: of meshes however large, at places however many."""

import numpy as np
import pytest

from wallum.level.model import model
from wallum.level.model.flatten import flatten
from wallum.level.model.model import Level, Material, Mesh, Part
from wallum.level.model.solids import grid

PLACES = 7


def sheets(points):
    """A rolling sheet at several places: turned, stretched, mirrored."""
    side = np.linspace(-1.0, 1.0, points)
    x, z = np.meshgrid(side, side)
    mesh = Mesh("sheet", (grid(np.stack([x, np.sin(3.0 * x) * z, z], axis=-1)[::-1], 0),))
    parts = []
    for number in range(PLACES):
        c, s = np.cos(number), np.sin(number)
        matrix = np.array(
            [[c, -s, 0, number], [s, c, 0, 2.0 - number], [0, 0, (-1.0) ** number * 2.0, 0.5], [0, 0, 0, 1.0]]
        )
        parts.append(Part(f"p{number}", f"p{number}", 0, matrix))
    return Level("sheets", (mesh,), tuple(parts), (Material(),))


@pytest.mark.parametrize("at_once", [10, 100, 1000, 10**6])
def test_bounds_are_those_of_all_that_is_written_out(monkeypatch, at_once):
    monkeypatch.setattr(model, "POINTS_AT_ONCE", at_once)
    level = sheets(9)
    positions = flatten(level).positions
    assert level.bounds == pytest.approx(np.stack([positions.min(axis=0), positions.max(axis=0)]), abs=1e-5)


def test_each_place_is_written_out_as_if_it_were_alone():
    level = sheets(5)
    whole = flatten(level)
    for number in range(PLACES):
        only = np.arange(PLACES) == number
        alone, here = flatten(level, only), whole.part == number
        assert np.array_equal(alone.positions[alone.faces], whole.positions[whole.faces[here]])
        assert np.array_equal(alone.normals[alone.faces], whole.normals[whole.faces[here]])
        # Faces turn to the side of their normals, mirrored or not.
        facing = (alone.face_normals * alone.normals[alone.faces[:, 0]]).sum(axis=1)
        assert (facing > 0.0).all()


def test_nothing_chosen_is_nothing():
    assert len(flatten(sheets(3), np.zeros(PLACES, bool)).faces) == 0
