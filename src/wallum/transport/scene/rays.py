"""Rays against a level, by Embree: what stands between, and what is hit first.

Embree's Python binding answers a batch on one thread, tests no holes and knows no masks:
batches are split over threads, rays go on through holes of alpha-masked surfaces. What is seen
through stops nothing, but dims and colours what passes: see `RayScene.let_through`.
"""

import os
import threading
import time
from collections.abc import Callable, Iterator
from concurrent.futures import ThreadPoolExecutor
from contextlib import contextmanager
from dataclasses import dataclass
from itertools import pairwise
from typing import Any

import numpy as np
from embreex import rtcore_scene
from embreex.mesh_construction import TriangleMesh
from numpy.typing import NDArray

from wallum.level.model.flatten import Triangles
from wallum.level.model.model import Level, Material
from wallum.level.model.texels import texels
from wallum.physics.arrays import Floats, dots, scaled
from wallum.physics.glass import goes_through
from wallum.physics.tone import srgb_decode

__all__ = ["Hits", "Look", "RayScene", "one_thread", "rays_asked"]

THREADS = max(1, os.cpu_count() or 1)
SMALLEST_BATCH = 4096
MAX_HOLES = 24
# Triangles of one mesh, and of one scene: what is copied, and built, while the window can do nothing.
MESH_TRIANGLES, SCENE_TRIANGLES = 30_000, 350_000
# Between two of them the window has its turn: the lock, once free, is not given to whoever has
# waited longest.
MESH_BREATH_S, SCENE_BREATH_S = 0.006, 0.06
# Corners that lie this much farther apart than triangles have them are looked up one by one.
SPREAD = 4
# Rays start this far off the surface, by the size of the level's numbers.
LIFT_M = 1e-4


@dataclass(frozen=True)
class Hits:
    """What rays hit first: distance [m] (inf: nothing), triangle (-1), weights (N, 2)."""

    distance: Floats
    triangle: NDArray[np.int64]
    weights: Floats

    def only(self, rows: NDArray[np.int64]) -> "Hits":
        """Those of the numbered rays."""
        return Hits(self.distance.take(rows), self.triangle.take(rows), self.weights.take(rows, 0))

    def put(self, rows: NDArray[np.int64], others: "Hits") -> None:
        """Other hits in the places of the numbered rays."""
        self.distance[rows], self.triangle[rows] = others.distance, others.triangle
        self.weights[rows] = others.weights


def _no_hits(count: int) -> Hits:
    """Room for hits, in the precision that Embree answers in."""
    return Hits(np.full(count, np.inf, np.float32), np.full(count, -1), np.zeros((count, 2), np.float32))


class _Piece:
    """One Embree scene, and which triangles of the level it holds.

    The binding keeps the interpreter's lock while it copies triangles and while Embree builds its
    tree: the triangles come as meshes of a few, and a scene holds no more than are built in a blink.
    """

    def __init__(self, triangles: Triangles, chosen: NDArray[np.int64]) -> None:
        self.numbers = chosen
        self._scene = rtcore_scene.EmbreeScene()
        starts = np.arange(0, len(chosen), MESH_TRIANGLES)
        self._firsts = starts
        self._meshes = [
            self._mesh(triangles, chosen[start : start + MESH_TRIANGLES]) for start in starts.tolist()
        ]

    def _mesh(self, triangles: Triangles, chosen: NDArray[np.int64]) -> Any:
        if len(self.numbers) > MESH_TRIANGLES:
            time.sleep(MESH_BREATH_S)
        faces: NDArray[Any] = triangles.faces[chosen]
        low, high = int(faces.min()), int(faces.max()) + 1
        if high - low > SPREAD * faces.size:  # only the corners that they have
            used, places = np.unique(faces, return_inverse=True)
            faces, positions = places.reshape(-1, 3), triangles.positions[used]
        else:
            faces, positions = faces - np.uint32(low), triangles.positions[low:high]
        # The binding keeps no reference to what it was built from.
        return TriangleMesh(
            self._scene,
            np.ascontiguousarray(positions, dtype=np.float32),
            np.ascontiguousarray(faces, dtype=np.int32),
        )

    def ask(self, origins: Floats, directions: Floats, reach: Floats, **how: Any) -> Any:
        """One batch in the types that the binding takes; it knows no infinite reach."""
        _Accelerated.asked += len(origins)
        limits = np.minimum(reach, 1e30).astype(np.float32, copy=False)
        at, ways = (item.astype(np.float32, copy=False) for item in (origins, directions))
        return self._scene.run(at, ways, dists=limits, **how)

    def first(self, origins: Floats, directions: Floats, out: Hits, rows: slice) -> None:
        """Put what is nearer than what was met so far into a part of `out`."""
        answer = self.ask(origins[rows], directions[rows], out.distance[rows], output=1)
        met = np.flatnonzero(answer["primID"] >= 0)
        if not len(met):
            return
        where = met + rows.start
        number = answer["primID"].take(met)
        if len(self._firsts) > 1:
            number = number + self._firsts.take(answer["geomID"].take(met))
        out.distance[where] = answer["tfar"].take(met)
        out.triangle[where] = self.numbers.take(number)
        out.weights[where, 0], out.weights[where, 1] = answer["u"].take(met), answer["v"].take(met)


class _Accelerated:
    """Triangles of a level in as many scenes as they need: one, but for millions of them."""

    asked = 0  # rays that all scenes have been asked, since the program began

    def __init__(self, triangles: Triangles, chosen: NDArray[np.int64]) -> None:
        self._count = len(chosen)
        parts = max(-(-len(chosen) // SCENE_TRIANGLES), 1)
        self._pieces = [_Piece(triangles, item) for item in np.array_split(chosen, parts) if len(item)]

    def __len__(self) -> int:
        return self._count

    def build(self) -> None:
        """Let Embree build its trees now, and not at the first ray."""
        at, direction = np.zeros((1, 3), np.float32), np.array([[0.0, -1.0, 0.0]], np.float32)
        for number, piece in enumerate(self._pieces):
            if number:
                time.sleep(SCENE_BREATH_S)
            piece.ask(at, direction, np.ones(1, np.float32), query="OCCLUDED")

    def first(self, origins: Floats, directions: Floats, reach: Floats) -> Hits:
        count = len(origins)
        out = _no_hits(count)
        if not self._pieces or not count:
            return out
        out.distance[:] = reach

        def part(rows: slice) -> None:
            for piece in self._pieces:
                piece.first(origins, directions, out, rows)

        _over_threads(part, count)
        out.distance[out.triangle < 0] = np.inf
        return out

    def blocked(self, origins: Floats, directions: Floats, reach: Floats) -> NDArray[np.bool_]:
        out = np.zeros(len(origins), dtype=bool)
        if not len(origins):
            return out

        def part(rows: slice) -> None:
            for piece in self._pieces:
                asked = piece.ask(origins[rows], directions[rows], reach[rows], query="OCCLUDED") >= 0
                out[rows] |= asked

        if self._pieces:
            _over_threads(part, len(origins))
        return out


_here = threading.local()


@contextmanager
def one_thread() -> Iterator[None]:
    """Batches of this thread are not split: whoever asks has shared the work out already."""
    _here.alone = True
    try:
        yield
    finally:
        _here.alone = False


def rays_asked() -> int:
    """Rays that Embree was asked since the program began."""
    return _Accelerated.asked


def _over_threads(work: Callable[[slice], None], count: int) -> None:
    parts = 1 if getattr(_here, "alone", False) else max(1, min(THREADS, count // SMALLEST_BATCH))
    if parts == 1:
        work(slice(0, count))
        return
    edges = np.linspace(0, count, parts + 1).astype(int)
    slices = [slice(int(a), int(b)) for a, b in pairwise(edges)]
    with ThreadPoolExecutor(parts) as pool:
        list(pool.map(work, slices))


# What looks along rays: origins and directions to hits.
Look = Callable[[Floats, Floats], Hits]


class RayScene:
    """A level that rays can be sent through."""

    def __init__(self, level: Level, triangles: Triangles) -> None:
        self.triangles = triangles
        self._level = level
        # By material first: words of each triangle would be compared a hundred thousand times.
        veil = np.array([m.see_through for m in level.materials] or [False])
        holes = np.array([m.alpha == "mask" for m in level.materials] or [False]) & ~veil
        veiled, masked = veil[triangles.material], holes[triangles.material]
        self._alphas = np.ascontiguousarray(triangles.colours[:, 3])
        self.double_sided = np.array([m.double_sided for m in level.materials] or [True])
        casts = np.array([part.casts for part in level.parts] or [True])[triangles.part]
        self._solid = _Accelerated(triangles, np.flatnonzero(~masked & ~veiled & casts))
        self._holed = _Accelerated(triangles, np.flatnonzero(masked & casts))
        self._veils = _Accelerated(triangles, np.flatnonzero(veiled & casts))
        # Seen, but in no light's way.
        self._casting_none = _Accelerated(triangles, np.flatnonzero(~casts))
        self._see_through = veil
        self.solid = ~masked & ~veiled  # (T,) neither seen through nor with holes

    def build(self) -> None:
        """Let Embree build its trees now, and not under the artist's hand."""
        for item in (self._solid, self._holed, self._veils, self._casting_none):
            item.build()

    @property
    def has_veils(self) -> bool:
        """Whether anything that is seen through stands in the way of light."""
        return len(self._veils) > 0

    def first_hit(self, origins: Floats, directions: Floats, veils: bool = True) -> Hits:
        """First surface along each ray. (N, 3), (N, 3) unit. veils : see-through ones included"""
        reach = np.full(len(origins), np.inf, np.float32)
        best = self._solid.first(origins, directions, reach)
        others = [self._through_holes(origins, directions, best.distance)]
        if veils:
            others.append(self._veils.first(origins, directions, best.distance))
        others.append(self._casting_none.first(origins, directions, best.distance))
        for other in others:
            nearer = np.flatnonzero(other.distance < best.distance)
            best.put(nearer, other.only(nearer))
        return best

    def on_veils(self, hits: Hits) -> NDArray[np.int64]:
        """Which hits are on something that is seen through."""
        if not self._see_through.any():
            return np.zeros(0, np.int64)
        met = hits.triangle >= 0
        return np.flatnonzero(met & self._see_through.take(self.triangles.material.take(hits.triangle)))

    def past(
        self,
        hits: Hits,
        rows: NDArray[np.int64],
        origins: Floats,
        directions: Floats,
        see: Look | None = None,
    ) -> None:
        """Put what comes next along the numbered rays in the place of what they hit. see : what looks for
        it, `first_visible` by default"""
        ways, gone = directions.take(rows, 0), hits.distance.take(rows) + LIFT_M
        after = (see or self.first_visible)(origins.take(rows, 0) + scaled(ways, gone), ways)
        hits.put(rows, after)
        hits.distance[rows] += gone

    def first_visible(self, origins: Floats, directions: Floats) -> Hits:
        """First surface along each ray that the picture shows: backs of one-sided surfaces
        are seen through."""
        double = self.double_sided
        out = self.first_hit(origins, directions)
        start = np.zeros(len(origins), np.float32)
        for _ in range(MAX_HOLES if len(self.triangles.faces) else 0):
            met = out.triangle >= 0
            facing = dots(self.triangles.face_normals.take(out.triangle, 0), directions)
            back = met & (facing > 0.0) & ~double.take(self.triangles.material.take(out.triangle))
            rows = np.flatnonzero(back)
            if not len(rows):
                break
            start[rows] = out.distance[rows] + LIFT_M
            ways = directions.take(rows, 0)
            again = self.first_hit(origins.take(rows, 0) + scaled(ways, start.take(rows)), ways)
            out.put(rows, again)
            out.distance[rows] += start.take(rows)
        return out

    def let_through(self, origins: Floats, directions: Floats, reach: Floats) -> NDArray[np.float32]:
        """(N, 3) share of light by channel that comes along each ray from `reach` [m]: none where
        something stands in its way, else what all that is seen through leaves of it."""
        out = np.repeat(~self.blocked(origins, directions, reach)[:, None], 3, axis=1).astype(np.float32)
        going = np.flatnonzero(out[:, 0] > 0.0) if len(self._veils) else np.zeros(0, np.int64)
        start = np.zeros(len(origins), np.float32)
        for _ in range(MAX_HOLES):
            if not len(going):
                break
            ways = directions.take(going, 0)
            at = origins.take(going, 0) + scaled(ways, start.take(going))
            hits = self._veils.first(at, ways, reach.take(going) - start.take(going))
            met = np.flatnonzero(hits.triangle >= 0)
            going, hits = going.take(met), hits.only(met)
            out[going] *= self.leaves(hits, ways.take(met, 0))[0]
            start[going] += hits.distance + LIFT_M
        return out

    def leaves(self, hits: Hits, directions: Floats) -> tuple[NDArray[np.float32], NDArray[np.float32]]:
        """What see-through surfaces that were hit let through (N, 3), and how much of them covers (N,).

        directions : of the rays
        """
        numbers = self.triangles.material.take(hits.triangle)
        facing = np.abs(dots(self.triangles.face_normals.take(hits.triangle, 0), directions))
        out, covers = np.ones((len(hits.triangle), 3), np.float32), np.ones(len(hits.triangle), np.float32)
        for index in np.flatnonzero(np.bincount(numbers, minlength=1)).tolist():
            rows = np.flatnonzero(numbers == index)
            material = self._level.materials[index]
            base = self._base(material, hits.triangle[rows], hits.weights[rows])
            each = np.ones(len(rows))
            covered = covers[rows] = base[:, 3] if material.alpha == "blend" else each
            tint = np.broadcast_to(np.array(material.tint), (len(rows), 3))
            out[rows] = goes_through(
                base[:, :3],
                covered,
                each * material.transmission,
                tint,
                each * material.reflectance,
                facing[rows],
            )
        return out, covers

    def blocked(self, origins: Floats, directions: Floats, reach: Floats) -> NDArray[np.bool_]:
        """(N,) whether something solid that casts shadow stands within `reach` [m] along each ray."""
        out = self._solid.blocked(origins, directions, reach)
        open_rays = np.flatnonzero(~out)
        if len(self._holed) and len(open_rays):
            at, ways = origins.take(open_rays, 0), directions.take(open_rays, 0)
            out[open_rays] = self._through_holes(at, ways, reach.take(open_rays)).triangle >= 0
        return out

    def _through_holes(self, origins: Floats, directions: Floats, reach: Floats) -> Hits:
        """First hit on the solid share of alpha-masked surfaces."""
        count = len(origins)
        out = _no_hits(count)
        going = np.arange(count) if len(self._holed) else np.zeros(0, int)
        start = np.zeros(count, np.float32)
        at, ways, left = origins, directions, reach
        for _ in range(MAX_HOLES):
            if not len(going):
                break
            hits = self._holed.first(at, ways, left)
            met = np.flatnonzero(hits.triangle >= 0)
            hits, going = hits.only(met), going.take(met)
            solid = self._is_solid(hits.triangle, hits.weights)
            ends = np.flatnonzero(solid)
            done = going.take(ends)
            out.put(done, hits.only(ends))
            out.distance[done] += start.take(done)
            passed = np.flatnonzero(~solid)
            going = going.take(passed)
            start[going] += hits.distance.take(passed) + LIFT_M
            ways = directions.take(going, 0)
            at = origins.take(going, 0) + scaled(ways, start.take(going))
            left = reach.take(going) - start.take(going)
        return out

    def _is_solid(self, triangle: NDArray[np.int64], weights: Floats) -> NDArray[np.bool_]:
        out = np.ones(len(triangle), dtype=bool)
        materials = self.triangles.material.take(triangle)
        for index in np.flatnonzero(np.bincount(materials)):
            rows = np.flatnonzero(materials == index)
            material = self._level.materials[index]
            alpha = self._alpha(material, triangle[rows], weights[rows])
            out[rows] = alpha >= material.cutoff
        return out

    def _alpha(self, material: Material, triangle: NDArray[np.int64], weights: Floats) -> Floats:
        corners = self.triangles.faces.take(triangle, 0)
        share = (1.0 - weights[:, 0] - weights[:, 1], weights[:, 0], weights[:, 1])
        opaque = self._alphas
        alpha = np.asarray(sum(share[k] * opaque.take(corners[:, k]) for k in range(3))) * material.base[3]
        use = material.textures.get("base")
        if use is None:
            return alpha
        uv = np.asarray(sum(share[k][:, None] * self.triangles.uv.take(corners[:, k], 0) for k in range(3)))
        return alpha * (texels(self._level, use, uv)[:, 3] / 255.0)

    def _base(self, material: Material, triangle: NDArray[np.int64], weights: Floats) -> Floats:
        """(N, 4) base colour, linear, and alpha of places on triangles of one material."""
        corners = self.triangles.faces.take(triangle, 0)
        share = (1.0 - weights[:, 0] - weights[:, 1], weights[:, 0], weights[:, 1])
        colours = self.triangles.colours
        base = np.asarray(sum(share[k][:, None] * colours.take(corners[:, k], 0) for k in range(3)))
        base = base * np.array(material.base)
        use = material.textures.get("base")
        if use is None:
            return base
        uv = np.asarray(sum(share[k][:, None] * self.triangles.uv.take(corners[:, k], 0) for k in range(3)))
        texel = texels(self._level, use, uv) / 255.0
        return base * np.concatenate([srgb_decode(texel[:, :3]), texel[:, 3:]], axis=1)

    def normals(self, hits: Hits) -> NDArray[np.float64]:
        """(N, 3) unit face normals of what was hit; zeros where nothing was."""
        out = np.zeros((len(hits.triangle), 3))
        met = hits.triangle >= 0
        out[met] = self.triangles.face_normals.take(hits.triangle[met], 0)
        return out
