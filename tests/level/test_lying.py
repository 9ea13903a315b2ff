"""Levels in other units, and on their side: noticed, taken as such, with all that stands in them."""

from dataclasses import replace

import numpy as np
import pytest

from wallum.document.fit import LevelFit
from wallum.document.lanes import Lane, Peg, PegTime
from wallum.document.paths import put
from wallum.document.project import Project, Shot, Walk
from wallum.document.sources import PointSource, SpotSource
from wallum.level.demos.cistern import cistern
from wallum.level.demos.jar_yard import jar_yard
from wallum.level.demos.pale_room import pale_room
from wallum.level.model.level_fit import fit_findings, fitted, guess_fit
from wallum.level.model.level_overrides import dress_of, dressed
from wallum.level.model.model import Level, Material, Mesh, Part
from wallum.level.model.solids import box


def house(unit=1.0, turn=None, door="front door"):
    """A floor, a wall and a door of 2.1 m, in a unit and turned."""
    shapes = {
        "floor": box((-6, -0.2, -6), (6, 0, 6), 0),
        "wall": box((-6, 0, -6), (6, 3, -5.7), 0),
        door: box((1, 0, -5.72), (2, 2.1, -5.66), 0),
    }
    # The ground is open below, as ground is.
    shapes["floor"] = replace(
        shapes["floor"],
        triangles=shapes["floor"].triangles[
            np.isclose(shapes["floor"].normals[shapes["floor"].triangles[:, 0], 1], 1.0)
        ],
    )
    matrix = np.eye(4)
    matrix[:3, :3] = (np.eye(3) if turn is None else turn) / unit
    meshes = tuple(Mesh(name, (shape,)) for name, shape in shapes.items())
    parts = tuple(Part(name, name, number, matrix) for number, name in enumerate(shapes))
    return Level("house", meshes, parts, (Material("grey", (0.5,) * 3 + (1.0,), 0.0),))


LYING = {
    "z": np.array([[1.0, 0, 0], [0, 0, -1.0], [0, 1.0, 0]]),
    "x": np.array([[0, 1.0, 0], [-1.0, 0, 0], [0, 0, 1.0]]),
}


@pytest.mark.parametrize(
    ("unit", "word"), [(0.01, "centimetres"), (0.001, "millimetres"), (0.0254, "inches")]
)
def test_doors_tell_the_unit(unit, word):
    (finding,) = fit_findings(house(unit))
    assert word in finding.text
    assert "1 doors" in finding.text or "1 door" in finding.text
    assert guess_fit(house(unit)).fit == LevelFit(scale=unit)


@pytest.mark.parametrize("up", ["z", "x"])
def test_ground_tells_what_is_up(up):
    level = house(turn=LYING[up])
    assert guess_fit(level).fit == LevelFit(up=up)
    assert "on its side" in fit_findings(level)[0].text
    assert guess_fit(house(0.01, LYING[up])).fit == LevelFit(scale=0.01, up=up)


@pytest.mark.parametrize("make", [house, pale_room, jar_yard, cistern])
def test_a_level_as_the_standard_asks_is_left_alone(make):
    assert fit_findings(make()) == ()


def test_without_doors_the_smallest_thing_tells():
    level = house(0.01, door="panel")
    assert guess_fit(level).fit == LevelFit(scale=0.01)
    assert guess_fit(house(1.0, door="panel")) is None


@pytest.mark.parametrize("up", ["y", "z", "x"])
def test_taken_as_such_a_level_is_as_it_was_built(up):
    """Units and axes there and back: the same corners, and nothing is told any more."""
    level = house(0.01, LYING.get(up))
    right = fitted(level, LevelFit(scale=0.01, up=up))
    assert right.bounds == pytest.approx(house().bounds, abs=1e-9)
    assert fit_findings(right) == ()
    messages = replace(level, findings=fit_findings(level))
    assert fitted(messages, LevelFit(scale=0.01, up=up)).findings == ()


def test_what_stands_in_the_level_goes_with_it_and_comes_back():
    project = Project(
        sources=(
            PointSource(id="a", name="A", position=(100.0, 200.0, -300.0), radius=0.1),
            SpotSource(id="b", name="B", position=(0.0, 100.0, 50.0), direction=(0.0, 0.0, -1.0)),
        ),
        shots=(Shot(id="s", name="S", eye=(0.0, 10.0, 170.0), direction=(0.0, 1.0, 0.0)),),
        walks=(Walk(id="w", name="W", points=((0.0, 0.0, 0.0), (0.0, 100.0, 0.0))),),
        lanes=(
            Lane(
                owner="a",
                name="position",
                pegs=(
                    Peg(at=PegTime(hours=6.0), value=(100.0, 0.0, 0.0)),
                    Peg(at=PegTime(hours=18.0), value=(0.0, 0.0, 100.0)),
                ),
            ),
        ),
    )
    taken = put(put(project, "level_fit/scale", 0.01), "level_fit/up", "z")
    a, b = taken.sources
    assert a.position == pytest.approx((1.0, -3.0, -2.0))
    assert a.radius == 0.1  # a lamp is as large as was said, in metres
    assert b.direction == pytest.approx((0.0, -1.0, 0.0))
    assert taken.shots[0].eye == pytest.approx((0.0, 1.7, -0.1))
    assert taken.shots[0].direction == pytest.approx((0.0, 0.0, -1.0))
    assert taken.walks[0].points[1] == pytest.approx((0.0, 0.0, -1.0))
    assert [peg.value for peg in taken.lanes[0].pegs] == [
        pytest.approx((1.0, 0, 0)),
        pytest.approx((0, 1.0, 0)),
    ]
    back = put(put(taken, "level_fit/up", "y"), "level_fit/scale", 1.0)
    assert back == project


def test_a_project_says_how_its_level_lies():
    project = put(Project(), "level_fit/scale", 0.01)
    level = dressed(house(0.01), dress_of(project))
    assert level.bounds == pytest.approx(house().bounds)
