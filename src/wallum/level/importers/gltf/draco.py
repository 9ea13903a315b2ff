"""KHR_draco_mesh_compression: meshes packed as Draco packs them, unpacked into their accessors."""

from typing import Any, Final

import DracoPy
import numpy as np

from wallum.errors import LevelProblem
from wallum.faults import reading
from wallum.level.importers.gltf.accessors import Accessors
from wallum.level.importers.gltf.document import Gltf

__all__ = ["DRACO", "unpack_draco"]

DRACO: Final = "KHR_draco_mesh_compression"


def _decoded(accessors: Accessors, said: Any, where: str) -> Any:
    if not isinstance(said, dict) or not isinstance(said.get("attributes"), dict):
        raise LevelProblem(f"{DRACO} does not say what it holds", where)
    data = bytes(accessors.view_bytes(said.get("bufferView", -1)))
    with reading(LevelProblem, "its Draco data cannot be unpacked", where):
        mesh = DracoPy.decode(data)
    if getattr(mesh, "faces", None) is None:
        raise LevelProblem("its Draco data holds points, and no triangles", where)
    return mesh


def _unpack(accessors: Accessors, primitive: Any, where: str) -> None:
    text = primitive.extensions[DRACO]
    mesh = _decoded(accessors, text, where)
    packed = {attribute["unique_id"]: attribute["data"] for attribute in mesh.attributes}
    for name, number in text["attributes"].items():
        index = primitive.attributes.get(name)
        if index is None:
            continue
        if number not in packed:
            raise LevelProblem(f"its Draco data has no attribute {number!r} for {name}", where)
        accessors.give(index, np.asarray(packed[number]))
    if primitive.indices is not None:
        accessors.give(primitive.indices, np.asarray(mesh.faces).reshape(-1, 1))


def unpack_draco(gltf: Gltf, accessors: Accessors) -> None:
    """Unpack what primitives have packed. Raises LevelProblem where it is broken."""
    for number, mesh in enumerate(gltf.meshes):
        for primitive in mesh.primitives:
            if isinstance(primitive.extensions, dict) and DRACO in primitive.extensions:
                _unpack(accessors, primitive, f"mesh {mesh.name or number}")
