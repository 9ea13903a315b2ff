"""Packed buffer views, as another writer packed them (the codec's own encoder, version 1.2)."""

import base64
import contextlib

import numpy as np
import pytest
from gltf_maker import Maker

from wallum.errors import LevelProblem
from wallum.faults import reading
from wallum.level.importers.gltf.document import parse_document
from wallum.level.importers.gltf.meshopt_views import unpack_meshopt
from wallum.level.importers.gltf.reader import parse_gltf

TRIANGLES = "4fAQABD/kmf//v8SAQH/ugE7c0+4DwB2h1ZneKmGZYlomAFpAAA="
NET = (
    "4f4eEA4QDhAOEA4QDhAOEA4QDhAOEA4QDv4eEA4QDhAOEA4QDhAOEA4QDhAOEA4QDv4eEA4QDhAOEA4QDhAOEA4QDh"
    "AOEA4QDv4eEA4QDhAOEA4QDhAOEA4QDhAOEA4QDv4eEA4QDhAOEA4QDhAOEA4QDhAOEA4QDv4eEA4QDhAOEA4QDhAO"
    "EA4QDhAOEA4QDv4eEA4QDhAOEA4QDhAOEA4QDhAOEA4QDv4eEA4QDhAOEA4QDhAOEA4QDhAOEA4QDv4eEA4QDhAOEA"
    "4QDhAOEA4QDhAOEA4QDv4eEA4QDhAOEA4QDhAOEA4QDhAOEA4QDv4eEA4QDhAOEA4QDhAOEA4QDhAOEA4QDv4eEA4Q"
    "DhAOEA4QDhAOEA4QDhAOEA4QDg8aDwIPAg8CDwIPAg8CDwIPAg8CDwIPAgB2h1ZneKmGZYlomAFpAAA="
)
SEQUENCE = "0RQSBAAEkRwFBASt7xAFDgAAAAA="
OCT8 = "oAE/AAAAa87KAT8AAAD+RfQAAT8AAAD9/QMAAAAAAAAAAAAAAAAAAAAAAAAAAAAAAAAAAAAAfwB/fw=="
OCT16 = (
    "oAE/AAAASvqXAT8AAABrzMwBHwAAAJAeAT8AAAD+RfIAAAErAAAAAwE9AAAA/f8AAAAAAAAAAAAAAAAAAAAAAAAAAA"
    "AAAAD/fwAA/3//fw=="
)
QUAT = (
    "oAE/AAAA/OMXAT8AAAC1+EEBPwAAAPvRLwE/AAAAtC98AT8AAAD7uUkBPwAAALQSxQE/AAAABQYFAAAAAAAAAAAAAA"
    "AAAAAAAAAAAAAAAAAAAAAAAAAAAP9/"
)
EXP = (
    "oAEMAAAA/gE8AAAAX/ABNAAAAAgBPAAAABAPAQwAAAB7ATwAAADtzAE8AAAAGAMBPAAAABAPATwAAAB6pgEcAAAAVQ"
    "E8AAAADQ4BPAAAABAPAAAAAAAAAAAAAAAAAAAAAAAAAAAAAAPvAID774MAAu8="
)


def packed(text):
    return base64.b64decode(text)


def unpacked(data, count, stride, mode):
    """Bytes of one packed buffer view, by the reader of the extension."""
    maker = Maker()
    maker.mesh()
    number = maker.view(data)
    view = maker.document["bufferViews"][number]
    view["extensions"] = {
        "EXT_meshopt_compression": {
            "buffer": 0, "byteOffset": view.get("byteOffset", 0), "byteLength": len(data), "byteStride": stride,
            "count": count, "mode": mode,
        }
    }  # fmt: skip
    gltf = parse_document(maker.bytes())
    buffers = [gltf.binary]
    unpack_meshopt(gltf, buffers, "made")
    return buffers[-1]


def triangle_indices(data, count):
    return np.frombuffer(unpacked(data, count, 4, "TRIANGLES"), np.uint32)


def sequence_indices(data, count):
    return np.frombuffer(unpacked(data, count, 4, "INDICES"), np.uint32)


def turned(triangles):
    """Triangles with their smallest corner first: the codec may turn each round."""
    return [tuple(np.roll(item, -int(np.argmin(item)))) for item in np.asarray(triangles).reshape(-1, 3)]


def test_triangles_are_those_that_were_packed():
    """Edges that were used, new ones, free ones, jumps back and far ahead."""
    inputs = [0, 1, 2, 2, 1, 3, 2, 3, 4, 4, 3, 5, 9, 8, 7, 0, 2, 9, 5, 3, 1, 100, 70, 12, 6, 7, 1000]
    assert turned(triangle_indices(packed(TRIANGLES), len(inputs))) == turned(inputs)


def test_a_net_of_triangles_is_whole():
    side = 12
    inputs = []
    for y in range(side):
        for x in range(side):
            a = y * (side + 1) + x
            inputs += [a, a + 1, a + side + 1, a + 1, a + side + 2, a + side + 1]
    assert turned(triangle_indices(packed(NET), len(inputs))) == turned(inputs)


def test_a_sequence_is_that_which_was_packed():
    inputs = [5, 0, 1, 1, 2, 900, 901, 3, 4, 70000, 70001, 0]
    assert sequence_indices(packed(SEQUENCE), len(inputs)).tolist() == inputs


def view_of(text, count, stride, used):
    """A view's rows as they are read from a file."""
    maker = Maker()
    maker.mesh()
    data = packed(text)
    number = maker.view(data)
    view = maker.document["bufferViews"][number]
    at = view.get("byteOffset", 0)
    view["extensions"] = {
        "EXT_meshopt_compression": {
            "buffer": 0, "byteOffset": at, "byteLength": len(data), "byteStride": stride, "count": count,
            "mode": "ATTRIBUTES", "filter": used,
        }
    }  # fmt: skip
    view["byteLength"] = count * stride
    kind = {4: 5120, 8: 5122, 12: 5126}[stride]
    width = "VEC3" if stride == 12 else "VEC4"
    maker.document["accessors"].append(
        {"bufferView": number, "componentType": kind, "count": count, "type": width}
    )
    maker.document["extensionsUsed"] = ["EXT_meshopt_compression"]
    return maker


def read_rows(made):
    """What the last accessor reads."""
    from wallum.level.importers.gltf.accessors import Accessors

    gltf = parse_document(made.bytes())
    buffers = [
        b"" if buffer.uri is None and number else gltf.binary for number, buffer in enumerate(gltf.buffers)
    ]
    unpack_meshopt(gltf, buffers, "made")
    return Accessors(gltf, buffers, "made").raw(len(gltf.accessors) - 1)


DIRECTIONS = np.array([[1, 0, 0], [0, 0.6, -0.8], [-0.48, 0.64, -0.6], [0.267261, -0.534522, 0.801784]])


@pytest.mark.parametrize(("text", "stride", "full", "off"), [(OCT8, 4, 127, 0.012), (OCT16, 8, 32767, 6e-5)])
def test_directions_come_back_from_their_octahedron(text, stride, full, off):
    rows = read_rows(view_of(text, 4, stride, "OCTAHEDRAL")) / full
    assert np.abs(rows[:, :3] - DIRECTIONS).max() < off
    assert rows[:, 3].tolist() == [1.0, 0.0, -1.0, 1.0]


def test_quaternions_come_back_from_three_of_their_parts():
    inputs = np.array([[0, 0, 0, 1], [0.5, -0.5, 0.5, 0.5], [0.1825742, 0.3651484, 0.5477226, 0.7302967],
                      [0.7071068, 0, -0.7071068, 0]])  # fmt: skip
    rows = read_rows(view_of(QUAT, 4, 8, "QUATERNION")) / 32767
    # A turn and its negative are one.
    assert np.abs(np.abs((rows * inputs).sum(axis=1)) - 1.0).max() < 1e-4


def test_numbers_come_back_from_their_exponents():
    inputs = np.array([[1.5, -2.25, 1.001], [1000, 900.5, -512.125], [3.14159, 2.71828, 1.41421]])
    assert read_rows(view_of(EXP, 3, 12, "EXPONENTIAL")) == pytest.approx(inputs, rel=1e-3)


def test_a_buffer_that_only_stands_for_what_is_packed_needs_no_data():
    built = view_of(OCT8, 4, 4, "OCTAHEDRAL")
    view = built.document["bufferViews"][-1]
    built.document.setdefault("buffers", []).append(
        {"byteLength": 16, "extensions": {"EXT_meshopt_compression": {"fallback": True}}}
    )
    view["buffer"], view["byteOffset"] = 1, 0
    assert read_rows(built).shape == (4, 4)
    assert parse_gltf(built.bytes(), "made.glb", lambda _: b"").triangle_count > 0


@pytest.mark.parametrize(
    ("name", "value"),
    [
        ("buffer", 9), ("byteOffset", -1), ("byteLength", 1 << 40), ("byteLength", 3), ("count", 1 << 31),
        ("count", "many"), ("byteStride", 0), ("byteStride", 5), ("mode", "POINTS"), ("mode", "TRIANGLES"),
        ("mode", "INDICES"), ("filter", "MAGIC"), ("filter", "QUATERNION"),
    ],
)  # fmt: skip
def test_what_is_packed_wrongly_is_refused_in_a_sentence(name, value):
    view = view_of(OCT8, 4, 4, "OCTAHEDRAL")
    view.document["bufferViews"][-1]["extensions"]["EXT_meshopt_compression"][name] = value
    with pytest.raises(LevelProblem, match="buffer view"):
        parse_gltf(view.bytes(), "made.glb", lambda _: b"")


def test_cut_indices_are_refused(rng):
    for text, unpack, count in ((TRIANGLES, triangle_indices, 27), (SEQUENCE, sequence_indices, 12)):
        whole = packed(text)
        for _ in range(200):
            data = bytearray(whole)
            data[rng.integers(len(data))] = rng.integers(256)
            data = bytes(data[: rng.integers(len(data)) + 1])
            with contextlib.suppress(LevelProblem), reading(LevelProblem, "it is broken", "made"):
                assert len(unpack(data, count)) == count
