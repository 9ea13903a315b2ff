"""Tangents against those of the reference code, the convention of the standard, and files of others."""

import json
from pathlib import Path

import numpy as np
import pytest
from gltf_maker import Maker, png

from wallum.level.demos.pale_room import pale_room
from wallum.level.importers.gltf.reader import load_gltf, parse_gltf
from wallum.level.model.generated_sheets import rolling_sheets
from wallum.level.model.model import Primitive
from wallum.level.model.shading_basis import corner_tangents, with_tangents
from wallum.level.model.solids import box, revolve

REFERENCE = json.loads(Path(__file__).with_name("mikktspace.json").read_text())["meshes"]
# A square that faces +Z as a picture hangs: u to the right, v down.
SQUARE = np.array([[0, 1, 0], [1, 1, 0], [1, 0, 0], [0, 0, 0]], "f4")
HUNG = np.array([[0, 0], [1, 0], [1, 1], [0, 1]], "f4")
FACES = np.array([[0, 3, 2], [0, 2, 1]], "u4")
TOWARD = np.tile(np.array([[0, 0, 1]], "f4"), (4, 1))


@pytest.mark.parametrize("name", sorted(REFERENCE))
def test_tangents_are_those_of_the_reference_code(name):
    inputs = REFERENCE[name]
    p, n, uv, wanted = (
        np.array(inputs[key], "f4").reshape(-1, width)
        for key, width in (("positions", 3), ("normals", 3), ("uv", 2), ("tangents", 4))
    )
    built, group = corner_tangents(p, n, uv, np.arange(len(p), dtype=np.uint32).reshape(-1, 3))
    assert built == pytest.approx(wanted, abs=2e-4)
    shared = [built[group == item] for item in np.unique(group)]
    assert max(float(np.ptp(item, axis=0).max()) for item in shared) == 0.0


def test_the_bitangent_goes_up_the_picture():
    """Green is up: glTF 2.0, section 3.9.3; v goes down the picture: section 3.8.3."""
    built, _ = corner_tangents(SQUARE, TOWARD, HUNG, FACES)
    assert built[:, :3] == pytest.approx(np.tile([1, 0, 0], (6, 1)))
    up = np.cross(TOWARD[0], built[0, :3]) * built[0, 3]
    assert up == pytest.approx([0, 1, 0])


def test_a_mirrored_half_has_a_seam_and_no_other():
    wide = np.array([[-1, 1, 0], [0, 1, 0], [1, 1, 0], [-1, 0, 0], [0, 0, 0], [1, 0, 0]], "f4")
    uv = np.array([[1, 0], [0, 0], [1, 0], [1, 1], [0, 1], [1, 1]], "f4")
    faces = np.array([[0, 3, 4], [0, 4, 1], [1, 4, 5], [1, 5, 2]], "u4")
    primitive = Primitive(wide, np.tile(TOWARD[:1], (6, 1)), faces, 0, uv0=uv)
    tangents = with_tangents(primitive)
    assert len(tangents.positions) == 8  # the two corners at the fold are split
    left = tangents.positions[:, 0] < -0.5
    right = tangents.positions[:, 0] > 0.5
    assert tangents.tangents[left] == pytest.approx(np.tile([-1, 0, 0, -1], (left.sum(), 1)))
    assert tangents.tangents[right] == pytest.approx(np.tile([1, 0, 0, 1], (right.sum(), 1)))
    assert tangents.positions[tangents.triangles] == pytest.approx(wide[faces])
    assert tangents.uv0[tangents.triangles] == pytest.approx(uv[faces])


@pytest.mark.parametrize("uv", [np.zeros((4, 2), "f4"), np.array([[0, 0], [1, 0], [1, 0], [0, 0]], "f4")])
def test_coordinates_without_a_direction_still_give_a_basis(uv):
    tangents = with_tangents(Primitive(SQUARE, TOWARD, FACES, 0, uv0=uv))
    assert np.linalg.norm(tangents.tangents[:, :3], axis=1) == pytest.approx(1.0)
    assert (tangents.tangents[:, :3] * tangents.normals).sum(axis=1) == pytest.approx(0.0, abs=1e-6)
    assert len(tangents.positions) == 4


def test_triangles_of_no_area_take_their_neighbours_basis():
    faces = np.array([[0, 3, 2], [0, 2, 1], [0, 0, 2]], "u4")
    tangents = with_tangents(Primitive(SQUARE, TOWARD, faces, 0, uv0=HUNG))
    assert tangents.tangents == pytest.approx(np.tile([1, 0, 0, 1], (len(tangents.positions), 1)))


@pytest.mark.parametrize(
    "primitive",
    [
        box((0, 0, 0), (1, 2, 3), 0),
        revolve(np.array([[0.5, 2.0], [1.0, 1.0], [0.7, 0.0]]), 12, 0),
        rolling_sheets(1, 9).meshes[0].primitives[0],
        pale_room().meshes[0].primitives[0],
    ],
)
def test_generated_surfaces_have_their_green_up(primitive):
    """The bitangent goes where v grows less, on every triangle."""
    p, uv = primitive.positions[primitive.triangles], primitive.uv0[primitive.triangles].astype(float)
    d1, d2 = uv[:, 1] - uv[:, 0], uv[:, 2] - uv[:, 0]
    area = d1[:, 0] * d2[:, 1] - d2[:, 0] * d1[:, 1]
    down = (p[:, 2] - p[:, 0]) * d1[:, :1] - (p[:, 1] - p[:, 0]) * d2[:, :1]
    down *= np.sign(area)[:, None]
    first = primitive.triangles[:, 0]
    n, t = primitive.normals[first], primitive.tangents[first]
    up = np.cross(n, t[:, :3]) * t[:, 3:]
    whole = np.abs(area) > 1e-9
    assert (np.einsum("ij,ij->i", up, down)[whole] < 0.0).all()


def test_a_file_without_tangents_reads_as_one_with_them():
    """Positions, normals, coordinates and a normal map; tangents as the reference code has them."""
    inputs = REFERENCE["mirrored"]

    def level(with_them):
        maker = Maker()
        maker.document["images"] = [{"bufferView": maker.view(png((128, 128, 255, 255)))}]
        maker.document["textures"] = [{"source": 0}]
        maker.document["materials"] = [{"normalTexture": {"index": 0}}]
        more = {"TANGENT": np.array(inputs["tangents"], "f4").reshape(-1, 4)} if with_them else {}
        maker.mesh(
            np.array(inputs["positions"], "f4").reshape(-1, 3),
            material=0,
            NORMAL=np.array(inputs["normals"], "f4").reshape(-1, 3),
            TEXCOORD_0=np.array(inputs["uv"], "f4").reshape(-1, 2),
            **more,
        )
        return parse_gltf(maker.bytes(), "made.glb", None).meshes[0].primitives[0]

    bare, whole = level(False), level(True)
    assert bare.tangents[bare.triangles.ravel()] == pytest.approx(
        whole.tangents[whole.triangles.ravel()], abs=2e-4
    )


def test_an_exported_level_keeps_its_tangents(tmp_path):
    from wallum.level.model.generated_sheets import write_level

    level = rolling_sheets(1, 9)
    read = load_gltf(write_level(level, tmp_path / "a.glb"))
    assert read.meshes[0].primitives[0].tangents == pytest.approx(level.meshes[0].primitives[0].tangents)
