"""Shapes as a file poses them: morph targets by their weights, skins by their joints.

Source: glTF 2.0, sections 3.7.2.2 (morph targets), 3.7.3 (skins).
"""

from dataclasses import dataclass
from typing import Any

import numpy as np
from numpy.typing import NDArray

from wallum.errors import LevelProblem
from wallum.level.importers.gltf.accessors import Accessors
from wallum.level.importers.gltf.document import Gltf
from wallum.physics.arrays import cofactors, normalised

__all__ = ["Pose", "joint_matrices", "posed"]

Float32 = NDArray[np.float32]
MAX_JOINT_SETS = 4


@dataclass(frozen=True)
class Pose:
    """How one placing of a mesh is posed.

    weights : of its morph targets; joints : (J, 4, 4) from the mesh's space to the level's, None
    where it has no skin
    """

    weights: tuple[float, ...] = ()
    joints: NDArray[np.float64] | None = None

    @property
    def key(self) -> tuple[Any, ...]:
        """The same for poses that make the same shape."""
        return self.weights, None if self.joints is None else self.joints.tobytes()


def joint_matrices(
    gltf: Gltf, accessors: Accessors, skin: int, places: dict[int, NDArray[np.float64]]
) -> NDArray[np.float64]:
    """(J, 4, 4) what a skin's joints do to vertices, by the places of nodes in the level."""
    if not isinstance(skin, int) or not 0 <= skin < len(gltf.skins or []):
        raise LevelProblem(f"there is no skin {skin!r}")
    inputs = gltf.skins[skin]
    joints = list(inputs.joints or [])
    if any(joint not in places for joint in joints):
        raise LevelProblem(f"skin {skin} has joints that stand in no scene")
    out = np.array([places[joint] for joint in joints]).reshape(-1, 4, 4)
    if inputs.inverseBindMatrices is None:
        return out
    bound = accessors.floats(inputs.inverseBindMatrices, 16)
    if len(bound) < len(joints):
        raise LevelProblem(f"skin {skin} has {len(bound)} bind matrices for {len(joints)} joints")
    # Columns come first in the file.
    return np.asarray(out @ bound[: len(joints)].reshape(-1, 4, 4).transpose(0, 2, 1).astype(np.float64))


def _morphed(
    accessors: Accessors, targets: list[Any], weights: tuple[float, ...], name: str, values: Float32
) -> Float32:
    """Values of an attribute with the targets' differences added."""
    out = values.copy()
    for target, weight in zip(targets, weights, strict=False):
        index = target.get(name)
        if index is not None and weight != 0.0:
            moved = accessors.floats(index, 3)
            if len(moved) != len(values):
                raise LevelProblem("a morph target and its shape differ in number", "a primitive")
            out[:, :3] += np.float32(weight) * moved
    return out


def _skinning(accessors: Accessors, attributes: Any, joints: NDArray[np.float64], count: int) -> Any:
    """(V, 4, 4) by vertex."""
    total, sum_of = np.zeros((count, 4, 4)), np.zeros(count)
    for number in range(MAX_JOINT_SETS):
        at, by = (attributes.get(f"{word}_{number}") for word in ("JOINTS", "WEIGHTS"))
        if at is None or by is None:
            break
        index, share = accessors.raw(at).astype(np.int64), accessors.floats(by, 4).astype(np.float64)
        if index.shape != (count, 4) or share.shape != (count, 4):
            raise LevelProblem("joints and positions differ in number", "a primitive")
        if index.size and (index.min() < 0 or index.max() >= len(joints)):
            raise LevelProblem("a vertex hangs on a joint that its skin has not", "a primitive")
        for k in range(4):
            total += share[:, k, None, None] * joints[index[:, k]]
        sum_of += share.sum(axis=1)
    # Quantised weights need not sum to one exactly; those of nothing hang on the first joint.
    bare = sum_of <= 1e-9
    total[bare] = joints[0] if len(joints) else np.eye(4)
    return total / np.where(bare, 1.0, sum_of)[:, None, None]


def posed(
    accessors: Accessors,
    given: Any,
    pose: Pose,
    positions: Float32,
    normals: Float32 | None,
    tangents: Float32 | None,
) -> tuple[Float32, Float32 | None, Float32 | None]:
    """Positions, normals and tangents of a primitive as it is posed."""
    targets = list(given.targets or [])
    if targets and any(pose.weights):
        positions = _morphed(accessors, targets, pose.weights, "POSITION", positions)
        if normals is not None:
            normals = _morphed(accessors, targets, pose.weights, "NORMAL", normals)
        if tangents is not None:
            tangents = _morphed(accessors, targets, pose.weights, "TANGENT", tangents)
    if pose.joints is None:
        return positions, normals, tangents
    each = _skinning(accessors, given.attributes, pose.joints, len(positions))
    linear = each[:, :3, :3]
    positions = (np.einsum("nij,nj->ni", linear, positions) + each[:, :3, 3]).astype(np.float32)
    if normals is not None:
        turning = np.array([cofactors(item) for item in linear]).reshape(-1, 3, 3)
        normals = normalised(np.einsum("nij,nj->ni", turning, normals)).astype(np.float32)
    if tangents is not None:
        along = normalised(np.einsum("nij,nj->ni", linear, tangents[:, :3]))
        tangents = np.concatenate([along, tangents[:, 3:]], axis=1).astype(np.float32)
    return positions, normals, tangents
