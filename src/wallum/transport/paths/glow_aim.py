"""Surfaces that glow as light that paths aim at: near and bright ones more often than far and dim ones.

Glow is also met by chance; whoever asks weighs both by `chance`, the density of the directions aimed at.
Source: Shirley, Wang and Zimmerman 1996, "Monte Carlo Techniques for Direct Lighting Calculations".
"""

from dataclasses import dataclass
from typing import Any, Final, NamedTuple

import numpy as np
from numpy.typing import NDArray

from wallum.physics.arrays import Floats, dots, scaled
from wallum.physics.colour import luminance
from wallum.transport.scene.rays import Hits, RayScene
from wallum.transport.scene.surface_tables import SurfaceTables

__all__ = ["GlowAim", "Target"]

# Places that tell how bright a triangle is in the mean.
LOOKED: Final = 16
# Of what it declares a triangle counts for at least so much, should its bright texels have been missed.
MIN_SHARE: Final = 0.02
# Heaps of triangles that are told apart by how far they are.
MAX_HEAPS: Final = 64


class Target(NamedTuple):
    """Where N paths aim: unit directions (N, 3), distances (N,) [m], what they would meet, and the density
    of the direction (N,) [1/sr]; 0 where there is nothing to be had."""

    toward: Floats
    reach: Floats
    hits: Hits
    chance: NDArray[np.float32]


@dataclass(frozen=True)
class _GlowClusters:
    """Triangles by heap: each heap's middle (H, 3), square of its radius (H,), power (H,), the first of its
    triangles in `order` (H + 1,)."""

    middle: NDArray[np.float32]
    squared: NDArray[np.float32]
    power: NDArray[np.float32]
    first: NDArray[np.int64]


class GlowAim:
    """The glowing triangles of a level. part_gain : (P,) by part, what its glow is multiplied by

    What is seen through, or has holes, is not aimed at: it is met by chance alone.
    """

    def __init__(self, rays: RayScene, tables: SurfaceTables, part_gain: NDArray[np.float32]) -> None:
        flat = rays.triangles
        self._flat, self._double = flat, rays.double_sided
        material = flat.material
        shines = tables.shines.take(material) & rays.solid & (flat.areas > 0.0)
        shines &= part_gain.take(flat.part) > 0.0
        triangles = np.flatnonzero(shines)
        power = flat.areas[triangles] * _brightness(tables, triangles) * part_gain.take(flat.part[triangles])
        there = np.flatnonzero(power > 0.0)
        triangles, power = triangles[there], power[there]
        corners = flat.positions[flat.faces[triangles]]
        heap = _heaps_of(corners.mean(axis=1))
        order = np.argsort(heap, kind="stable")
        self._triangles, self._power = triangles[order], power[order].astype(np.float64)
        self._corners, heap = corners[order], heap[order]
        self._heaps = _described(self._corners, self._power, heap)
        self._ends = np.cumsum(self._power)
        # By triangle of the level: its heap, or -1.
        self._heap_of = np.full(len(flat.faces), -1, np.int32)
        self._heap_of[self._triangles] = heap
        self._power_of = np.zeros(len(flat.faces), np.float32)
        self._power_of[self._triangles] = self._power

    def __len__(self) -> int:
        return len(self._triangles)

    def _about_given(self, places: Floats) -> NDArray[np.float32]:
        """(N, H) about what each heap gives places (N, 3)."""
        h = self._heaps
        squared = dots(places, places)[:, None] - 2.0 * (places @ h.middle.T) + dots(h.middle, h.middle)
        return np.asarray(h.power / np.maximum(squared, h.squared), np.float32)

    def aim(self, places: Floats, rng: np.random.Generator) -> Target:
        """One point of one triangle for each of places (N, 3)."""
        count = len(places)
        about = self._about_given(places)
        ends = np.cumsum(about, axis=1)
        u = rng.random((count, 4), dtype=np.float32)
        heap = (ends < (u[:, 0] * ends[:, -1])[:, None]).sum(axis=1)
        heap = np.minimum(heap, about.shape[1] - 1)
        low, high = self._heaps.first[heap], self._heaps.first[heap + 1]
        before = np.where(low > 0, self._ends[low - 1], 0.0)
        wanted = before + u[:, 1] * (self._ends[high - 1] - before)
        own = np.clip(np.searchsorted(self._ends, wanted, side="right"), low, high - 1)
        a, b, c = self._corners[own].transpose(1, 0, 2)
        root = np.sqrt(u[:, 2])
        weights = np.stack([root * (1.0 - u[:, 3]), root * u[:, 3]], axis=1)
        offset = a + scaled(b - a, weights[:, 0]) + scaled(c - a, weights[:, 1]) - places
        reach = np.sqrt(dots(offset, offset))
        toward = scaled(offset, 1.0 / np.maximum(reach, 1e-6))
        hits = Hits(reach, self._triangles[own], weights)
        chosen = about[np.arange(count), heap] / ends[:, -1]
        return Target(toward, reach, hits, self._density(toward, hits, heap, chosen))

    def chance(self, places: Floats, toward: Floats, hits: Hits) -> NDArray[np.float32]:
        """(N,) density with which `aim` takes directions (N, 3) from places to what they meet [1/sr]."""
        heap = self._heap_of.take(hits.triangle)
        out = np.zeros(len(places), np.float32)
        rows = np.flatnonzero((heap >= 0) & (hits.triangle >= 0))
        heap, inputs = heap.take(rows), self._about_given(places.take(rows, 0))
        chosen = inputs[np.arange(len(rows)), heap] / inputs.sum(axis=1)
        out[rows] = self._density(toward.take(rows, 0), hits.only(rows), heap, chosen)
        return out

    def _density(self, toward: Floats, hits: Hits, heap: NDArray[Any], chosen: Floats) -> NDArray[np.float32]:
        """(N,) see `chance`, of what glows. heap : (N,) of each; chosen : (N,) how often that is taken"""
        cosine = -dots(self._flat.face_normals.take(hits.triangle, 0), toward)
        double = self._double.take(self._flat.material.take(hits.triangle))
        cosine = np.where(double, np.abs(cosine), cosine)
        within = self._power_of.take(hits.triangle) / self._heaps.power.take(heap)
        per_area = chosen * within / self._flat.areas.take(hits.triangle)
        near = hits.distance**2 * per_area
        return np.where(cosine > 1e-4, near / np.maximum(cosine, 1e-4), 0.0).astype(np.float32)


def _brightness(tables: SurfaceTables, triangles: NDArray[np.int64]) -> NDArray[np.float64]:
    """(T,) mean luminance of triangles as they are declared [cd/m2]."""
    rng = np.random.default_rng(7)
    total = np.zeros(len(triangles))
    for _ in range(LOOKED):
        root, along = np.sqrt(rng.random(len(triangles))), rng.random(len(triangles))
        weights = np.stack([root * (1.0 - along), root * along], axis=1).astype(np.float32)
        total += luminance(tables.glow_at(triangles, weights))
    return np.maximum(total / LOOKED, MIN_SHARE * luminance(tables.declared_glow(triangles)))


def _heaps_of(middles: Floats) -> NDArray[np.int64]:
    """(T,) the number of the heap that each triangle belongs to: cells of a grid, as fine as is allowed."""
    if not len(middles):
        return np.zeros(0, np.int64)
    low = middles.min(axis=0)
    cell = max(float((middles.max(axis=0) - low).max()) / 64.0, 0.25)
    while True:
        _, heap = np.unique(((middles - low) / cell).astype(np.int64), axis=0, return_inverse=True)
        if heap.max() < MAX_HEAPS:
            return np.asarray(heap.reshape(-1), np.int64)
        cell *= 1.3


def _described(corners: Floats, power: NDArray[np.float64], heap: NDArray[np.int64]) -> _GlowClusters:
    """Heaps of triangles (T, 3, 3) that lie in their order."""
    count = int(heap.max()) + 1 if len(heap) else 0
    total = np.bincount(heap, power, count)
    weighted = corners.mean(axis=1) * power[:, None]
    middle = np.stack([np.bincount(heap, weighted[:, k], count) for k in range(3)], axis=1) / total[:, None]
    away = ((corners - middle[heap][:, None]) ** 2).sum(axis=2).max(axis=1)
    squared = np.zeros(count)
    np.maximum.at(squared, heap, away)
    first = np.searchsorted(heap, np.arange(count + 1))
    # A place within a heap is as near as half its radius.
    halves = np.maximum(0.25 * squared, 1e-4)
    single = np.float32
    return _GlowClusters(middle.astype(single), halves.astype(single), total.astype(single), first)
