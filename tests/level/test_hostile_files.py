"""Levels and skies made to hurt: refused in one sentence, quickly, with nothing of anyone else's read."""

import json
import struct

import numpy as np
import pytest
from gltf_maker import TRIANGLE, Maker, png
from panorama_maker import write_panorama

from wallum.errors import LevelProblem
from wallum.exchange.pictures import write_exr
from wallum.level.importers.gltf.reader import load_gltf
from wallum.level.importers.images.panorama_file import read_panorama
from wallum.level.opening import open_level


def refused(made, match="."):
    """Building it says no, in one line."""
    with pytest.raises(LevelProblem, match=match) as caught:
        made()
    text = str(caught.value)
    assert "\n" not in text
    assert len(text) < 500
    text.encode()


def triangle():
    maker = Maker()
    maker.mesh()
    return maker


# -- small files, large cost -----------------------------------------------------------


def test_nodes_that_double_at_each_step_are_counted_by_their_paths():
    built = triangle()
    built.document["nodes"] = [{"children": [n + 1, n + 1]} for n in range(40)] + [{"mesh": 0}]
    refused(built.level, "200,000 nodes")


def test_a_node_below_itself_is_refused():
    built = triangle()
    built.document["nodes"] = [{"children": [1]}, {"children": [0]}]
    refused(built.level, "below itself")


def test_a_chain_of_nodes_is_read_as_deep_as_anyone_builds():
    built = triangle()
    built.document["nodes"] = [{"children": [n + 1]} for n in range(400)] + [{"mesh": 0}]
    assert len(built.level().parts) == 1
    built.document["nodes"] = [{"children": [n + 1]} for n in range(4000)] + [{"mesh": 0}]
    refused(built.level, "below")


def test_entries_without_data_are_few():
    built = triangle()
    built.document["accessors"][0] = {"componentType": 5126, "count": 10**9, "type": "VEC3"}
    refused(built.level, "no data for so many")


def test_many_primitives_cannot_read_the_same_bytes_for_ever():
    maker = Maker()
    maker.mesh(np.zeros((20_000, 3), "u1"))
    maker.document["meshes"][0]["primitives"] *= 900  # shared as it is: read once
    assert len(maker.level().meshes[0].primitives) == 900
    many = [dict(maker.document["accessors"][0], byteOffset=0) for _ in range(1200)]
    maker.document["accessors"] = many
    maker.document["meshes"][0]["primitives"] = [{"attributes": {"POSITION": n}} for n in range(1200)]
    refused(maker.level, "no data for so many")


def test_a_level_of_more_triangles_than_anyone_can_draw_is_refused():
    maker = Maker()
    maker.mesh(np.zeros((30_000, 3), "f4") + np.arange(30_000)[:, None].astype("f4"))
    maker.document["nodes"] = [{"mesh": 0} for _ in range(2000)]
    maker.document["scenes"] = [{"nodes": list(range(2000))}]
    refused(maker.level, "at most")


@pytest.mark.parametrize("size", [(70_000, 70_000), (2**31 - 1, 2**31 - 1)])
def test_a_picture_that_claims_to_be_huge_has_a_stand_in(size):
    header = b"\x89PNG\r\n\x1a\n" + struct.pack(">I4sIIBBBBB", 13, b"IHDR", *size, 8, 6, 0, 0, 0)
    built = triangle()
    built.document["images"] = [{"bufferView": built.view(header + b"\0" * 40)}]
    (finding,) = [item for item in built.level().findings if item.kind == "picture missing"]
    assert "\n" not in finding.text


def test_a_sky_of_few_bytes_that_claims_a_huge_picture_is_refused(tmp_path):
    path = tmp_path / "sky.exr"
    write_exr(path, np.ones((16, 32, 3), np.float32))
    whole = path.read_bytes()
    at = whole.index(b"dataWindow\0box2i\0") + len(b"dataWindow\0box2i\0") + 4
    for window in (
        (0, 0, 65_535, 32_767),
        (0, 0, 16_383, 8_191),
        (0, 0, -1, -1),
        (-(2**31), 0, 2**31 - 1, 7),
    ):
        path.write_bytes(whole[:at] + struct.pack("<4i", *window) + whole[at + 16 :])
        refused(lambda: read_panorama(path))
    path.write_bytes(whole)
    assert read_panorama(path).shape == (16, 32, 3)


@pytest.mark.parametrize(
    "text", [b"-Y 100000 +X 200000", b"-Y 8192 +X 16384", b"-Y -8 +X 16", b"-Y 8 +X 0", b"-Y 1e3 +X 7"]
)
def test_a_radiance_sky_that_claims_more_than_it_holds_is_refused(tmp_path, text):
    path = tmp_path / "sky.hdr"
    path.write_bytes(b"#?RADIANCE\nFORMAT=32-bit_rle_rgbe\n\n" + text + b"\n" + b"\2\2\0\0" * 20)
    refused(lambda: read_panorama(path))


def test_a_radiance_sky_cut_anywhere_is_refused(tmp_path):
    path = tmp_path / "sky.hdr"
    write_panorama(path, np.random.default_rng(1).uniform(0.1, 9.0, (16, 32, 3)).astype(np.float32))
    whole = path.read_bytes()
    assert read_panorama(path).shape == (16, 32, 3)
    for share in (0.1, 0.5, 0.9, 0.99):
        path.write_bytes(whole[: int(len(whole) * share)])
        refused(lambda: read_panorama(path))


# -- what is not what it should be -----------------------------------------------------


@pytest.mark.parametrize(
    "spoil",
    [
        lambda d: d["nodes"][0].update(matrix=[1, 2, 3]),
        lambda d: d["nodes"][0].update(matrix=["a"] * 16),
        lambda d: d["nodes"][0].update(translation=[1, 2]),
        lambda d: d["nodes"][0].update(translation=[10**400, 0, 0]),
        lambda d: d["nodes"][0].update(scale=[1, [2], 3]),
        lambda d: d["nodes"][0].update(mesh="0"),
        lambda d: d["nodes"][0].update(mesh=1.5),
        lambda d: d["bufferViews"][0].update(byteStride=-12),
        lambda d: d["bufferViews"][0].update(byteStride=4),
        lambda d: d["bufferViews"][0].update(byteOffset=-4),
        lambda d: d["bufferViews"][0].update(byteLength="36"),
        lambda d: d["bufferViews"][0].update(buffer=[0]),
        lambda d: d["accessors"][0].update(count=-1),
        lambda d: d["accessors"][0].update(count=3.0),
        lambda d: d["accessors"][0].update(count=10**30),
        lambda d: d["accessors"][0].update(byteOffset="x"),
        lambda d: d["accessors"][0].update(type=["VEC3"]),
        lambda d: d["accessors"][0].update(componentType={}),
        lambda d: d["accessors"][0].update(sparse={"count": -1, "indices": {}, "values": {}}),
        lambda d: d.update(scene=7),
        lambda d: d.update(scenes=3),
        lambda d: d.update(meshes={"a": 1}),
        lambda d: d.update(cameras=[{"perspective": {"yfov": "wide"}}], nodes=[{"camera": 0}]),
    ],
)
def test_values_of_the_wrong_kind_are_refused(spoil):
    built = triangle()
    spoil(built.document)
    refused(built.level)


def test_numbers_that_json_does_not_know_are_refused(tmp_path):
    for word in ("NaN", "Infinity", "-Infinity"):
        built = triangle()
        built.document["nodes"][0]["translation"] = ["@", 0, 0]
        (tmp_path / "a.gltf").write_bytes(built.embedded().replace(b'"@"', word.encode()))
        refused(lambda: load_gltf(tmp_path / "a.gltf"), word)


def test_json_nested_without_end_is_refused(tmp_path):
    (tmp_path / "a.gltf").write_text('{"asset": {"version": "2.0"}, "extras": ' + "[" * 100_000)
    refused(lambda: load_gltf(tmp_path / "a.gltf"), "nested")


def test_names_that_no_one_can_type_are_shown_otherwise(tmp_path):
    built = triangle()
    built.document["nodes"][0]["name"] = "a\0b\ud800c"
    (tmp_path / "a.gltf").write_bytes(built.embedded())
    assert b"\\ud800" in (tmp_path / "a.gltf").read_bytes()
    (part,) = load_gltf(tmp_path / "a.gltf").parts
    assert part.name == "a\ufffdb\ufffdc"


# -- what is not its own ---------------------------------------------------------------


@pytest.mark.parametrize(
    "uri", ["../secret.png", "%2e%2e/secret.png", "{abs}", "link.png", "sub/../../secret.png"]
)
def test_a_picture_that_lies_elsewhere_is_not_read(tmp_path, uri):
    secret = tmp_path / "secret.png"
    secret.write_bytes(png((1, 2, 3, 255)))
    folder = tmp_path / "level"
    (folder / "sub").mkdir(parents=True)
    (folder / "link.png").symlink_to(secret)
    built = triangle()
    built.document["images"] = [{"uri": uri.format(abs=secret)}]
    built.document["textures"] = [{"source": 0}]
    built.document["materials"] = [{"pbrMetallicRoughness": {"baseColorTexture": {"index": 0}}}]
    built.document["meshes"][0]["primitives"][0]["material"] = 0
    (folder / "a.glb").write_bytes(built.bytes())
    level = load_gltf(folder / "a.glb")
    (finding,) = [item for item in level.findings if item.kind == "picture missing"]
    assert "outside" in finding.text
    assert not any(secret.read_bytes() == picture.data for picture in level.pictures)
    assert level.files == (folder / "a.glb",)


@pytest.mark.parametrize("uri", ["../data.bin", "/dev/zero", "pipe", "."])
def test_geometry_that_lies_elsewhere_or_is_no_file_is_refused(tmp_path, uri):
    import os

    folder = tmp_path / "level"
    folder.mkdir()
    os.mkfifo(folder / "pipe")
    built = triangle()
    (tmp_path / "data.bin").write_bytes(bytes(built.data))
    outside = json.loads(built.embedded())
    outside["buffers"][0]["uri"] = uri
    (folder / "a.gltf").write_text(json.dumps(outside))
    refused(lambda: load_gltf(folder / "a.gltf"))


def test_a_project_does_not_read_a_level_from_afar_unless_it_was_chosen(tmp_path):
    from wallum.level.chosen import note_chosen

    built = triangle()
    (tmp_path / "level.glb").write_bytes(built.bytes())
    (tmp_path / "mine").mkdir()
    project = tmp_path / "mine" / "p.wallum"
    (tmp_path / "mine" / "in.glb").symlink_to(tmp_path / "level.glb")
    for reference in ("../level.glb", str(tmp_path / "level.glb"), "in.glb"):
        refused(lambda reference=reference: open_level(reference, project), "have not chosen it")
    note_chosen(tmp_path / "level.glb")
    for reference in ("../level.glb", str(tmp_path / "level.glb"), "in.glb"):
        assert open_level(reference, project).triangle_count == 1
    (tmp_path / "mine" / "own.glb").write_bytes(built.bytes())
    assert open_level("own.glb", project).bounds[1] == pytest.approx(TRIANGLE.max(axis=0))
