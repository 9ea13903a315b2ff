"""Meshes packed by Draco, as its own encoder packs them."""

import DracoPy
import numpy as np
import pytest
from gltf_maker import Maker

from wallum.errors import LevelProblem

FACES = np.array([[0, 1, 2], [2, 1, 3]], np.uint32)
PLACES = np.array([[0, 0, 0], [1, 0, 0], [0, 0, -1], [1, 0, -1]], np.float32)
NORMALS = np.tile(np.array([0, 1, 0], np.float32), (4, 1))
UV = np.array([[0, 0], [1, 0], [0, 1], [1, 1]], np.float32)


def packed(**said):
    """A file whose one mesh is packed; its accessors hold no data of their own."""
    maker = Maker()
    data = DracoPy.encode(
        PLACES, FACES, quantization_bits=14, normals=NORMALS.astype(float), tex_coord=UV.astype(float)
    )
    ids = {
        attribute["attribute_type"]: attribute["unique_id"] for attribute in DracoPy.decode(data).attributes
    }
    view = maker.view(data)
    lists = maker.document["accessors"]

    def bare(kind, count, component=5126, **more):
        lists.append({"componentType": component, "count": count, "type": kind, **more})
        return len(lists) - 1

    names = {"POSITION": ("VEC3", 0), "NORMAL": ("VEC3", 1), "TEXCOORD_0": ("VEC2", 3)}
    primitive = {
        "attributes": {name: bare(kind, 4) for name, (kind, _) in names.items()},
        "indices": bare("SCALAR", 6, 5123),
        "extensions": {
            "KHR_draco_mesh_compression": {
                "bufferView": view,
                "attributes": {name: ids[number] for name, (_, number) in names.items()},
                **said,
            }
        },
    }
    maker.document["meshes"] = [{"name": "sheet", "primitives": [primitive]}]
    maker.document["nodes"] = [{"mesh": 0}]
    maker.document["extensionsUsed"] = maker.document["extensionsRequired"] = ["KHR_draco_mesh_compression"]
    return maker


def test_a_packed_mesh_is_the_mesh():
    level = packed().level()
    (item,) = level.meshes[0].primitives
    corners = item.positions[item.triangles]
    # The packer may number corners anew: the triangles are the same.
    expected = PLACES[FACES]
    order = [np.argsort(t[..., 0].sum(axis=1)) for t in (corners, expected)]
    assert corners[order[0]].mean(axis=1) == pytest.approx(expected[order[1]].mean(axis=1), abs=1e-3)
    assert item.normals == pytest.approx(np.tile([0.0, 1.0, 0.0], (4, 1)), abs=0.01)
    places = {
        tuple(np.round(p).astype(int)): tuple(np.round(uv).astype(int))
        for p, uv in zip(item.positions, item.uv0)
    }
    assert places == {tuple(p.astype(int)): tuple(uv.astype(int)) for p, uv in zip(PLACES, UV)}
    assert level.findings == ()


@pytest.mark.parametrize(
    ("said", "word"),
    [
        ({"bufferView": 99}, "buffer view"),
        ({"attributes": {"POSITION": 77}}, "no attribute 77"),
        ({"attributes": None}, "does not say"),
    ],
)
def test_what_is_broken_is_one_sentence(said, word):
    with pytest.raises(LevelProblem, match=word):
        packed(**said).level()


def test_data_that_is_cut_or_of_another_size_is_refused():
    built = packed()
    built.document["accessors"][0]["count"] = 5
    with pytest.raises(LevelProblem, match="5 of 3 are asked for where 4 of 3"):
        built.level()
    built = packed()
    built.document["bufferViews"][0]["byteLength"] = 30
    with pytest.raises(LevelProblem, match="cannot be unpacked"):
        built.level()
