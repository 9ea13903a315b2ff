import json
from dataclasses import replace

import numpy as np
import pytest
from gltf_maker import no_files
from gltf_rules import broken_rules, read_glb
from set_lights import set_base

from wallum.document.air import Air
from wallum.document.look import Look
from wallum.document.project import Project, Shot
from wallum.document.sources import PointSource, SkySource, SpotSource
from wallum.errors import ExportProblem
from wallum.exchange.gltf_export import build_gltf, export_gltf
from wallum.exchange.pictures import read_exr, write_exr, write_png
from wallum.level.demos.jar_yard import jar_yard, jar_yard_project
from wallum.level.demos.pale_room import pale_room, pale_room_project
from wallum.level.gltf_writer import to_glb
from wallum.level.importers.gltf.reader import load_gltf, parse_gltf
from wallum.level.model.flatten import flatten
from wallum.level.model.model import Finding, Level, Material, Mesh, Part
from wallum.level.model.solids import box
from wallum.physics.turning import quaternion

SOURCES = (
    *set_base(),
    PointSource(
        id="a", name="Gate Lamp", position=(1, 2, 3), intensity=120.0, kelvin=2700.0, tint=0.01, shadow=True
    ),
    PointSource(id="b", name="Unlit", on=False, intensity=33.0, range=7.0, role="accent"),
    SpotSource(id="c", name="Key", direction=(0.3, -0.8, 0.2), inner=11.0, outer=44.0, radius=0.2, range=9.0),
    SpotSource(
        id="d", name="Blue", direction=(0, 1, 0), colour_by="colour", colour=(0.1, 0.2, 1.0), inner=0.0
    ),
)


def written(project, level):
    document, data, warnings = build_gltf(project, level)
    return to_glb(document, data), warnings


def assert_same(item, two):
    """Equal but for ids, and for what rounding leaves of angles and products."""
    assert type(item) is type(two)
    for name in type(item).model_fields:
        before, after = getattr(item, name), getattr(two, name)
        if name == "id":
            continue
        if isinstance(before, float | tuple):
            assert np.array(after) == pytest.approx(np.array(before), rel=1e-6, abs=1e-6), name
        else:
            assert before == after, name


def test_sources_and_shots_read_back_equal(room):
    shots = (Shot(id="s", name="Lane", eye=(1, 2, 3), direction=(0.5, -0.2, -0.8), fov=37.0),)
    project = Project(sources=SOURCES, shots=shots)
    data, warnings = written(project, room)
    level = parse_gltf(data, "out.glb", no_files)
    expected = [source for source in SOURCES if not isinstance(source, SkySource)]
    assert len(level.sources) == len(expected)
    for before, after in zip(expected, level.sources, strict=True):
        assert_same(before, after)
    assert_same(shots[0], level.shots[0])
    assert level.findings == ()
    assert any("sky" in warning for warning in warnings)


@pytest.mark.parametrize(
    "made", [(pale_room_project, None), (jar_yard_project, jar_yard)], ids=["room", "yard"]
)
def test_a_written_level_keeps_every_rule_and_reads_back_the_same(made, room):
    project, level = made[0](), made[1]() if made[1] else room
    data, _ = written(project, level)
    assert broken_rules(data) == []
    again = parse_gltf(data, "out.glb", no_files)
    assert [part.id for part in again.parts] == [part.id for part in level.parts]
    item, two = flatten(level), flatten(again)
    for name in ("positions", "normals", "tangents", "uv", "colours", "faces", "material", "part"):
        assert getattr(item, name) == pytest.approx(getattr(two, name), abs=1e-5), name
    assert again.materials[: len(level.materials)] == level.materials
    assert [picture.data for picture in again.pictures] == [picture.data for picture in level.pictures]


def test_an_empty_project_is_a_valid_file():
    data, _ = written(Project(), Level("empty"))
    assert broken_rules(data) == []


def test_a_sheared_part_is_written_into_its_vertices():
    matrix = np.eye(4)
    matrix[0, 1] = 0.5
    level = Level(
        "sheared",
        (Mesh("box", (box((0, 0, 0), (1, 1, 1), 0),)),),
        (Part("b", "b", 0, matrix),),
        (Material(metallic=0.0), Material()),
    )
    data, _ = written(Project(), level)
    assert broken_rules(data) == []
    again = parse_gltf(data, "out.glb", no_files)
    assert flatten(again).positions == pytest.approx(flatten(level).positions)


def test_the_check_itself_notices_broken_rules(room):
    """A checker that never complains proves nothing."""
    data, _ = written(Project(sources=SOURCES), room)
    document, binary = read_glb(data)

    def spoiled(change):
        copy = json.loads(json.dumps(document))
        change(copy)
        return broken_rules(to_glb(copy, binary))

    lights = "extensions"
    changes = [
        lambda d: d["accessors"][0].update(max=[9, 9, 9]),
        lambda d: d["nodes"][0].update(mesh=77),
        lambda d: d[lights]["KHR_lights_punctual"]["lights"][0].update(intensity=-1),
        lambda d: d[lights]["KHR_lights_punctual"]["lights"][1].update(range=0),
        lambda d: d[lights]["KHR_lights_punctual"]["lights"][3]["spot"].update(innerConeAngle=3.0),
        lambda d: d.update(extensionsUsed=[]),
        lambda d: d["bufferViews"][0].update(byteLength=10**9),
        lambda d: d["materials"][0]["pbrMetallicRoughness"].update(metallicFactor=2),
        lambda d: d.update(animations=[], meshes=[]),
    ]
    assert all(spoiled(change) for change in changes)


def test_a_colour_edited_elsewhere_counts_over_what_we_kept(room):
    data, _ = written(Project(sources=(SOURCES[2],)), room)
    document, binary = read_glb(data)
    document["extensions"]["KHR_lights_punctual"]["lights"][0]["color"] = [0.0, 1.0, 0.0]
    lamp = parse_gltf(to_glb(document, binary), "edited.glb", no_files).sources[0]
    assert lamp.colour_by == "colour"
    assert lamp.colour == pytest.approx((0.0, 1.0, 0.0))
    assert lamp.radius == SOURCES[2].radius


def test_text_and_binary_files_hold_the_same(room, tmp_path):
    project = Project(sources=SOURCES)
    for name in ("out.glb", "out.gltf"):
        export_gltf(project, room, tmp_path / name)
    item, two = load_gltf(tmp_path / "out.glb"), load_gltf(tmp_path / "out.gltf")
    assert np.array_equal(flatten(item).positions, flatten(two).positions)
    assert [s.revised(id="x") for s in item.sources] == [s.revised(id="x") for s in two.sources]


def test_a_place_that_cannot_be_written_is_named(room, tmp_path):
    with pytest.raises(ExportProblem, match="nowhere"):
        export_gltf(Project(), room, tmp_path / "nowhere" / "out.glb")
    with pytest.raises(ExportProblem, match="nowhere"):
        write_png(tmp_path / "nowhere" / "a.png", np.zeros((2, 2, 3), np.uint8))
    with pytest.raises(ExportProblem, match="nowhere"):
        write_exr(tmp_path / "nowhere" / "a.exr", np.zeros((2, 2, 3), np.float32))


def test_quaternions_turn_as_their_matrix(rng):
    for _ in range(200):
        turn, _ = np.linalg.qr(rng.normal(size=(3, 3)))
        turn = turn * np.sign(np.linalg.det(turn))
        x, y, z, w = quaternion(turn)
        vector = rng.normal(size=3)
        axis = np.array([x, y, z])
        turned = vector + 2 * np.cross(axis, np.cross(axis, vector) + w * vector)
        assert turned == pytest.approx(turn @ vector, abs=1e-9)


def test_exr_keeps_light_in_full_floats(tmp_path, rng):
    light = (10.0 ** rng.uniform(-4, 9, (7, 5, 3))).astype(np.float32)
    write_exr(tmp_path / "light.exr", light)
    assert np.array_equal(read_exr(tmp_path / "light.exr"), light)


def test_materials_with_everything_are_written_in_full(room):
    full = replace(
        room.materials[0],
        name="all",
        emissive=(1.0, 0.5, 0.2),
        emissive_strength=300.0,
        alpha="mask",
        cutoff=0.25,
        double_sided=True,
        unlit=True,
    )
    level = replace(room, materials=(full, Material()))
    data, _ = written(Project(), level)
    assert broken_rules(data) == []
    assert parse_gltf(data, "out.glb", no_files).materials[0] == full


def test_what_is_exported_is_the_light_of_the_hour(tmp_path):
    """Trims of lamp and group, lanes and switching are in the numbers; what is lost is said."""
    lamp = PointSource(id="l", name="Lamp", intensity=100.0, trim=1.0, colour_by="colour")
    dark = lamp.revised(id="d", name="Dark", switched="by clock", on_at=20.0, off_at=5.0)
    project = Project(sources=(*set_base(), lamp, dark)).revised(
        balance={"lamps": 1.0, "base": -1.0, "glow": 1.0}, setting={"clock": 12.0}
    )
    warnings = export_gltf(project, pale_room(), tmp_path / "out.glb")
    by_name = {source.name: source for source in load_gltf(tmp_path / "out.glb").sources}
    assert by_name["Lamp"].intensity == pytest.approx(400.0)
    assert by_name["Lamp"].trim == 0.0
    assert not by_name["Dark"].on
    assert by_name["Sun"].illuminance == pytest.approx(0.5 * set_base()[0].illuminance, rel=1e-3)
    assert any("12:00" in text for text in warnings)
    assert any("Glow" in text for text in warnings)


def test_what_is_lost_is_said_each_by_its_name(room):
    dropped = Finding("animation not read", "hall.glb", "warning", "The file has 2 animations.")
    noticed = Finding("scale", "hall.glb", "warning", "The level is 400 m wide.")
    project = Project(sources=SOURCES, air=Air(on=True), look=Look(exposed="metered", night_eye=0.5))
    _, _, warnings = build_gltf(project, replace(room, findings=(dropped, noticed)))
    for word in ("sky", "air", "metering", "night eye", "2 animations", "size of"):
        assert sum(word in warning for warning in warnings) == 1, word
    assert not any("400 m" in warning for warning in warnings)  # that is in the file
    _, _, fewer = build_gltf(Project(sources=SOURCES[3:4], look=Look(ev100=9.5)), room)
    assert any("EV 9.5" in item for item in fewer)
    assert not any("air" in item or "night eye" in item for item in fewer)


def test_lights_alone_are_known_by_their_paths_of_names(room, tmp_path):
    key = next(source for source in SOURCES if source.name == "Key").revised(role="key")
    others = [source for source in SOURCES if source.name != "Key"]
    twins = (*others, key, key.revised(id="z"), key.revised(id="y", role="rim"))
    project = Project(name="Hall", sources=twins, shots=(Shot(id="s", name="Lane", eye=(1, 2, 3)),))
    warnings = export_gltf(project, room, tmp_path / "lights.gltf", lights_only=True)
    document = json.loads((tmp_path / "lights.gltf").read_text())
    assert not {"meshes", "materials", "cameras", "buffers", "accessors", "images"} & set(document)
    assert not (tmp_path / "lights.bin").exists()
    nodes = document["nodes"]

    def paths(index, above=""):
        here = f"{above}/{nodes[index]['name']}"
        below = [path for child in nodes[index].get("children", []) for path in paths(child, here)]
        return below or [here]

    (root,) = document["scenes"][0]["nodes"]
    result = paths(root)
    assert len(result) == len(set(result)) == len(document["extensions"]["KHR_lights_punctual"]["lights"])
    assert {"/Hall lights/key/Key", "/Hall lights/key/Key #2", "/Hall lights/rim/Key"} <= set(result)
    assert any("sky" in warning for warning in warnings)
    # Where a lamp stands is the same as in the whole level's file, for another reader too.
    whole, _, _ = build_gltf(project, room)

    def lamps(document):
        return [n["translation"] for n in document["nodes"] if "extensions" in n and "translation" in n]

    assert lamps(document) == lamps(whole)
