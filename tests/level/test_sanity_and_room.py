from dataclasses import replace

import numpy as np
import pytest
from gltf_maker import Maker

from wallum.document.sources import PointSource, SunSource
from wallum.errors import LevelProblem, ProjectProblem
from wallum.level.demos.jar_yard import jar_yard
from wallum.level.demos.pale_room import BLOCK, REFLECTANCE, ROOM, pale_room
from wallum.level.model.flatten import flatten
from wallum.level.model.model import Level, Material, Mesh, Part
from wallum.level.model.sanity import sanity_findings
from wallum.level.model.solids import box, grid, revolve
from wallum.level.opening import new_project, open_level, open_project, reference_to


def kinds(level):
    return [finding.kind for finding in sanity_findings(level)]


def boxed(size=2.0, **material):
    mesh = Mesh("box", (box((0, 0, 0), (size, size, size), 0),))
    built = Material("stuff", **{"base": (0.5, 0.5, 0.5, 1.0), "metallic": 0.0, **material})
    return Level("boxed", (mesh,), (Part("box", "box", 0, np.eye(4)),), (built, Material()))


def test_a_plain_level_has_no_findings():
    assert kinds(boxed()) == []


@pytest.mark.parametrize(("size", "found"), [(0.001, True), (0.2, True), (2.0, False), (50_000.0, True)])
def test_scale_that_cannot_be_metres(size, found):
    assert ("scale" in kinds(boxed(size))) == found


@pytest.mark.parametrize(
    ("value", "found"), [(0.005, True), (0.02, False), (0.5, False), (0.9, False), (0.97, True)]
)
def test_base_colours_outside_what_is_real(value, found):
    assert ("base colour" in kinds(boxed(base=(value, value, value, 1.0)))) == found


@pytest.mark.parametrize(("strength", "found"), [(1.0, True), (49.0, True), (60.0, False)])
def test_glow_that_would_be_black_by_day(strength, found):
    assert ("faint glow" in kinds(boxed(emissive=(1.0, 1.0, 1.0), emissive_strength=strength))) == found


@pytest.mark.parametrize(
    ("candela", "found"),
    [(120.0, False), (54.351413, True), (54351.413, True), (10 * 54.351413, True), (1e6, True), (0.0, False)],
)
def test_strengths_that_look_like_watts(candela, found):
    lamp = PointSource(id="l", name="Lamp", intensity=candela)
    assert ("watts" in kinds(replace(boxed(), sources=(lamp,)))) == found


def test_a_sun_weaker_than_any_sun():
    assert "weak sun" in kinds(replace(boxed(), sources=(SunSource(id="s", name="Sun", illuminance=5.0),)))


def test_the_pale_room_has_its_exact_sizes():
    room = pale_room()
    assert room.bounds == pytest.approx(np.array(ROOM))
    flat = flatten(room)
    block = flat.positions[flat.faces[flat.part == 1]].reshape(-1, 3)
    assert (block.min(axis=0), block.max(axis=0)) == (pytest.approx(BLOCK[0]), pytest.approx(BLOCK[1]))
    assert room.materials[0].base[0] == REFLECTANCE
    assert kinds(room) == []


def test_the_rooms_walls_face_inward_and_the_block_outward():
    flat = flatten(pale_room())
    p = flat.positions[flat.faces].astype(float)
    normal = np.cross(p[:, 1] - p[:, 0], p[:, 2] - p[:, 0])
    assert (np.einsum("ij,ij->i", normal, flat.normals[flat.faces[:, 0]]) > 0).all()
    middle = np.where((flat.part == 0)[:, None], np.mean(ROOM, axis=0), np.mean(BLOCK, axis=0))
    outward = np.einsum("ij,ij->i", normal, p.mean(axis=1) - middle)
    assert ((outward < 0) == (flat.part == 0)).all()


def test_turned_and_netted_solids_face_outward():
    turned = revolve(np.array([[0.001, 2.0], [1.0, 1.0], [0.001, 0.0]]), 24, 0)
    out = turned.positions - [0, 1, 0]
    assert (np.einsum("ij,ij->i", turned.normals, out) >= -1e-6).all()
    x, z = np.meshgrid([0.0, 1.0], [0.0, 1.0])
    flat = grid(np.stack([x, 0 * x, z], axis=-1)[::-1], 0)
    assert flat.normals == pytest.approx(np.tile([0, 1, 0], (4, 1)))


def test_the_yard_is_the_same_each_time_and_about_100000_triangles():
    item, two = jar_yard(), jar_yard()
    assert 90_000 <= item.triangle_count <= 120_000
    assert [p.data for p in item.pictures] == [p.data for p in two.pictures]
    assert all(np.array_equal(a.matrix, b.matrix) for a, b in zip(item.parts, two.parts, strict=True))
    assert kinds(item) == []


def test_a_new_project_takes_over_lamps_and_shots(tmp_path):
    maker = Maker()
    maker.mesh(np.array([[0, 0, 0], [5, 0, 0], [0, 5, 0]], "f4"))
    (tmp_path / "hall.glb").write_bytes(maker.bytes())
    level = open_level(reference_to(tmp_path / "hall.glb", None), None)
    outdoors = new_project(level, "hall.glb")
    assert [source.kind for source in outdoors.sources] == ["sun", "moon", "sky"]
    assert all(source.on for source in outdoors.sources)
    lamp = PointSource(id="l", name="Lamp")
    indoors = new_project(replace(level, sources=(lamp,)), "hall.glb")
    assert [source.on for source in indoors.sources] == [False, False, False, True]


def test_a_project_names_a_level_beside_it_relatively(tmp_path):
    (tmp_path / "levels").mkdir()
    level = tmp_path / "levels" / "hall.glb"
    level.touch()
    assert reference_to(level, tmp_path / "p.wallum") == "levels/hall.glb"
    assert reference_to(level, tmp_path / "other" / "p.wallum") == "../levels/hall.glb"


@pytest.mark.parametrize("reference", ["demo:nothing", "nowhere.wallum", "picture.png"])
def test_what_is_no_project_is_refused(reference, tmp_path, monkeypatch):
    monkeypatch.chdir(tmp_path)
    (tmp_path / "picture.png").write_bytes(b"\x89PNG")
    with pytest.raises(ProjectProblem):
        open_project(reference)


def test_a_level_of_another_kind_is_refused():
    with pytest.raises(LevelProblem, match="glb"):
        open_level("scene.blob", None)
