import io
import json

import numpy as np
import pytest
from gltf_maker import SQUARE, TRIANGLE, Maker, no_files, only_primitive, png
from PIL import Image

from wallum.document.sources import PointSource, SpotSource, SunSource
from wallum.errors import LevelProblem
from wallum.level.importers.gltf.meshes import triangles_of
from wallum.level.importers.gltf.reader import load_gltf, parse_gltf
from wallum.level.model.flatten import flatten


def area(primitive):
    p = primitive.positions[primitive.triangles].astype(float)
    return 0.5 * np.linalg.norm(np.cross(p[:, 1] - p[:, 0], p[:, 2] - p[:, 0]), axis=1).sum()


# -- containers ------------------------------------------------------------------------


def test_binary_embedded_and_external_files_read_the_same(tmp_path):
    maker = Maker()
    maker.mesh(indices=np.array([0, 1, 2], "u2"))
    outside = json.loads(maker.embedded())
    outside["buffers"][0]["uri"] = "some%20data.bin"
    (tmp_path / "some data.bin").write_bytes(bytes(maker.data))
    for name, content in (
        ("a.glb", maker.bytes()),
        ("b.gltf", maker.embedded()),
        ("c.gltf", json.dumps(outside).encode()),
    ):
        (tmp_path / name).write_bytes(content)
        primitive = only_primitive(load_gltf(tmp_path / name))
        assert primitive.positions == pytest.approx(TRIANGLE)


@pytest.mark.parametrize(
    "content",
    [
        b"",
        b"hello",
        b"{}",
        b"glTF\x02\0\0\0",
        b'{"asset": {"version": "1.0"}}',
        b"\xff\xd8\xff",
        b"[]",
        b"glTF" + b"\0" * 40,
    ],
)
def test_what_is_no_gltf_is_refused_in_one_sentence(content):
    with pytest.raises(LevelProblem) as caught:
        parse_gltf(content, "odd.glb", no_files)
    assert "odd.glb" in str(caught.value)


def test_a_file_cut_short_is_refused():
    maker = Maker()
    maker.mesh()
    with pytest.raises(LevelProblem):
        parse_gltf(maker.bytes()[:-40], "short.glb", no_files)


def test_a_missing_neighbour_is_named(tmp_path):
    maker = Maker()
    maker.mesh()
    document = json.loads(maker.embedded())
    document["buffers"][0]["uri"] = "gone.bin"
    (tmp_path / "x.gltf").write_text(json.dumps(document))
    with pytest.raises(LevelProblem, match=r"gone\.bin"):
        load_gltf(tmp_path / "x.gltf")


def test_addresses_on_a_network_are_refused(tmp_path):
    maker = Maker()
    maker.mesh()
    document = json.loads(maker.embedded())
    document["buffers"][0]["uri"] = "http://example.invalid/a.bin"
    (tmp_path / "x.gltf").write_text(json.dumps(document))
    with pytest.raises(LevelProblem, match="network"):
        load_gltf(tmp_path / "x.gltf")


def spoil_index(made):
    made.document["meshes"][0]["primitives"][0]["indices"] = made.accessor(np.array([0, 1, 9], "u2"))


def spoil_view(made):
    made.document["bufferViews"][0]["byteLength"] = 10**6


def spoil_count(made):
    made.document["accessors"][0]["count"] = 1000


def spoil_type(made):
    made.document["accessors"][0]["componentType"] = 9999


def spoil_nan(made):
    made.document["meshes"][0]["primitives"][0]["attributes"]["POSITION"] = made.accessor(TRIANGLE * np.nan)


def spoil_material(made):
    made.document["meshes"][0]["primitives"][0]["material"] = 7


def spoil_mesh(made):
    made.document["nodes"][0]["mesh"] = 4


def spoil_loop(made):
    made.document["nodes"][0]["children"] = [0]


def spoil_words(made):
    made.document["accessors"][0]["count"] = "three"


def spoil_negative_view(made):
    made.document["accessors"][0]["bufferView"] = -1


@pytest.mark.parametrize(
    "spoil",
    [
        spoil_index,
        spoil_view,
        spoil_count,
        spoil_type,
        spoil_nan,
        spoil_material,
        spoil_mesh,
        spoil_loop,
        spoil_words,
        spoil_negative_view,
    ],
)
def test_broken_references_are_refused_not_followed(spoil):
    maker = Maker()
    maker.mesh()
    spoil(maker)
    with pytest.raises(LevelProblem) as caught:
        maker.level()
    assert "made.glb" in str(caught.value) or "mesh" in str(caught.value)


# -- accessors -------------------------------------------------------------------------


@pytest.mark.parametrize("kind", ["u1", "u2", "u4"])
def test_indices_of_every_width(kind):
    maker = Maker()
    maker.mesh(SQUARE, np.array([0, 1, 2, 2, 1, 3], kind))
    assert area(only_primitive(maker.level())) == pytest.approx(1.0)


def test_triangles_without_indices():
    maker = Maker()
    maker.mesh()
    assert only_primitive(maker.level()).triangles.tolist() == [[0, 1, 2]]


@pytest.mark.parametrize(("mode", "order"), [(5, [0, 1, 2, 3]), (6, [0, 1, 3, 2])])
def test_strips_and_fans_cover_the_square_and_face_one_way(mode, order):
    maker = Maker()
    maker.mesh(SQUARE, np.array(order, "u2"), mode=mode)
    primitive = only_primitive(maker.level())
    assert area(primitive) == pytest.approx(1.0)
    assert primitive.normals == pytest.approx(np.tile([0, 0, 1], (len(primitive.normals), 1)))


def test_a_strip_of_two_has_no_triangle_and_folded_ones_are_left_out():
    assert triangles_of(5, np.array([0, 1], np.uint32)).shape == (0, 3)
    assert triangles_of(5, np.array([0, 1, 1, 2], np.uint32)).shape == (0, 3)


@pytest.mark.parametrize(("kind", "full"), [("i1", 127), ("u1", 255), ("i2", 32767), ("u2", 65535)])
def test_normalised_integers_become_fractions(kind, full):
    maker = Maker()
    uv = maker.accessor(np.array([[0, 0], [full, 0], [0, full]], kind), normalized=True)
    maker.mesh(TEXCOORD_0=uv)
    assert only_primitive(maker.level()).uv0 == pytest.approx(np.array([[0, 0], [1, 0], [0, 1]]))


def test_plain_integers_stay_as_they_are():
    maker = Maker()
    maker.document["meshes"].append(
        {"primitives": [{"attributes": {"POSITION": maker.accessor((TRIANGLE * 4).astype("i2"))}}]}
    )
    assert only_primitive(maker.level()).positions.max() == 4.0


def test_interleaved_attributes():
    maker = Maker()
    rows = np.zeros(3, [("p", "<f4", 3), ("n", "<f4", 3)])
    rows["p"], rows["n"] = TRIANGLE, [0, 0, 1]
    view = maker.view(rows.tobytes(), stride=24)
    for offset in (0, 12):
        maker.document["accessors"].append(
            {"bufferView": view, "byteOffset": offset, "componentType": 5126, "count": 3, "type": "VEC3"}
        )
    maker.document["meshes"].append({"primitives": [{"attributes": {"POSITION": 0, "NORMAL": 1}}]})
    primitive = only_primitive(maker.level())
    assert primitive.positions == pytest.approx(TRIANGLE)
    assert primitive.normals == pytest.approx(np.tile([0, 0, 1], (3, 1)))


@pytest.mark.parametrize("based", [True, False])
def test_sparse_values_replace_those_of_the_base(based):
    maker = Maker()
    sparse = {
        "count": 1,
        "indices": {"bufferView": maker.view(np.array([2], "u2").tobytes()), "componentType": 5123},
        "values": {"bufferView": maker.view(np.array([[5, 6, 7]], "f4").tobytes())},
    }
    position = maker.accessor(TRIANGLE, sparse=sparse)
    if not based:
        del maker.document["accessors"][position]["bufferView"]
    maker.document["meshes"].append({"primitives": [{"attributes": {"POSITION": position}}]})
    points = sorted(only_primitive(maker.level()).positions.tolist())
    rest = TRIANGLE[:2].tolist() if based else [[0, 0, 0], [0, 0, 0]]
    assert points == sorted([*rest, [5, 6, 7]])


def test_a_sparse_index_beyond_the_end_is_refused():
    maker = Maker()
    sparse = {
        "count": 1,
        "indices": {"bufferView": maker.view(np.array([3], "u2").tobytes()), "componentType": 5123},
        "values": {"bufferView": maker.view(np.array([[5, 6, 7]], "f4").tobytes())},
    }
    maker.document["meshes"].append(
        {"primitives": [{"attributes": {"POSITION": maker.accessor(TRIANGLE, sparse=sparse)}}]}
    )
    with pytest.raises(LevelProblem, match="beyond"):
        maker.level()


def test_vertex_colours_of_three_bytes_get_an_alpha():
    maker = Maker()
    maker.mesh(COLOR_0=maker.accessor(np.array([[255, 0, 0]] * 3, "u1"), normalized=True))
    assert only_primitive(maker.level()).colours == pytest.approx(np.tile([1, 0, 0, 1], (3, 1)))


def test_missing_normals_are_flat_and_missing_tangents_are_made():
    maker = Maker()
    maker.document["images"] = [{"bufferView": maker.view(png()), "mimeType": "image/png"}]
    maker.document["textures"] = [{"source": 0}]
    maker.document["materials"] = [{"normalTexture": {"index": 0}}]
    maker.mesh(material=0, TEXCOORD_0=np.array([[0, 0], [1, 0], [0, 1]], "f4"))
    primitive = only_primitive(maker.level())
    assert primitive.normals == pytest.approx(np.tile([0, 0, 1], (3, 1)))
    # u runs along +x, v along +y; the bitangent goes against v: minus normal x tangent.
    assert primitive.tangents == pytest.approx(np.tile([1, 0, 0, -1], (3, 1)))


# -- nodes -----------------------------------------------------------------------------


def test_transforms_multiply_down_and_meshes_are_placed_twice():
    maker = Maker()
    maker.mesh()
    half = 0.5**0.5
    maker.document["nodes"] = [
        {"name": "top", "translation": [10, 0, 0], "children": [1, 2]},
        {"name": "a", "mesh": 0, "rotation": [0, 0, half, half], "scale": [2, 2, 2]},
        {"name": "a", "mesh": 0, "matrix": [1, 0, 0, 0, 0, 1, 0, 0, 0, 0, 1, 0, 0, 5, 0, 1]},
    ]
    level = maker.level()
    assert [part.id for part in level.parts] == ["top/a", "top/a #2"]
    assert level.triangle_count == 2
    flat = flatten(level)
    assert flat.positions[:3] == pytest.approx(np.array([[10, 0, 0], [10, 2, 0], [8, 0, 0]]), abs=1e-6)
    assert flat.positions[3:] == pytest.approx(np.array([[10, 5, 0], [11, 5, 0], [10, 6, 0]]), abs=1e-6)
    assert level.bounds == pytest.approx(np.array([[8, 0, 0], [11, 6, 0]]), abs=1e-6)


def test_a_mirrored_part_is_turned_right_side_out():
    maker = Maker()
    maker.mesh(NORMAL=np.tile(np.array([0, 0, 1], "f4"), (3, 1)))
    maker.document["nodes"] = [{"mesh": 0, "scale": [-1, 1, 1]}]
    flat = flatten(maker.level())
    p = flat.positions[flat.faces[0]]
    assert np.cross(p[1] - p[0], p[2] - p[0])[2] > 0
    assert flat.normals[0] == pytest.approx([0, 0, 1])


def test_normals_of_a_stretched_part_stay_square_to_it():
    maker = Maker()
    slope = np.array([[0, 0, 0], [1, 1, 0], [0, 0, 1]], "f4")
    maker.mesh(slope)
    maker.document["nodes"] = [{"mesh": 0, "scale": [1, 3, 1]}]
    flat = flatten(maker.level())
    edges = flat.positions[1:] - flat.positions[0]
    assert edges @ flat.normals[0] == pytest.approx([0, 0], abs=1e-6)


def test_a_part_pressed_flat_still_has_the_normal_of_its_plane():
    maker = Maker()
    maker.mesh(NORMAL=np.tile(np.array([0, 0, 1], "f4"), (3, 1)))
    maker.document["nodes"] = [{"mesh": 0, "scale": [2, 3, 0]}]
    assert flatten(maker.level()).normals == pytest.approx(np.tile([0.0, 0.0, 1.0], (3, 1)))


def test_cameras_become_shots():
    maker = Maker()
    maker.mesh()
    maker.document["cameras"] = [
        {"type": "perspective", "perspective": {"yfov": 0.8, "znear": 0.1}},
        {"type": "orthographic", "orthographic": {"xmag": 1, "ymag": 1, "zfar": 9, "znear": 0}},
    ]
    maker.document["nodes"] += [
        {"camera": 0, "name": "Lane", "translation": [1, 2, 3]},
        {"camera": 1, "name": "Plan"},
    ]
    maker.document["scenes"][0]["nodes"] = [0, 1, 2]
    level = maker.level()
    assert [shot.name for shot in level.shots] == ["Lane"]
    assert level.shots[0].eye == (1.0, 2.0, 3.0)
    assert level.shots[0].direction == pytest.approx((0, 0, -1))
    assert level.shots[0].fov == pytest.approx(np.degrees(0.8))
    assert any("Plan" in finding.text for finding in level.findings)


def lit(*lights):
    maker = Maker()
    maker.mesh()
    maker.document["extensionsUsed"] = ["KHR_lights_punctual"]
    maker.document["extensions"] = {"KHR_lights_punctual": {"lights": list(lights)}}
    for number, light in enumerate(lights):
        node = {
            "name": light["type"],
            "translation": [0, number, 0],
            "extensions": {"KHR_lights_punctual": {"light": number}},
        }
        maker.document["nodes"].append(node)
    maker.document["scenes"][0]["nodes"] = list(range(len(maker.document["nodes"])))
    return maker


def test_lights_become_sources_with_the_standards_defaults():
    built = lit(
        {"type": "point"},
        {"type": "spot", "spot": {}, "range": 7.0, "intensity": 50},
        {"type": "directional", "intensity": 50_000, "color": [1, 0.5, 0.25]},
    )
    point, spot, sun = built.level().sources
    assert isinstance(point, PointSource)
    assert point.intensity == pytest.approx(1.0)
    assert point.range == 0.0
    assert isinstance(spot, SpotSource)
    assert spot.outer == pytest.approx(45.0)
    assert spot.inner == 0.0
    assert spot.direction == pytest.approx((0, 0, -1))
    assert isinstance(sun, SunSource)
    # What arrives is colour times intensity: its luminance is the illuminance.
    weight = 0.2126 + 0.7152 * 0.5 + 0.0722 * 0.25
    assert sun.illuminance == pytest.approx(50_000 * weight)
    assert sun.luminous_rgb() == pytest.approx(np.array([1, 0.5, 0.25]) / weight)


def test_only_the_strongest_far_light_is_the_sun_and_the_other_is_named():
    level = lit({"type": "directional", "intensity": 5}, {"type": "directional", "intensity": 9e4}).level()
    assert [source.illuminance for source in level.sources] == [pytest.approx(9e4)]
    assert any(finding.kind == "second sun left out" for finding in level.findings)


# -- surfaces --------------------------------------------------------------------------


def test_materials_are_read_in_full():
    maker = Maker()
    maker.document["images"] = [{"bufferView": maker.view(png()), "mimeType": "image/png"}]
    maker.document["samplers"] = [{"wrapS": 33071, "minFilter": 9728}]
    maker.document["textures"] = [{"source": 0, "sampler": 0}]
    moved = {"KHR_texture_transform": {"offset": [0.5, 0], "rotation": 1.0, "scale": [2, 3], "texCoord": 1}}
    maker.document["materials"] = [
        {
            "name": "all",
            "alphaMode": "MASK",
            "alphaCutoff": 0.3,
            "doubleSided": True,
            "pbrMetallicRoughness": {
                "baseColorFactor": [0.1, 0.2, 0.3, 0.4],
                "metallicFactor": 0.5,
                "roughnessFactor": 0.6,
                "baseColorTexture": {"index": 0, "extensions": moved},
                "metallicRoughnessTexture": {"index": 0},
            },
            "normalTexture": {"index": 0, "scale": 0.7},
            "occlusionTexture": {"index": 0, "strength": 0.8, "texCoord": 1},
            "emissiveFactor": [1, 0.5, 0],
            "emissiveTexture": {"index": 0},
            "extensions": {
                "KHR_materials_emissive_strength": {"emissiveStrength": 300},
                "KHR_materials_unlit": {},
            },
        },
        {},
    ]
    maker.mesh(material=0)
    level = maker.level()
    full, plain = level.materials[0], level.materials[1]
    assert full.base == (0.1, 0.2, 0.3, 0.4)
    assert (full.metallic, full.roughness, full.normal_scale, full.occlusion_strength) == (0.5, 0.6, 0.7, 0.8)
    assert full.glow == (300.0, 150.0, 0.0)
    assert (full.alpha, full.cutoff, full.double_sided, full.unlit) == ("mask", 0.3, True, True)
    assert full.textures["base"].sampler.wrap_s == 33071
    assert full.textures["base"].uv_set == 1
    assert not full.textures["base"].plain
    assert full.textures["metal_rough"].plain
    # Factors that are not given are 1: glTF 2.0, section 5.22.
    assert (plain.metallic, plain.roughness, plain.base) == (1.0, 1.0, (1.0, 1.0, 1.0, 1.0))


def test_a_texture_transform_moves_scales_and_turns_as_the_standard_says():
    maker = Maker()
    maker.document["images"] = [{"bufferView": maker.view(png()), "mimeType": "image/png"}]
    maker.document["textures"] = [{"source": 0}]
    moved = {"KHR_texture_transform": {"offset": [0.5, 0.25], "rotation": np.pi / 2, "scale": [2, 3]}}
    maker.document["materials"] = [
        {"pbrMetallicRoughness": {"baseColorTexture": {"index": 0, "extensions": moved}}}
    ]
    maker.mesh(material=0)
    rows = np.array(maker.level().materials[0].textures["base"].matrix())
    # translation x rotation x scale, with the rotation of the extension's example shader.
    assert rows @ [1, 0, 1] == pytest.approx([0.5, 0.25 - 2.0])
    assert rows @ [0, 1, 1] == pytest.approx([0.5 + 3.0, 0.25])


def test_blend_is_read_and_needs_no_word():
    maker = Maker()
    maker.document["materials"] = [{"name": "glass", "alphaMode": "BLEND"}]
    maker.mesh(material=0)
    level = maker.level()
    assert level.materials[0].alpha == "blend"
    assert level.materials[0].see_through
    assert not any("glass" in finding.text for finding in level.findings)


def test_a_mirrored_texture_is_read():
    maker = Maker()
    maker.document["images"] = [{"bufferView": maker.view(png()), "mimeType": "image/png"}]
    maker.document["samplers"] = [{"wrapS": 33648}]
    maker.document["textures"] = [{"source": 0, "sampler": 0}]
    maker.document["materials"] = [{"name": "fresco", "emissiveTexture": {"index": 0}}]
    maker.mesh(material=0)
    level = maker.level()
    assert level.materials[0].textures["emissive"].sampler.wrap_s == 33648
    assert level.findings == ()


@pytest.mark.parametrize(
    ("change", "word"),
    [
        ({"extensionsUsed": ["EXT_something_new"]}, "EXT_something_new"),
        ({"animations": [{"channels": [], "samplers": []}]}, "animations"),
        ({"scenes": [{"nodes": [0], "name": "hall"}, {"nodes": []}]}, "hall"),
    ],
)
def test_what_is_not_supported_is_named(change, word):
    maker = Maker()
    maker.mesh()
    maker.document.update(change)
    assert any(word in finding.text for finding in maker.level().findings)


def test_lines_are_named_and_the_rest_is_shown():
    maker = Maker()
    maker.mesh()
    maker.document["meshes"][0]["primitives"].append({"attributes": {"POSITION": 0}, "mode": 1})
    level = maker.level()
    assert level.triangle_count == 1
    assert any("lines" in finding.text for finding in level.findings)


def test_a_required_extension_that_is_unknown_is_refused():
    maker = Maker()
    maker.mesh()
    maker.document["extensionsUsed"] = maker.document["extensionsRequired"] = ["KHR_of_tomorrow"]
    with pytest.raises(LevelProblem, match="KHR_of_tomorrow"):
        maker.level()


def cut(data):
    return data[: len(data) * 2 // 3]


@pytest.mark.parametrize(
    ("slot", "stands_in"), [("base", True), ("emissive", True), ("normal", False), ("metal_rough", False)]
)
@pytest.mark.parametrize(
    "data", [b"not a picture", b"", cut(png(size=(64, 64)))], ids=["none", "empty", "cut"]
)
def test_a_broken_picture_has_a_stand_in_and_one_finding(slot, stands_in, data):
    maker = Maker()
    maker.document["images"] = [{"name": "bark", "bufferView": maker.view(data), "mimeType": "image/png"}]
    maker.document["textures"] = [{"source": 0}]
    places = {
        "base": {"pbrMetallicRoughness": {"baseColorTexture": {"index": 0}}},
        "metal_rough": {"pbrMetallicRoughness": {"metallicRoughnessTexture": {"index": 0}}},
        "emissive": {"emissiveTexture": {"index": 0}, "emissiveFactor": [1, 1, 1]},
        "normal": {"normalTexture": {"index": 0}},
    }
    maker.document["materials"] = [places[slot], {}]
    maker.mesh(material=0)
    level = maker.level()
    (finding,) = [item for item in level.findings if item.kind == "picture missing"]
    assert "bark" in finding.text
    assert "1 surface" in finding.text
    assert "0x" not in finding.text
    use = level.materials[0].textures.get(slot)
    assert (use is not None) == stands_in
    if use is not None:
        shown = level.pictures[use.picture].pixels[0, 0, 0]
        assert shown == {"base": 118, "emissive": 0}[slot]


def test_a_missing_file_is_named_and_one_with_wrong_slashes_is_found(tmp_path):
    maker = Maker()
    maker.document["images"] = [{"uri": "gone.png"}, {"uri": "wood\\oak.png"}]
    maker.document["textures"] = [{"source": 0}, {"source": 1}]
    maker.document["materials"] = [
        {"pbrMetallicRoughness": {"baseColorTexture": {"index": n}}} for n in (0, 1)
    ]
    maker.mesh(material=0)
    (tmp_path / "wood").mkdir()
    (tmp_path / "wood" / "oak.png").write_bytes(png())
    (tmp_path / "a.glb").write_bytes(maker.bytes())
    level = load_gltf(tmp_path / "a.glb")
    assert [finding.where for finding in level.findings if finding.kind == "picture missing"] == ["gone.png"]
    assert level.pictures[1].pixels.shape == (4, 4, 4)
    assert level.files == (tmp_path / "a.glb", tmp_path / "wood" / "oak.png")


def test_sixteen_bit_grey_pictures_keep_their_range():
    maker = Maker()
    stream = io.BytesIO()
    Image.fromarray(np.array([[0, 65535]], np.uint16)).save(stream, "PNG")
    maker.document["images"] = [{"bufferView": maker.view(stream.getvalue()), "mimeType": "image/png"}]
    maker.mesh()
    assert maker.level().pictures[0].pixels[0, :, 0].tolist() == [0, 255]


def test_an_empty_scene_is_an_empty_level():
    level = parse_gltf(b'{"asset": {"version": "2.0"}}', "empty.gltf", no_files)
    assert level.triangle_count == 0
    assert flatten(level).faces.shape == (0, 3)


def test_what_an_unread_extension_belongs_to_is_named_and_counted():
    maker = Maker()
    maker.document["materials"] = [
        {"name": name, "extensions": {"KHR_materials_sheen": {"sheenRoughnessFactor": 1.0}}}
        for name in ("car", "door", "jug", "tile", "vase")
    ]
    maker.mesh(material=0)
    maker.document["nodes"][0]["extensions"] = {"EXT_of_tomorrow": {}}
    maker.document["extensionsUsed"] = ["KHR_materials_sheen", "EXT_of_tomorrow", "KHR_xmp_json_ld"]
    messages = {finding.where: finding.text for finding in maker.level().findings}
    assert "5 materials (car, door, jug, tile and others), shown without their sheen" in messages["car"]
    assert "1 node (thing)" in messages["thing"]
    assert "whole file" in messages["KHR_xmp_json_ld"]


@pytest.mark.parametrize("mesh", [True, False, 1.0, "0", 7, -1])
def test_a_node_names_its_mesh_by_a_number_or_is_refused(mesh):
    """True would count as 1 in one place and as a mask in another."""
    maker = Maker()
    maker.mesh()
    maker.mesh()
    maker.document["nodes"][0]["mesh"] = mesh
    with pytest.raises(LevelProblem):
        maker.level()
