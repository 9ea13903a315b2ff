"""Small glTF files made by hand, for tests of the reader's corners."""

import base64
import io
import json

import numpy as np
from PIL import Image

from wallum.level.gltf_writer import to_glb
from wallum.level.importers.gltf.reader import parse_gltf

TYPES = {1: "SCALAR", 2: "VEC2", 3: "VEC3", 4: "VEC4"}
KINDS = {"i1": 5120, "u1": 5121, "i2": 5122, "u2": 5123, "u4": 5125, "f4": 5126}
TRIANGLE = np.array([[0, 0, 0], [1, 0, 0], [0, 1, 0]], "f4")
SQUARE = np.array([[0, 0, 0], [1, 0, 0], [0, 1, 0], [1, 1, 0]], "f4")


class Maker:
    """Collects accessors; `document` is the JSON, free to be spoiled by a test."""

    def __init__(self):
        self.data = bytearray()
        self.document = {
            "asset": {"version": "2.0"},
            "scene": 0,
            "scenes": [{"nodes": [0]}],
            "nodes": [{"mesh": 0, "name": "thing"}],
            "meshes": [],
            "accessors": [],
            "bufferViews": [],
        }

    def view(self, data, stride=None):
        self.data += b"\0" * (-len(self.data) % 4)
        entry = {"buffer": 0, "byteOffset": len(self.data), "byteLength": len(data)}
        if stride:
            entry["byteStride"] = stride
        self.data += data
        self.document["bufferViews"].append(entry)
        return len(self.document["bufferViews"]) - 1

    def accessor(self, values, normalized=False, **more):
        values = np.asarray(values)
        rows = values.reshape(len(values), -1)
        entry = {
            "bufferView": self.view(np.ascontiguousarray(rows).tobytes()),
            "componentType": KINDS[values.dtype.str[1:]],
            "count": len(rows),
            "type": TYPES[rows.shape[1]],
            **more,
        }
        if normalized:
            entry["normalized"] = True
        self.document["accessors"].append(entry)
        return len(self.document["accessors"]) - 1

    def mesh(self, positions=TRIANGLE, indices=None, mode=None, material=None, **attributes):
        primitive = {"attributes": {"POSITION": self.accessor(positions)}}
        for name, values in attributes.items():
            primitive["attributes"][name] = values if isinstance(values, int) else self.accessor(values)
        if indices is not None:
            primitive["indices"] = indices if isinstance(indices, int) else self.accessor(indices)
        if mode is not None:
            primitive["mode"] = mode
        if material is not None:
            primitive["material"] = material
        self.document["meshes"].append({"name": "mesh", "primitives": [primitive]})
        return primitive

    def bytes(self):
        document = dict(self.document)
        if self.data:
            document["buffers"] = [{"byteLength": len(self.data)}, *document.get("buffers", [])]
        return to_glb(document, bytes(self.data) + b"\0" * (-len(self.data) % 4))

    def embedded(self):
        """The same as .gltf text with the data inside."""
        document = dict(self.document)
        uri = "data:application/octet-stream;base64," + base64.b64encode(bytes(self.data)).decode()
        document["buffers"] = [{"byteLength": len(self.data), "uri": uri}]
        return json.dumps(document).encode()

    def level(self):
        return parse_gltf(self.bytes(), "made.glb", no_files)


def png(colour=(200, 100, 50, 255), size=(4, 4)):
    """A plain picture, encoded."""
    stream = io.BytesIO()
    Image.new("RGBA", size, colour).save(stream, "PNG")
    return stream.getvalue()


def no_files(uri):
    raise AssertionError(f"no file was to be read, {uri} was asked for")


def only_primitive(level):
    return level.meshes[0].primitives[0]
