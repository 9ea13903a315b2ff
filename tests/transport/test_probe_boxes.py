"""Boxes of the artist's in which probes lie closer, or none do."""

import numpy as np
import pytest
from level_shapes import field_of, grey_level, slabs_about

from wallum.document.look import Look
from wallum.document.project import Project, base_light
from wallum.document.sources import AmbientBoxSource, PointSource
from wallum.level.model.solids import box
from wallum.moment.evaluate import evaluate
from wallum.moment.moment import Moment
from wallum.moment.probe_boxes import ProbeBox, probe_boxes
from wallum.physics.colour import luminance
from wallum.transport.field import cells as cells_module
from wallum.transport.field.bounce import BounceField, bounced
from wallum.transport.field.cells import cells_within, sides_of
from wallum.transport.field.field_cache import field_key, load_field, save_field

LOW, HIGH = (0.0, 0.0, 0.0), (4.0, 3.0, 5.0)
CORNER = ProbeBox((1.0, 0.5, 1.0), (1.0, 1.0, 1.0), 0.0, 2)
TURNED = ProbeBox((3.0, 1.5, 3.5), (0.8, 1.0, 0.8), np.pi / 4.0, 1)


def _inside(probes, beyond=0.02):
    return ((probes.places > np.array(LOW) - beyond) & (probes.places < np.array(HIGH) + beyond)).all(axis=1)


@pytest.fixture(scope="module")
def level():
    return grey_level(*slabs_about(LOW, HIGH, 0.1))


@pytest.fixture(scope="module")
def plain(level):
    return field_of(level)


@pytest.fixture(scope="module")
def closer(level):
    return field_of(level, CORNER, TURNED)


def _spacing(probes, box_):
    """Of probes on the floor within a box: how far the nearest is from each."""
    there = box_.holds(probes.places, 0.0) & (probes.normals[:, 1] > 0.9) & (probes.places[:, 1] < 0.1)
    at = probes.places[there].astype(float)
    apart = np.linalg.norm(at[:, None] - at[None], axis=2)
    np.fill_diagonal(apart, np.inf)
    return float(np.median(apart.min(axis=1)))


def test_in_a_box_probes_are_as_much_closer_as_it_says(plain, closer):
    before, after = plain[1].probes, closer[1].probes
    assert _spacing(before, CORNER) == pytest.approx(before.step, rel=0.2)
    assert _spacing(after, CORNER) == pytest.approx(before.step / 4.0, rel=0.25)
    away = ProbeBox((3.2, 0.2, 1.0), (0.7, 0.4, 0.7), 0.0, 0)
    assert _spacing(after, away) == pytest.approx(before.step, rel=0.2)
    assert after.step == before.step


def test_a_turned_box_holds_what_lies_along_its_sides():
    corner = np.array([[3.0 + 1.0, 1.5, 3.5]])  # on its diagonal, which lies along x
    assert TURNED.holds(corner, 0.0).all()
    assert not TURNED.holds(np.array([[3.0 + 0.75, 1.5, 3.5 + 0.75]]), 0.0).any()
    low, high = TURNED.reach
    assert high[0] - low[0] == pytest.approx(1.6 * np.sqrt(2.0))


def test_every_surface_finds_a_probe_of_its_own_cell_that_faces_as_it_does(closer):
    probes = closer[1].probes
    places, faces = probes.samples[:, 0].astype(float), probes.faces[:, 0].astype(float)
    result = probes.find(places, faces)
    assert (result == np.arange(len(probes))).mean() > 0.97
    within = CORNER.holds(places, -0.1)
    away = np.linalg.norm(probes.places[result] - places, axis=1)[within]
    assert away.max() < np.sqrt(3.0) * probes.step / 4.0


def test_neighbours_of_all_sizes_are_linked(closer):
    """A floor probe inside, at the seam and outside has probes to read at all of its eight sides."""
    _, built = closer
    probes = built.probes
    y = 1
    flat = [x + 3 * y + 9 * z for x in range(3) for z in range(3)]
    floor = (np.abs(probes.places[:, 1]) < 0.05) & (probes.normals[:, 1] > 0.9)
    floor &= ((probes.places > 0.5) & (probes.places < np.array([3.5, 9.0, 4.5])))[:, [0, 2]].all(axis=1)
    linked = probes.links[np.flatnonzero(floor)][:, flat]
    assert floor.sum() > 100
    assert (linked >= 0).mean() > 0.98
    apart = np.linalg.norm(probes.places[linked] - probes.places[floor][:, None], axis=2)
    assert apart.max() < 2.5 * probes.step
    assert (probes.normals[linked][..., 1] > 0.9).all()


def test_a_closed_box_of_one_grey_stays_the_series_of_its_albedo(closer):
    """a / (1 - a) of even light, wherever probes lie closer."""
    built = closer[1]
    inside = _inside(built.probes)
    first = np.zeros((len(built.probes), 3), np.float32)
    first[inside] = 100.0
    albedo = float(built.probes.albedo[inside].mean())
    light = bounced(built, first, np.zeros(3))[inside]
    assert light.mean() == pytest.approx(100.0 * albedo / (1.0 - albedo), rel=0.01)


def test_light_is_the_same_however_close_probes_lie(level, plain, closer):
    lamp = PointSource(id="lamp", name="Lamp", position=(2.6, 2.0, 2.0), intensity=200.0, radius=0.05)
    scene = evaluate(Project(sources=(lamp,), look=Look()))
    floor = np.stack([np.linspace(0.3, 3.7, 60), np.zeros(60), np.full(60, 1.0)], axis=1)
    up = np.tile([[0.0, 1.0, 0.0]], (60, 1))
    light = []
    for rays, item in (plain, closer):
        bounce = BounceField.of(rays, level, item, {})
        for _ in bounce.relight(scene):
            pass
        light.append(luminance(bounce.light(scene).astype(float))[item.probes.find(floor, up)])
    assert np.median(np.abs(light[1] / light[0] - 1.0)) < 0.06
    assert light[1].mean() == pytest.approx(light[0].mean(), rel=0.04)


def test_no_light_comes_through_a_wall_where_they_are_closer_on_one_side():
    level = grey_level(*slabs_about(LOW, HIGH, 0.1), box((-20.0, -1.0, -20.0), (20.0, -0.3, 20.0), 0))
    rays, built = field_of(level, CORNER)
    scene = evaluate(Project(sources=base_light(), look=Look()), Moment(12.0))
    bounce = BounceField.of(rays, level, built, {})
    for _ in bounce.relight(scene):
        pass
    light = luminance(bounce.light(scene).astype(float)) + built.seen.sky.sum(axis=1)
    inside = _inside(built.probes, 1e-3)
    inside &= np.einsum("nk,nk->n", built.probes.normals, built.probes.places - [2.0, 1.5, 2.5]) < 0.0
    assert inside.sum() > 1000
    assert light[inside].max() == 0.0


def test_where_none_are_wanted_those_about_it_stand_for_what_is_there(level):
    empty = ProbeBox((2.0, 0.0, 2.5), (1.2, 0.5, 1.2), 0.0, None)
    _, built = field_of(level, empty)
    probes = built.probes
    assert not empty.holds(probes.samples.reshape(-1, 3).astype(float), -probes.step).any()
    assert empty.holds(field_of(level)[1].probes.places, -probes.step).sum() > 20
    middle = np.array([[2.0, 0.0, 2.5]])
    result = probes.find(middle, np.array([[0.0, 1.0, 0.0]]))
    assert result[0] >= 0
    assert probes.normals[result[0], 1] > 0.9
    assert np.linalg.norm(probes.places[result[0]] - middle[0]) < 2.0


def test_what_is_kept_fits_its_boxes_alone(level, plain, closer, tmp_path):
    rays, built = closer
    assert len({field_key(rays, level, item) for item in ((), (CORNER,), (CORNER, TURNED))}) == 3
    path = tmp_path / "field.npz"
    save_field(built, "key", path)
    again = load_field(path, "key").probes
    assert len(again.parts) > 0
    assert np.array_equal(again.parts, built.probes.parts)
    assert np.array_equal(again.cells, built.probes.cells)
    assert len(plain[1].probes.parts) == 0


def test_a_box_too_large_is_parted_less(monkeypatch):
    monkeypatch.setattr(cells_module, "MAX_LEAVES", 1000)
    room = np.array([LOW, HIGH])
    built = cells_within(room, 0.5, (ProbeBox((2.0, 1.5, 2.5), (9.0, 9.0, 9.0), 0.0, 2),))
    assert built.levels.max() == 0
    monkeypatch.setattr(cells_module, "MAX_LEAVES", 5000)
    built = cells_within(room, 0.5, (ProbeBox((2.0, 1.5, 2.5), (9.0, 9.0, 9.0), 0.0, 2),))
    assert built.levels.max() == 1
    assert built.begins[-1] == 8 * 8 * 6 * 10


def test_leaves_know_their_place(rng):
    built = cells_within(np.array([LOW, HIGH]), 0.4, (CORNER, TURNED))
    places = rng.uniform(LOW, HIGH, (2000, 3))
    leaf, within = built.at(places)
    assert within.all()
    off = np.abs(places - built.middles(leaf)).max(axis=1)
    assert (off <= 0.5 * built.sizes(leaf) + 1e-9).all()
    assert set(np.unique(np.round(0.4 / built.sizes(leaf)))) == {1.0, 2.0, 4.0}
    side, _ = sides_of(built, places, np.tile([[0.0, 1.0, 0.0]], (2000, 1)))
    assert len(np.unique(side)) <= built.begins[-1]


def test_a_room_says_where_probes_are_closer():
    room = AmbientBoxSource(id="room", name="Room", size=(2.0, 3.0, 4.0), ambient=0.0, probes="closest")
    off, placed = room.revised(id="off", on=False), room.revised(id="placed", probes="placed")
    project = Project(sources=(room, off, placed, room.revised(id="none", probes="none")))
    item, other = probe_boxes(project)
    assert (item.half, item.halved) == ((1.0, 1.5, 2.0), 2)
    assert other.halved is None
    assert evaluate(project).rooms == (), "a box of probes alone gives no light and is no room of the picture"
