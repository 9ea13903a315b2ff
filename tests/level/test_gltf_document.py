"""The document of a glTF file: what it says is kept, what it leaves out has the standard's defaults."""

import json
import struct

import pytest

from wallum.exchange.gltf_export import export_gltf
from wallum.level.demos.jar_yard import jar_yard, jar_yard_project
from wallum.level.importers.gltf.document import parse_document


def glb(text, binary=None):
    """A GLB container written by hand (glTF 2.0, section 4.4)."""
    chunks = [(0x4E4F534A, text.encode().ljust(-(-len(text) // 4) * 4))]
    if binary is not None:
        chunks.append((0x004E4942, binary))
    body = b"".join(struct.pack("<II", len(data), kind) + data for kind, data in chunks)
    return struct.pack("<4sII", b"glTF", 2, 12 + len(body)) + body


def kept(value, said):
    """Whether everything that the JSON says is in the model."""
    if isinstance(said, dict) and not isinstance(value, dict):
        return all(kept(getattr(value, key), part) for key, part in said.items() if hasattr(value, key))
    if isinstance(said, list):
        return len(value) == len(said) and all(map(kept, value, said))
    return value == said


def test_a_whole_level_is_kept_as_its_file_says(tmp_path):
    file = tmp_path / "yard.glb"
    export_gltf(jar_yard_project(), jar_yard(), file)
    data = file.read_bytes()
    length = struct.unpack_from("<I", data, 12)[0]
    text = json.loads(data[20 : 20 + length])
    gltf = parse_document(data)
    assert len(gltf.nodes) > 20
    assert kept(gltf, text)
    assert gltf.binary == data[20 + length + 8 :][: text["buffers"][0]["byteLength"]].ljust(
        len(gltf.binary), b"\0"
    )


def test_what_is_not_said_has_the_standards_defaults():
    gltf = parse_document(
        json.dumps(
            {
                "asset": {"version": "2.0"},
                "meshes": [
                    {"primitives": [{"attributes": {"POSITION": 0, "_OWN": 3}, "targets": [{"POSITION": 1}]}]}
                ],
                "nodes": [{"children": None}, {"name": 7, "extensions": {"X": {"a": 1}}, "weights": [0.5]}],
                "materials": [{"normalTexture": {"index": 0}}],
                "samplers": [{}],
                "unheard_of": 3,
            }
        ).encode()
    )
    primitive = gltf.meshes[0].primitives[0]
    assert primitive.attributes == {"POSITION": 0, "_OWN": 3}
    assert (primitive.mode, primitive.targets) == (4, [{"POSITION": 1}])
    assert (gltf.nodes[0].children, gltf.nodes[1].name, gltf.nodes[1].weights) == ([], None, [0.5])
    assert (gltf.materials[0].alphaMode, gltf.materials[0].emissiveFactor) == ("OPAQUE", [0.0, 0.0, 0.0])
    assert (gltf.materials[0].normalTexture.texCoord, gltf.materials[0].normalTexture.scale) == (0, 1.0)
    assert (gltf.samplers[0].wrapS, gltf.samplers[0].wrapT) == (10497, 10497)


def test_a_container_gives_its_text_and_its_bytes():
    gltf = parse_document(glb('{"asset": {"version": "2.0"}}', b"\1\2\3\4"))
    assert gltf.binary == b"\1\2\3\4"
    assert parse_document(glb('{"asset": {"version": "2.0"}}')).binary is None


@pytest.mark.parametrize(
    "text",
    [
        '{"nodes": 5}', '{"asset": {}, "nodes": [5]}', '{"asset": "2.0"}', "[]", "nonsense",
        '{"asset": {}, "meshes": [{"primitives": {}}]}', '{"asset": {}, "scene": NaN}',
    ],
)  # fmt: skip
def test_json_of_another_shape_is_refused(text):
    with pytest.raises((TypeError, ValueError)):
        parse_document(text.encode())
    with pytest.raises((TypeError, ValueError)):
        parse_document(glb(text))


@pytest.mark.parametrize(
    "data", [b"glTF", glb('{"asset": {}}')[:15], b"glTF" + struct.pack("<II", 1, 40) + bytes(28)]
)
def test_a_broken_container_is_refused(data):
    with pytest.raises(ValueError, match=r"its (header|container)"):
        parse_document(data)
