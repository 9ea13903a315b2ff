"""Skins in their joints' pose, morph weights, instances, hidden nodes: against their closed forms."""

import numpy as np
import pytest
from gltf_maker import TRIANGLE, Maker

from wallum.errors import LevelProblem
from wallum.exchange.gltf_export import export_gltf
from wallum.level.demos.pale_room import pale_room_project
from wallum.level.importers.gltf.document import parse_document
from wallum.level.importers.gltf.reader import load_gltf
from wallum.level.model.flatten import flatten

QUARTER = [0.0, 0.0, float(np.sin(np.pi / 4)), float(np.cos(np.pi / 4))]  # about +Z


def world(level):
    return flatten(level).positions


def skinned(weights, scale=1.0, joint_turn=None):
    """A triangle on two joints, the second one metre up; its own node stands far away."""
    maker = Maker()
    joints = np.tile(np.array([[0, 1, 0, 0]], "u1"), (3, 1))
    maker.mesh(
        TRIANGLE, NORMAL=np.tile(np.array([[0, 0, 1]], "f4"), (3, 1)),
        JOINTS_0=joints, WEIGHTS_0=np.array(weights, "f4"),
    )  # fmt: skip
    bind = np.tile(np.eye(4, dtype="f4"), (2, 1, 1))
    bind[1, 3, 1] = -1.0  # columns come first: a translation by -1 in y
    maker.document["accessors"].append(
        {"bufferView": maker.view(bind.tobytes()), "componentType": 5126, "count": 2, "type": "MAT4"}
    )
    maker.document["skins"] = [
        {"joints": [1, 2], "inverseBindMatrices": len(maker.document["accessors"]) - 1}
    ]
    maker.document["nodes"] = [
        {"mesh": 0, "skin": 0, "name": "figure", "translation": [100, 0, 0], "scale": [7, 7, 7]},
        {"name": "root", "children": [2], "scale": [scale] * 3},
        {"name": "tip", "translation": [0, 1, 0], **({"rotation": joint_turn} if joint_turn else {})},
    ]
    maker.document["scenes"] = [{"nodes": [0, 1]}]
    return maker


def test_a_skin_at_rest_stands_where_its_joints_do_and_not_where_its_node_does():
    level = skinned([[1, 0, 0, 0], [0.5, 0.5, 0, 0], [0, 1, 0, 0]]).level()
    assert world(level) == pytest.approx(TRIANGLE, abs=1e-6)
    assert level.findings == ()


def test_a_figure_under_a_scale_is_as_large_as_its_joints_make_it():
    """Armatures in centimetres: 180 m of figure are 1.8 m."""
    level = skinned([[1, 0, 0, 0]] * 3, scale=0.01).level()
    assert world(level) == pytest.approx(TRIANGLE * 0.01, abs=1e-6)


def test_a_joint_that_turns_takes_its_vertices_and_their_normals_along():
    level = skinned([[0, 1, 0, 0]] * 3, joint_turn=QUARTER).level()
    # About (0, 1): (x, y) goes to (-(y - 1), x + 1).
    wanted = np.array([[1, 1, 0], [1, 2, 0], [0, 1, 0]], float)
    assert world(level) == pytest.approx(wanted, abs=1e-6)
    assert flatten(level).normals == pytest.approx(np.tile([0, 0, 1], (3, 1)), abs=1e-6)


def test_a_vertex_between_two_joints_lies_between_where_they_take_it():
    half = world(skinned([[0.5, 0.5, 0, 0]] * 3, joint_turn=QUARTER).level())
    ends = [world(skinned([w] * 3, joint_turn=QUARTER).level()) for w in ([1, 0, 0, 0], [0, 1, 0, 0])]
    assert half == pytest.approx((ends[0] + ends[1]) / 2, abs=1e-6)


@pytest.mark.parametrize(
    "spoil",
    [
        lambda d: d["skins"][0].update(joints=[1, 9]),
        lambda d: d["skins"][0].update(joints=[1]),
        lambda d: d["nodes"][0].update(skin=4),
        lambda d: d["accessors"][-1].update(count=1),
    ],
)
def test_a_skin_that_does_not_fit_is_refused(spoil):
    built = skinned([[0, 1, 0, 0]] * 3)
    spoil(built.document)
    with pytest.raises(LevelProblem):
        built.level()


@pytest.mark.parametrize(
    ("of_mesh", "of_node", "shift"), [(None, None, 0.0), ([0.5], None, 0.5), ([0.5], [2.0], 2.0)]
)
def test_morph_targets_are_weighed_as_mesh_or_node_says(of_mesh, of_node, shift):
    maker = Maker()
    primitive = maker.mesh(TRIANGLE)
    primitive["targets"] = [{"POSITION": maker.accessor(np.tile(np.array([[0, 0, 1]], "f4"), (3, 1)))}]
    if of_mesh:
        maker.document["meshes"][0]["weights"] = of_mesh
    if of_node:
        maker.document["nodes"][0]["weights"] = of_node
    assert world(maker.level()) == pytest.approx(TRIANGLE + np.array([0, 0, shift]), abs=1e-6)
    assert maker.level().findings == ()


def test_instances_stand_where_the_file_says():
    maker = Maker()
    maker.mesh(TRIANGLE)
    at = np.array([[0, 0, 0], [5, 0, 0], [0, 7, 0]], "f4")
    size = np.array([[1, 1, 1], [2, 2, 2], [1, 1, 1]], "f4")
    maker.document["nodes"] = [
        {
            "mesh": 0, "name": "tree", "translation": [0, 0, 3],
            "extensions": {"EXT_mesh_gpu_instancing": {
                "attributes": {"TRANSLATION": maker.accessor(at), "SCALE": maker.accessor(size)}}},
        }
    ]  # fmt: skip
    maker.document["extensionsUsed"] = ["EXT_mesh_gpu_instancing"]
    level = maker.level()
    assert [part.id for part in level.parts] == ["tree", "tree #2", "tree #3"]
    wanted = np.concatenate([TRIANGLE * s[0] + a + [0, 0, 3] for a, s in zip(at, size, strict=True)])
    assert world(level) == pytest.approx(wanted, abs=1e-6)
    assert level.findings == ()


def test_instances_that_differ_in_number_are_refused():
    maker = Maker()
    maker.mesh(TRIANGLE)
    two, three = maker.accessor(np.zeros((2, 3), "f4")), maker.accessor(np.ones((3, 3), "f4"))
    attributes = {"TRANSLATION": two, "SCALE": three}
    maker.document["nodes"][0]["extensions"] = {"EXT_mesh_gpu_instancing": {"attributes": attributes}}
    with pytest.raises(LevelProblem, match="instances"):
        maker.level()


def test_what_is_hidden_in_the_file_is_left_out_with_all_below_it_and_counted():
    maker = Maker()
    maker.mesh(TRIANGLE)
    hidden = {"KHR_node_visibility": {"visible": False}}
    maker.document["nodes"] = [
        {"mesh": 0, "name": "shown"},
        {"mesh": 0, "name": "hidden", "children": [2], "extensions": hidden},
        {"mesh": 0, "name": "below"},
        {"mesh": 0, "name": "visible", "extensions": {"KHR_node_visibility": {"visible": True}}},
    ]
    maker.document["scenes"] = [{"nodes": [0, 1, 3]}]
    level = maker.level()
    assert [part.name for part in level.parts] == ["shown", "visible"]
    (finding,) = level.findings
    assert "left out: 2" in finding.text
    assert "hidden" in finding.where


def test_parts_of_equal_names_have_ids_of_their_own():
    maker = Maker()
    maker.mesh(TRIANGLE)
    names = ["Box", "Box", "Box #2", "Box"]
    maker.document["nodes"] = [{"mesh": 0, "name": name} for name in names]
    maker.document["scenes"] = [{"nodes": [0, 1, 2, 3]}]
    ids = [part.id for part in maker.level().parts]
    assert len(set(ids)) == 4
    assert (ids[0], ids[2]) == ("Box", "Box #2")


@pytest.mark.parametrize("faces", [[0, 0, 0], [0, 1, 1], []])
def test_a_piece_without_a_triangle_of_any_area_is_exported_as_nothing(tmp_path, faces):
    maker = Maker()
    maker.mesh(TRIANGLE, indices=np.array(faces or [0, 0, 1], "u2"))
    maker.mesh(TRIANGLE)
    maker.document["nodes"] = [{"mesh": 0, "name": "nothing"}, {"mesh": 1, "name": "something"}]
    maker.document["scenes"] = [{"nodes": [0, 1]}]
    level = maker.level()
    export_gltf(pale_room_project().revised(sources=(), shots=(), marks=()), level, tmp_path / "out.glb")
    written = parse_document((tmp_path / "out.glb").read_bytes())
    assert len(written.meshes) == 1
    assert [part.name for part in load_gltf(tmp_path / "out.glb").parts] == ["something"]
