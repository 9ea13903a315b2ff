"""A level received again: which part of the one before is which of the new one.

Parts are matched by their name path, and those that are left by their shape.
"""

from collections import defaultdict
from dataclasses import dataclass

import numpy as np
from numpy.typing import NDArray

from wallum.level.model.model import Level, Mesh, Part

__all__ = ["Matching", "match_parts"]

# A part whose middle is farther than this from where it was has moved [m].
MOVED_M = 1e-3


@dataclass(frozen=True)
class Matching:
    """same : old ids to new ids; added, removed, moved : names, in the order of the level."""

    same: dict[str, str]
    added: tuple[str, ...]
    removed: tuple[str, ...]
    moved: tuple[str, ...]
    renamed: tuple[tuple[str, str], ...]


def _shape(mesh: Mesh) -> tuple[object, ...]:
    """What makes a mesh that mesh: its triangles, and its vertices to a tenth of a millimetre."""
    if not mesh.primitives:
        return ()
    points = np.concatenate([primitive.positions for primitive in mesh.primitives])
    triangles = sum(len(primitive.triangles) for primitive in mesh.primitives)
    return (triangles, len(points), np.round(points, 4).tobytes())


def _middle(level: Level, part: Part) -> NDArray[np.float64]:
    primitives = level.meshes[part.mesh].primitives
    points = [primitive.positions for primitive in primitives if len(primitive.positions)]
    if not points:
        return part.matrix[:3, 3]
    every = np.concatenate(points).astype(np.float64)
    middle = 0.5 * (every.min(axis=0) + every.max(axis=0))
    return np.asarray(part.matrix[:3, :3] @ middle + part.matrix[:3, 3])


def match_parts(before: Level, after: Level) -> Matching:
    """Match the parts of two states of a level."""
    new = {part.id: part for part in after.parts}
    same = {part.id: part.id for part in before.parts if part.id in new}
    left_old = [part for part in before.parts if part.id not in same]
    taken = set(same.values())
    by_shape: dict[tuple[object, ...], list[Part]] = defaultdict(list)
    for part in after.parts:
        if part.id not in taken:
            by_shape[_shape(after.meshes[part.mesh])].append(part)
    renamed = []
    for part in left_old:
        alike = by_shape.get(_shape(before.meshes[part.mesh]), [])
        if alike:  # of several, the one that stands nearest
            here = _middle(before, part)
            nearest = min(alike, key=lambda item: float(np.linalg.norm(_middle(after, item) - here)))
            alike.remove(nearest)
            same[part.id] = nearest.id
            renamed.append((part.name, nearest.name))
    taken = set(same.values())
    moved = []
    for part in before.parts:
        if part.id in same:
            there = new[same[part.id]]
            if np.linalg.norm(_middle(before, part) - _middle(after, there)) > MOVED_M:
                moved.append(there.name)
    return Matching(
        same,
        tuple(part.name for part in after.parts if part.id not in taken),
        tuple(part.name for part in before.parts if part.id not in same),
        tuple(moved),
        tuple(renamed),
    )
