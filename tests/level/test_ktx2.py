"""Pictures packed by Basis Universal, as the format's own encoder packed them (basis_universal 2.5)."""

import contextlib
import struct
from pathlib import Path

import numpy as np
import pytest
from gltf_maker import Maker, no_files, png
from packed_picture import packed_picture

from wallum.errors import LevelProblem
from wallum.faults import reading
from wallum.level.importers.gltf.reader import parse_gltf
from wallum.level.importers.images.ktx2 import decode_ktx2, ktx2_size

PACKED = Path(__file__).parent / "packed"
FILES = {name: (PACKED / f"{name}.ktx2").read_bytes() for name in ("etc1s", "uastc", "uastc_zstd")}


def near(a, b):
    """Signal to noise of each channel [dB]."""
    off = np.square(a.astype(float) - b).mean(axis=(0, 1))
    return 10.0 * np.log10(255.0**2 / np.maximum(off, 1e-9))


# ETC1S has one colour a block and steps of grey about it: blue, which counts least, suffers.
@pytest.mark.parametrize(("name", "least"), [("etc1s", 18.0), ("uastc", 36.0), ("uastc_zstd", 36.0)])
def test_a_packed_picture_is_the_one_that_was_packed(name, least):
    inputs = packed_picture()
    assert ktx2_size(FILES[name]) == inputs.shape[1::-1]
    out = decode_ktx2(FILES[name])
    assert out.shape == inputs.shape
    assert (near(out, inputs) > least).all()
    assert near(out, inputs)[1] > 36.0  # green, which counts most


def level_with(data, beside=None, required=True):
    maker = Maker()
    maker.document["images"] = [{"bufferView": maker.view(data), "mimeType": "image/ktx2", "name": "bricks"}]
    texture = {"extensions": {"KHR_texture_basisu": {"source": 0}}}
    if beside is not None:
        maker.document["images"].append({"bufferView": maker.view(beside), "mimeType": "image/png"})
        texture["source"] = 1
    maker.document["textures"] = [texture]
    maker.document["materials"] = [
        {"name": "wall", "pbrMetallicRoughness": {"baseColorTexture": {"index": 0}}}
    ]
    maker.document["extensionsUsed"] = ["KHR_texture_basisu"]
    if required:
        maker.document["extensionsRequired"] = ["KHR_texture_basisu"]
    maker.mesh(material=0)
    return parse_gltf(maker.bytes(), "made.glb", no_files)


def test_a_level_shows_them_and_keeps_them_as_png():
    level = level_with(FILES["uastc_zstd"])
    assert level.findings == ()
    picture = level.pictures[level.materials[0].textures["base"].picture]
    assert picture.mime == "image/png"
    assert (near(picture.pixels, packed_picture()) > 36.0).all()


def test_a_picture_that_stands_beside_one_is_read():
    level = level_with(FILES["uastc"], png((10, 200, 30, 255)), required=False)
    picture = level.pictures[level.materials[0].textures["base"].picture]
    assert picture.pixels[0, 0].tolist() == [10, 200, 30, 255]


@pytest.mark.parametrize("name", list(FILES))
def test_a_broken_one_stands_in_and_refuses_no_level(name):
    level = level_with(FILES[name][: len(FILES[name]) // 2])
    assert level.triangle_count == 1
    (messages,) = [finding.text for finding in level.findings if finding.kind == "picture missing"]
    assert "bricks" in messages


@pytest.mark.parametrize("name", list(FILES))
def test_what_is_spoilt_is_a_picture_or_a_sentence(name, rng):
    whole = FILES[name]
    for _ in range(120):
        data = bytearray(whole)
        for _ in range(rng.integers(1, 6)):
            data[rng.integers(12, len(data))] = rng.integers(256)
        with contextlib.suppress(LevelProblem), reading(LevelProblem, "it cannot be read", name):
            width, height = ktx2_size(bytes(data))
            if width * height < 100_000:
                assert decode_ktx2(bytes(data)).shape == (height, width, 4)


def test_a_small_file_cannot_ask_for_much():
    data = bytearray(FILES["etc1s"])
    struct.pack_into("<2I", data, 20, 1 << 20, 1 << 20)
    with pytest.raises(LevelProblem):
        decode_ktx2(bytes(data))
