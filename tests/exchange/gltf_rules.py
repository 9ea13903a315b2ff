"""A strict check of the standard's rules, written from its text and from nothing of ours.

Sources: glTF 2.0 specification, sections 3.4 to 3.11, 4 and 5; KHR_lights_punctual,
KHR_materials_emissive_strength, KHR_texture_transform.
"""

import json
import math
import struct

import numpy as np

SIZES = {5120: 1, 5121: 1, 5122: 2, 5123: 2, 5125: 4, 5126: 4}
WIDTHS = {"SCALAR": 1, "VEC2": 2, "VEC3": 3, "VEC4": 4}
ATTRIBUTES = {
    "POSITION": "VEC3",
    "NORMAL": "VEC3",
    "TANGENT": "VEC4",
    "TEXCOORD_0": "VEC2",
    "TEXCOORD_1": "VEC2",
    "TEXCOORD_2": "VEC2",
}
LISTS = (
    "accessors",
    "bufferViews",
    "buffers",
    "cameras",
    "images",
    "materials",
    "meshes",
    "nodes",
    "samplers",
    "scenes",
    "textures",
)


def read_glb(data):
    magic, version, length = struct.unpack_from("<4sII", data)
    assert (magic, version, length) == (b"glTF", 2, len(data))
    size, kind = struct.unpack_from("<II", data, 12)
    assert kind == 0x4E4F534A
    assert size % 4 == 0
    document = json.loads(data[20 : 20 + size])
    binary = b""
    if 20 + size < len(data):
        amount, kind = struct.unpack_from("<II", data, 20 + size)
        assert kind == 0x004E4942
        assert amount % 4 == 0
        binary = data[28 + size : 28 + size + amount]
    return document, binary


class Rules:
    def __init__(self, document, binary):
        self.document, self.binary, self.broken = document, binary, []

    def hold(self, condition, text):
        if not condition:
            self.broken.append(text)

    def items(self, name):
        return self.document.get(name, [])

    def refers(self, index, name, where):
        self.hold(
            isinstance(index, int) and 0 <= index < len(self.items(name)), f"{where} names no {name} {index}"
        )

    def check(self):
        self.hold(self.document.get("asset", {}).get("version") == "2.0", "asset.version")
        for name in LISTS:
            self.hold(name not in self.document or self.document[name], f"{name} is empty")
        for part in (
            self._buffers,
            self._accessors,
            self._meshes,
            self._materials,
            self._nodes,
            self._cameras,
            self._lights,
            self._extensions,
        ):
            part()
        return self.broken

    def _buffers(self):
        for i, view in enumerate(self.items("bufferViews")):
            self.refers(view["buffer"], "buffers", f"view {i}")
            end = view.get("byteOffset", 0) + view["byteLength"]
            self.hold(view["byteLength"] >= 1, f"view {i} is empty")
            self.hold(
                end <= self.items("buffers")[view["buffer"]]["byteLength"], f"view {i} leaves its buffer"
            )
            if view.get("target") == 34962 and "byteStride" in view:
                self.hold(view["byteStride"] % 4 == 0 and 4 <= view["byteStride"] <= 252, f"view {i} stride")
        if self.items("buffers"):
            spare = len(self.binary) - self.items("buffers")[0]["byteLength"]
            self.hold(0 <= spare <= 3, "the buffer's length is not the chunk's")

    def values(self, index):
        accessor = self.items("accessors")[index]
        view = self.items("bufferViews")[accessor["bufferView"]]
        start = view.get("byteOffset", 0) + accessor.get("byteOffset", 0)
        width = WIDTHS[accessor["type"]]
        kind = {5121: "u1", 5123: "<u2", 5125: "<u4", 5126: "<f4"}[accessor["componentType"]]
        count = accessor["count"] * width
        return np.frombuffer(self.binary, kind, count, start).reshape(-1, width)

    def _accessors(self):
        for i, accessor in enumerate(self.items("accessors")):
            view = self.items("bufferViews")[accessor["bufferView"]]
            size = SIZES[accessor["componentType"]]
            offset = accessor.get("byteOffset", 0)
            self.hold((offset + view.get("byteOffset", 0)) % size == 0, f"accessor {i} is not aligned")
            self.hold(accessor["count"] >= 1, f"accessor {i} is empty")
            need = offset + accessor["count"] * size * WIDTHS[accessor["type"]]
            self.hold(need <= view["byteLength"], f"accessor {i} leaves its view")
            values = self.values(i)
            self.hold(np.isfinite(values.astype(float)).all(), f"accessor {i} has what is no number")
            for key, exact in (("min", values.min(axis=0)), ("max", values.max(axis=0))):
                if key in accessor:
                    self.hold(
                        np.array_equal(np.array(accessor[key], values.dtype), exact), f"accessor {i} {key}"
                    )

    def _meshes(self):
        for i, mesh in enumerate(self.items("meshes")):
            self.hold(bool(mesh["primitives"]), f"mesh {i} is empty")
            for primitive in mesh["primitives"]:
                self._primitive(primitive, f"mesh {i}")

    def _primitive(self, primitive, where):
        attributes = primitive["attributes"]
        position = self.items("accessors")[attributes["POSITION"]]
        self.hold("min" in position and "max" in position, f"{where}: POSITION without bounds")
        for name, index in attributes.items():
            self.refers(index, "accessors", where)
            accessor = self.items("accessors")[index]
            self.hold(accessor["count"] == position["count"], f"{where}: {name} of another length")
            self.hold(accessor["type"] == ATTRIBUTES.get(name, accessor["type"]), f"{where}: {name} type")
            self.hold(
                self.items("bufferViews")[accessor["bufferView"]].get("target") == 34962,
                f"{where}: {name} target",
            )
        if "NORMAL" in attributes:
            length = np.linalg.norm(self.values(attributes["NORMAL"]), axis=1)
            self.hold(np.abs(length - 1).max() < 5e-4, f"{where}: normals are not of length 1")
        if "TANGENT" in attributes:
            tangent = self.values(attributes["TANGENT"])
            self.hold(np.abs(np.linalg.norm(tangent[:, :3], axis=1) - 1).max() < 5e-4, f"{where}: tangents")
            self.hold(set(np.unique(tangent[:, 3])) <= {-1.0, 1.0}, f"{where}: a tangent's w")
        if "indices" in primitive:
            accessor = self.items("accessors")[primitive["indices"]]
            self.hold(accessor["componentType"] in (5121, 5123, 5125), f"{where}: indices type")
            self.hold(
                self.values(primitive["indices"]).max() < position["count"], f"{where}: an index too far"
            )
            target = self.items("bufferViews")[accessor["bufferView"]].get("target")
            self.hold(target == 34963 and accessor["count"] % 3 == 0, f"{where}: indices")
        if "material" in primitive:
            self.refers(primitive["material"], "materials", where)

    def _materials(self):
        for i, material in enumerate(self.items("materials")):
            pbr = material.get("pbrMetallicRoughness", {})
            numbers = [
                *pbr.get("baseColorFactor", []),
                pbr.get("metallicFactor", 1),
                pbr.get("roughnessFactor", 1),
                *material.get("emissiveFactor", []),
                material.get("occlusionTexture", {}).get("strength", 1),
            ]
            self.hold(all(0 <= number <= 1 for number in numbers), f"material {i}: a factor outside 0 to 1")
            self.hold(
                "alphaCutoff" not in material or material.get("alphaMode") == "MASK", f"material {i}: cutoff"
            )
            for info in [*pbr.values(), *material.values()]:
                if isinstance(info, dict) and "index" in info:
                    self.refers(info["index"], "textures", f"material {i}")
        for i, texture in enumerate(self.items("textures")):
            self.refers(texture["source"], "images", f"texture {i}")
            self.refers(texture["sampler"], "samplers", f"texture {i}")
        for sampler in self.items("samplers"):
            self.hold(sampler["magFilter"] in (9728, 9729), "magFilter")
            self.hold(sampler["minFilter"] in (9728, 9729, 9984, 9985, 9986, 9987), "minFilter")
            self.hold({sampler["wrapS"], sampler["wrapT"]} <= {33071, 33648, 10497}, "wrap")

    def _nodes(self):
        for i, node in enumerate(self.items("nodes")):
            self.hold(
                not ({"matrix"} & set(node) and {"translation", "rotation", "scale"} & set(node)), f"node {i}"
            )
            if "rotation" in node:
                self.hold(abs(np.linalg.norm(node["rotation"]) - 1) < 1e-6, f"node {i}: rotation is no unit")
            if "mesh" in node:
                self.refers(node["mesh"], "meshes", f"node {i}")
            if "camera" in node:
                self.refers(node["camera"], "cameras", f"node {i}")

    def _cameras(self):
        for camera in self.items("cameras"):
            perspective = camera["perspective"]
            self.hold(0 < perspective["yfov"] < math.pi, "yfov")
            self.hold(perspective["znear"] > 0, "znear")

    def _lights(self):
        lights = self.document.get("extensions", {}).get("KHR_lights_punctual", {}).get("lights", [])
        for light in lights:
            self.hold(light["type"] in ("directional", "point", "spot"), "light type")
            self.hold(all(0 <= part <= 1 for part in light.get("color", [])), f"{light['name']}: colour")
            self.hold(light.get("intensity", 1) >= 0, f"{light['name']}: intensity")
            self.hold("range" not in light or light["range"] > 0, f"{light['name']}: range")
            self.hold(("spot" in light) == (light["type"] == "spot"), f"{light['name']}: spot")
            if light["type"] == "spot":
                cone = light["spot"]
                inner, outer = cone["innerConeAngle"], cone["outerConeAngle"]
                self.hold(0 <= inner < outer <= math.pi / 2, f"{light['name']}: cones")
            if light["type"] == "directional":
                self.hold("range" not in light, f"{light['name']}: range of a directional light")
        for node in self.items("nodes"):
            if "KHR_lights_punctual" in node.get("extensions", {}):
                self.hold(
                    0 <= node["extensions"]["KHR_lights_punctual"]["light"] < len(lights), "a node's light"
                )

    def _extensions(self):
        used, stack = set(), [self.document]
        while stack:
            item = stack.pop()
            if isinstance(item, dict):
                used |= set(item.get("extensions", {}))
                stack.extend(item.values())
            elif isinstance(item, list):
                stack.extend(item)
        self.hold(used == set(self.document.get("extensionsUsed", [])), "extensionsUsed")


def broken_rules(data):
    return Rules(*read_glb(data)).check()
