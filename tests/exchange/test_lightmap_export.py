"""Baked light for others: what a stranger reads at the coordinates of the file is what was baked there."""

import json
from dataclasses import replace

import numpy as np
import pytest
from gltf_rules import broken_rules, read_glb
from PIL import Image

from wallum.document.project import Project
from wallum.exchange.gltf_export import export_gltf
from wallum.exchange.lightmap_export import level_with_texels, page_files, write_lightmaps
from wallum.exchange.pictures import read_exr
from wallum.level.demos.cistern import cistern
from wallum.level.model.flatten import flatten
from wallum.level.model.unwrapping import unwrap_apart
from wallum.physics.tone import srgb_decode
from wallum.transport.field.baked_light import BakedLight


@pytest.fixture(scope="module")
def yard():
    """A level of several parts, two of them mirrored, one in part baked, one not at all."""
    level = cistern()
    turned = np.diag([-1.0, 1.0, 1.0, 1.0])
    parts = [
        replace(part, matrix=turned @ part.matrix) if n % 3 == 1 else part
        for n, part in enumerate(level.parts)
    ]
    return replace(level, parts=tuple(parts))


@pytest.fixture(scope="module")
def baked(yard):
    flat = flatten(yard)
    chosen = np.flatnonzero((flat.areas > 0.0) & (flat.part != 0))
    largest = flat.part == int(np.bincount(flat.part[chosen]).argmax())
    chosen = chosen[~largest[chosen] | (np.arange(len(chosen)) % 2 == 0)]
    laid = unwrap_apart(flat, chosen, np.zeros(len(yard.parts), bool), 3.0)
    # Each texel says where it is: what is read tells whether it was read at the right place.
    columns, rows = laid.size
    line, column = np.meshgrid(np.arange(rows), np.arange(columns), indexing="ij")
    pages = np.stack([np.stack([column + 0.5, line + 0.5, 0.0 * line + n], -1) for n in range(laid.pages)])
    return BakedLight(
        laid, pages.astype(np.float32), False, {"sun": "x"}, "12:00", (3.0, 0.0, 4), 0.0, "key"
    )  # fmt: skip


@pytest.mark.parametrize("kind", ["exr", "png"])
def test_a_stranger_finds_the_light_of_each_triangle(yard, baked, kind, tmp_path):
    path = tmp_path / "yard.glb"
    written, messages = level_with_texels(yard, baked)
    export_gltf(Project(level="yard"), written, path)
    warnings = write_lightmaps(path, baked, messages, kind)
    assert bool(warnings) == (kind == "png"), "eight bits clip the brightest"
    *files, table = page_files(path, baked, kind)
    about = json.loads(table.read_text())
    assert about["pages"] == [file.name for file in files]
    if kind == "exr":
        pages = [read_exr(file) for file in files]
    else:
        pages = [
            srgb_decode(np.asarray(Image.open(file), float) / 255.0) * about["white_lx"] for file in files
        ]
    document, data = read_glb(path.read_bytes())
    assert broken_rules(path.read_bytes()) == []
    nodes = {node["name"]: node for node in document["nodes"]}
    flat, seen = flatten(yard), 0
    middles = flat.positions[flat.faces[baked.laid.triangles]].mean(axis=1)
    for row in about["primitives"]:
        node = nodes[row["node"]]
        primitive = document["meshes"][node["mesh"]]["primitives"][row["primitive"]]
        uv = values_of(document, data, primitive["attributes"][f"TEXCOORD_{row['texcoord']}"])
        corners = values_of(document, data, primitive["indices"]).reshape(-1, 3)
        places = values_of(document, data, primitive["attributes"]["POSITION"])[corners].mean(axis=1)
        places = places @ matrix_of(node)[:3, :3].T + matrix_of(node)[:3, 3]
        middle = uv[corners].mean(axis=1) * np.array(baked.laid.size)
        at = np.floor(middle).astype(int)
        light = pages[row["page"]][at[:, 1], at[:, 0]]
        # The page says which texel was read; the level says whose it is.
        near = np.abs(light[:, :2] - middle) < 1.0 if kind == "exr" else np.ones((len(light), 2), bool)
        assert near.all()
        for place, where in list(zip(places, middle, strict=True))[::7]:
            rows = np.flatnonzero(np.linalg.norm(middles - place, axis=1) < 1e-3)
            own = baked.laid.uv[baked.laid.faces[rows]].mean(axis=1)
            assert np.abs(own - where).max(axis=1).min() < 1e-2
        seen += len(places)
    assert seen == len(baked.laid.triangles)


def values_of(document, data, number):
    accessor = document["accessors"][number]
    view = document["bufferViews"][accessor["bufferView"]]
    kind = {5125: np.uint32, 5126: np.float32}[accessor["componentType"]]
    wide = {"SCALAR": 1, "VEC2": 2, "VEC3": 3, "VEC4": 4}[accessor["type"]]
    result = np.frombuffer(data, kind, accessor["count"] * wide, view.get("byteOffset", 0))
    return result.reshape(-1, wide) if wide > 1 else result


def matrix_of(node):
    """(4, 4) of a node, by the standard's order of translation, rotation and scale."""
    x, y, z, w = node.get("rotation", [0.0, 0.0, 0.0, 1.0])
    turn = np.array([
        [1 - 2 * (y * y + z * z), 2 * (x * y - z * w), 2 * (x * z + y * w)],
        [2 * (x * y + z * w), 1 - 2 * (x * x + z * z), 2 * (y * z - x * w)],
        [2 * (x * z - y * w), 2 * (y * z + x * w), 1 - 2 * (x * x + y * y)],
    ])  # fmt: skip
    out = np.eye(4)
    out[:3, :3] = turn * np.array(node.get("scale", [1.0, 1.0, 1.0]))
    out[:3, 3] = node.get("translation", [0.0, 0.0, 0.0])
    return out


def test_all_triangles_are_there_with_the_materials_that_they_had(yard, baked):
    written, _ = level_with_texels(yard, baked)
    before, after = flatten(yard), flatten(written)
    assert len(after.faces) == len(before.faces)
    for flat in (before, after):
        assert flat.areas.sum() == pytest.approx(before.areas.sum(), rel=1e-5)
    count = len(yard.materials)
    assert np.bincount(after.material, after.areas, count) == pytest.approx(
        np.bincount(before.material, before.areas, count), rel=1e-4, abs=1e-4
    )
    facing = [np.bincount(f.part, f.areas * f.face_normals[:, 1], len(yard.parts)) for f in (before, after)]
    assert facing[0] == pytest.approx(facing[1], abs=1e-3), "no triangle is turned over"
