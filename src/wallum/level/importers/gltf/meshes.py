"""Meshes of a glTF file: strips and fans as triangles, missing normals and tangents made."""

from dataclasses import replace
from typing import Any, Final

import numpy as np
from numpy.typing import NDArray

from wallum.errors import LevelProblem
from wallum.level.importers.gltf.accessors import Accessors
from wallum.level.importers.gltf.document import Gltf
from wallum.level.importers.gltf.material_sets import set_names, sets_of
from wallum.level.importers.gltf.pose import Pose, posed
from wallum.level.model.model import Finding, Material, Mesh, Primitive
from wallum.level.model.shading_basis import flat_normals, with_tangents
from wallum.physics.arrays import normalised

__all__ = ["read_mesh", "read_meshes", "triangles_of", "weights_of"]

TRIANGLES, STRIP = 4, 5  # 6 is a fan
MODE_NAMES: Final = {0: "points", 1: "lines", 2: "a line loop", 3: "a line strip"}


def triangles_of(mode: int, order: NDArray[np.uint32]) -> NDArray[np.uint32]:
    """(T, 3) triangles from an order of vertices; every second of a strip is turned round.

    Source: glTF 2.0, section 3.7.2.1. Triangles that use a vertex twice are left out.
    """
    if mode == TRIANGLES:
        out = order[: len(order) // 3 * 3].reshape(-1, 3)
    elif len(order) < 3:
        out = np.zeros((0, 3), np.uint32)
    elif mode == STRIP:
        out = np.stack([order[:-2], order[1:-1], order[2:]], axis=1)
        out[1::2] = out[1::2][:, [0, 2, 1]]
    else:
        first = np.broadcast_to(order[0], len(order) - 2)
        out = np.stack([order[1:-1], order[2:], first], axis=1)
    whole = (out[:, 0] != out[:, 1]) & (out[:, 1] != out[:, 2]) & (out[:, 0] != out[:, 2])
    return np.ascontiguousarray(out[whole])


def _colours(accessors: Accessors, index: int | None) -> NDArray[np.float32] | None:
    if index is None:
        return None
    width = accessors.width(index)
    if width not in (3, 4):
        raise LevelProblem(f"colours of {width} components", "a primitive", "3 or 4")
    values = accessors.floats(index, width)
    if width == 3:
        values = np.concatenate([values, np.ones((len(values), 1), np.float32)], axis=1)
    return values


def _optional(accessors: Accessors, index: int | None, width: int) -> NDArray[np.float32] | None:
    return None if index is None else accessors.floats(index, width)


def _read(accessors: Accessors, given: Any, material: int, needs_tangents: bool, pose: Pose) -> Primitive:
    attributes = given.attributes
    positions = accessors.floats(attributes["POSITION"], 3)
    order = (
        np.arange(len(positions), dtype=np.uint32)
        if given.indices is None
        else accessors.indices(given.indices, len(positions))
    )
    faces = triangles_of(TRIANGLES if given.mode is None else given.mode, order)
    normals = _optional(accessors, attributes.get("NORMAL"), 3)
    others: dict[str, Any] = {
        "tangents": _optional(accessors, attributes.get("TANGENT"), 4),
        "uv0": _optional(accessors, attributes.get("TEXCOORD_0"), 2),
        "uv1": _optional(accessors, attributes.get("TEXCOORD_1"), 2),
        "colours": _colours(accessors, attributes.get("COLOR_0")),
    }
    for name, values in {"normals": normals, **others}.items():
        if values is not None and len(values) != len(positions):
            raise LevelProblem(f"{name} and positions differ in number", "a primitive")
    shape = posed(accessors, given, pose, positions, normals, others["tangents"])
    positions, normals, others["tangents"] = shape
    if normals is None:
        corners = faces.ravel()
        positions = positions[corners]
        others = {k: (None if v is None else v[corners]) for k, v in others.items()}
        normals, others["tangents"] = flat_normals(positions), None
        faces = np.arange(len(corners), dtype=np.uint32).reshape(-1, 3)
    else:
        normals = _whole_normals(normalised(normals).astype(np.float32), positions, faces)
    uv = others["uv0"]
    primitive = Primitive(positions, normals, faces, material, **others)
    return (
        with_tangents(primitive)
        if needs_tangents and primitive.tangents is None and uv is not None
        else primitive
    )


def _whole_normals(
    normals: NDArray[np.float32], positions: NDArray[np.float32], faces: NDArray[np.uint32]
) -> NDArray[np.float32]:
    """Normals without those of no length: there the mean of the faces about the vertex, or up."""
    lost = np.linalg.norm(normals, axis=1) < 0.5
    if not lost.any():
        return normals
    a, b, c = (positions[faces[:, k]].astype(np.float64) for k in range(3))
    summed = np.zeros((len(normals), 3))
    np.add.at(summed, faces.ravel(), np.repeat(np.cross(b - a, c - a), 3, axis=0))
    mended = normalised(summed)
    mended[np.linalg.norm(mended, axis=1) < 0.5] = (0.0, 1.0, 0.0)
    return np.where(lost[:, None], mended, normals).astype(np.float32)


def _skip_reason(given: Any) -> str:
    if given.mode in MODE_NAMES:
        return f"is made of {MODE_NAMES[given.mode]}, which are not drawn"
    if given.attributes.get("POSITION") is None:
        return "has no positions"
    return ""


def read_mesh(
    gltf: Gltf, accessors: Accessors, number: int, materials: tuple[Material, ...], pose: Pose
) -> tuple[Mesh, list[Finding]]:
    """One mesh as it is posed. What is left out is named in a finding."""
    inputs, findings = gltf.meshes[number], []
    name = inputs.name or f"mesh {number}"
    offered, primitives = set_names(gltf, name), []
    for part in inputs.primitives:
        reason = _skip_reason(part)
        if reason:
            text = f"A piece of {name} {reason}."
            findings.append(Finding("primitive not drawn", name, "warning", text))
            continue
        index = len(materials) - 1 if part.material is None else part.material
        if not 0 <= index < len(materials):
            raise LevelProblem(f"there is no material {index}", f"mesh {name}")
        sets = sets_of(part, offered, len(materials) - 1, f"mesh {name}")
        used = (index, *(number for _, number in sets))
        needs = any("normal" in materials[item].textures for item in used)
        primitives.append(replace(_read(accessors, part, index, needs, pose), sets=sets))
    return Mesh(name, tuple(primitives)), findings


def weights_of(values: Any) -> tuple[float, ...]:
    """Weights of morph targets, as a mesh or a node gives them."""
    return tuple(float(value) for value in values or ())


def read_meshes(
    gltf: Gltf, accessors: Accessors, materials: tuple[Material, ...]
) -> tuple[tuple[Mesh, ...], list[Finding]]:
    """Every mesh in the pose that it has of itself."""
    meshes, findings = [], []
    for number, mesh in enumerate(gltf.meshes):
        built, more = read_mesh(gltf, accessors, number, materials, Pose(weights_of(mesh.weights)))
        meshes.append(built)
        findings += more
    return tuple(meshes), findings
