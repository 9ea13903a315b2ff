"""Filling the package's classes quickly gives what the package gives."""

import json

import pytest
from pygltflib import GLTF2

from wallum.exchange.gltf_export import export_gltf
from wallum.level.gltf_json import QuickGLTF2
from wallum.level.jar_yard import jar_yard, jar_yard_project


def plain(value):
    """An object of the package as dictionaries and lists."""
    if hasattr(value, "__dict__"):
        return {name: plain(part) for name, part in vars(value).items() if not name.startswith("_")}
    return [plain(one) for one in value] if isinstance(value, list) else value


def test_a_whole_level_is_filled_as_the_package_fills_it(tmp_path):
    file = tmp_path / "yard.glb"
    export_gltf(jar_yard_project(), jar_yard(), file)
    data = file.read_bytes()
    quick, slow = QuickGLTF2.load_from_bytes(data), GLTF2.load_from_bytes(data)
    assert len(quick.nodes) > 20
    assert plain(quick) == plain(slow)
    assert bytes(quick.binary_blob()) == bytes(slow.binary_blob())


def test_what_is_not_said_is_as_the_package_has_it():
    text = json.dumps(
        {
            "asset": {"version": "2.0"},
            "meshes": [
                {"primitives": [{"attributes": {"POSITION": 0, "_OWN": 3}, "targets": [{"POSITION": 1}]}]}
            ],
            "nodes": [{}, {"name": "n", "children": [0], "extensions": {"X": {"a": 1}}, "extras": {"b": 2}}],
            "accessors": [
                {
                    "sparse": {
                        "count": 1,
                        "indices": {"bufferView": 0, "componentType": 5123},
                        "values": {"bufferView": 1},
                    }
                }
            ],
            "unheard_of": 3,
        }
    )
    quick, slow = QuickGLTF2.from_json(text), GLTF2.from_json(text, infer_missing=True)
    assert quick.meshes[0].primitives[0].attributes._OWN == 3
    assert plain(quick.nodes) == plain(slow.nodes)
    assert plain(quick.accessors) == plain(slow.accessors)
    assert quick.asset.version == slow.asset.version


@pytest.mark.parametrize("text", ['{"nodes": 5}', '{"nodes": [5]}', '{"asset": "2.0"}', "[]", "nonsense"])
def test_json_of_another_shape_is_refused(text):
    with pytest.raises((TypeError, ValueError)):
        QuickGLTF2.from_json(text)
