"""Which meshes a level places so often that each is kept once, with the places where it stands."""

from dataclasses import dataclass

import numpy as np
from numpy.typing import NDArray

from wallum.level.model.model import Level

__all__ = ["MeshInstances", "placed_boxes", "placings"]

# A mesh is kept once from so many places and so many triangles saved; below, chunks of all that lies
# close together leave out more of what is not seen.
MIN_PLACES, MIN_SAVED = 8, 100_000


@dataclass(frozen=True)
class MeshInstances:
    """A mesh, and the numbers of the parts that place it alike: same mark, mirrored or not."""

    mesh: int
    mark: int
    mirrored: bool
    parts: NDArray[np.int64]


def placings(level: Level, marks: NDArray[np.int64]) -> list[MeshInstances]:
    """The meshes that are better kept once. marks : (P,) by part; parts of different marks look different."""
    counts = np.bincount([part.mesh for part in level.parts] or [0], minlength=len(level.meshes))
    triangles = np.array([sum(len(p.triangles) for p in mesh.primitives) for mesh in level.meshes] or [0])
    often = (counts >= MIN_PLACES) & (triangles * (counts - 1) >= MIN_SAVED)
    groups: dict[tuple[int, int, bool], list[int]] = {}
    for number, part in enumerate(level.parts):
        if often[part.mesh]:
            mirrored = bool(np.linalg.det(part.matrix[:3, :3]) < 0.0)
            groups.setdefault((part.mesh, int(marks[number]), mirrored), []).append(number)
    return [
        MeshInstances(mesh, mark, mirrored, np.array(parts))
        for (mesh, mark, mirrored), parts in groups.items()
        if len(parts) * triangles[mesh] >= MIN_SAVED // 2
    ]


def placed_boxes(
    bounds: NDArray[np.float64], places: NDArray[np.float64]
) -> tuple[NDArray[np.float32], NDArray[np.float32]]:
    """Corners (I, 3), (I, 3) of a box (2, 3) at (I, 3, 4) places. Source: Arvo 1990, "Transforming
    axis-aligned bounding boxes"."""
    linear, offset = places[:, :, :3], places[:, :, 3]
    a, b = linear * bounds[0], linear * bounds[1]
    lows = offset + np.minimum(a, b).sum(axis=2)
    highs = offset + np.maximum(a, b).sum(axis=2)
    return lows.astype(np.float32), highs.astype(np.float32)
