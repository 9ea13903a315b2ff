"""Places strewn over the surfaces of a level, with what those are: what probes are made from."""

from collections.abc import Iterator
from dataclasses import dataclass, fields
from typing import Final

import numpy as np
from numpy.typing import NDArray

from wallum.level.model.flatten import Triangles
from wallum.physics.arrays import Floats, dots
from wallum.physics.emitters import cosine_directions
from wallum.physics.gloss_table import look_up, mean_fall
from wallum.transport.field.cells import Cells, CellsFor, sides_of
from wallum.transport.scene.rays import Hits, RayScene
from wallum.transport.scene.surface_tables import Surfaces, SurfaceTables
from wallum.transport.scene.surfaces import SeenSurfaces

__all__ = ["ROOM_M", "Samples", "by_cell", "even_albedo", "scatter"]

# Places for each cell that is full of surface, so that a sliver of one has some; and the most that are kept.
EACH, MAX_EACH = 48.0, 12
# What shines is small, and how large it is tells how much light it gives.
DENSER: Final = 6.0
# A place that sees more backs than this lies inside a body; rays that tell.
INSIDE_SHARE, INSIDE_RAYS = 0.2, 12
# After so many, those that have seen no back and less than so many things close by are out in the open.
FIRST_RAYS, FEW_CLOSE = 4, 3
LIFT_M: Final = 2e-3
# Triangles that are larger are parted, at most so often.
LARGE_M2, MAX_PARTED = 12.0, 14
# Places that are looked at together: whoever drives it may give up between.
AT_ONCE: Final = 50_000
# Room about all probes [m].
ROOM_M: Final = 0.5
# A gap that is narrower shows nothing of its sides [m].
GAP_M: Final = 0.12
# Cosine to the eye at which the share that a surface sends back is about its mean.
MEAN_COSINE: Final = 0.6
# Roughness up to which a gloss is a mirror, and from which it sends light to all sides.
SMOOTH: Final = (0.1, 0.25)


@dataclass(frozen=True)
class Samples:
    """M places on surfaces: places, normals, albedo, glow [cd/m2] (M, 3); area that
    each stands for [m2], part (M,)."""

    places: NDArray[np.float64]
    normals: NDArray[np.float64]
    albedo: NDArray[np.float32]
    glow: NDArray[np.float32]
    area: NDArray[np.float64]
    part: NDArray[np.int32]

    def only(self, rows: NDArray[np.int64]) -> "Samples":
        """Those of some rows."""
        return Samples(*(getattr(self, field_.name)[rows] for field_ in fields(self)))


def even_albedo(surfaces: Surfaces | SeenSurfaces) -> NDArray[np.float32]:
    """(N, 3) share of light that surfaces send back to all sides: what lies under a gloss, metal, and gloss
    as far as it is rough; what is smooth mirrors it one way only, which none of these probes follow.
    Of physics.surface, at the eye's mean cosine."""
    rough = surfaces.roughness
    _, _, selected, steep = look_up(rough, np.full(len(rough), MEAN_COSINE, np.float32)).T
    under = selected * (1.0 - steep * mean_fall(rough))
    metal = surfaces.metallic[:, None]
    under = under[:, None]
    spread = np.clip((rough - SMOOTH[0]) / (SMOOTH[1] - SMOOTH[0]), 0.0, 1.0)[:, None]
    out = (1.0 - metal) * (surfaces.base * under + spread * (1.0 - under)) + metal * surfaces.base
    out[surfaces.unlit] = 0.0
    return np.clip(out, 0.0, 0.98).astype(np.float32)


def scatter(
    rays: RayScene,
    tables: SurfaceTables,
    box: NDArray[np.float64],
    cells_for: CellsFor,
    rng: np.random.Generator,
) -> Iterator[Cells | Samples]:
    """Strew places over both sides of what lies in a box (2, 3) [m]; gives the cells that fit so much
    surface, then the places, without those that lie inside bodies."""
    flat = rays.triangles
    number, weights = _pieces(flat, box)
    corners = _corners(flat, number, weights)
    area = _areas(corners)
    cells = cells_for(float(area.sum()))
    yield cells
    dense = EACH / cells.step**2 * np.where(tables.shines.take(flat.material[number]), DENSER, 1.0)
    dense *= cells.most_parts(corners) ** 2
    piece, share = _strewn(area * dense, rng)
    whole = np.concatenate([1.0 - share.sum(axis=1, keepdims=True), share], axis=1)
    places = np.einsum("nk,nkc->nc", whole, corners[piece])
    within = np.flatnonzero(((places >= box[0]) & (places <= box[1])).all(axis=1))
    piece, places = piece[within], places[within]
    triangle, each = number[piece], 1.0 / dense[piece]
    share = np.einsum("nk,nkc->nc", whole[within], weights[piece]).astype(np.float32)
    sides = []
    for side in (1.0, -1.0):
        there = np.arange(len(triangle))
        if side < 0.0:  # what has one side only is black from behind
            there = np.flatnonzero(rays.double_sided.take(flat.material.take(triangle)))
        normals = flat.face_normals[triangle[there]].astype(np.float64) * side
        sides_there, counts = sides_of(cells, places[there], normals)
        there, normals = there[counts], normals[counts]
        few, stands_for = _few(sides_there[counts])
        there, normals = there[few], normals[few]
        for first in range(0, len(there), AT_ONCE):
            part = slice(first, first + AT_ONCE)
            rows, facing = there[part], normals[part]
            out = np.flatnonzero(~_shut_in(rays, places[rows], facing, rng))
            free, facing = rows[out], facing[out]
            hits = Hits(np.zeros(len(free), np.float32), triangle[free], share[free])
            surfaces = tables.at(hits, -facing.astype(np.float32))
            glow = np.zeros((len(free), 3), np.float32)
            glow[surfaces.shining] = surfaces.glow
            area = each[free] * stands_for[part][out]
            own = (even_albedo(surfaces), glow, area, surfaces.part.astype(np.int32))
            sides.append(Samples(places[free], facing, *own))
            yield cells
    if not sides:
        none, nothing = np.zeros((0, 3)), np.zeros((0, 3), np.float32)
        sides.append(Samples(none, none, nothing, nothing, np.zeros(0), np.zeros(0, np.int32)))
    yield Samples(*(np.concatenate([getattr(s, field_.name) for s in sides]) for field_ in fields(Samples)))


def _corners(flat: Triangles, number: NDArray[np.int64], weights: Floats) -> NDArray[np.float64]:
    """(M, 3, 3) corners of pieces of triangles, by what their second and third weigh in each (M, 3, 2)."""
    a, b, c = (flat.positions[flat.faces[number, k]].astype(np.float64) for k in range(3))
    direction = np.stack([b - a, c - a], axis=1)
    return np.asarray(a[:, None] + np.einsum("nkw,nwc->nkc", weights, direction))


def _areas(corners: Floats) -> NDArray[np.float64]:
    across = np.cross(corners[:, 1] - corners[:, 0], corners[:, 2] - corners[:, 0])
    return np.asarray(0.5 * np.linalg.norm(across, axis=1))


def _pieces(flat: Triangles, box: NDArray[np.float64]) -> tuple[NDArray[np.int64], NDArray[np.float64]]:
    """Triangles that reach into a box (2, 3), large ones in parts: their numbers (M,), and the weights of
    corners (M, 3, 2). Ground of a square kilometre would else be strewn with a hundred million places."""
    number = np.arange(len(flat.faces))
    weights = np.tile(np.array([[0.0, 0.0], [1.0, 0.0], [0.0, 1.0]]), (len(number), 1, 1))
    done_number, done_weights = [], []
    for turn in range(MAX_PARTED + 1):
        corners = _corners(flat, number, weights)
        reaches = ((corners.min(axis=1) <= box[1]) & (corners.max(axis=1) >= box[0])).all(axis=1)
        large = reaches & (_areas(corners) > LARGE_M2) & (turn < MAX_PARTED)
        done_number.append(number[reaches & ~large])
        done_weights.append(weights[reaches & ~large])
        number, own = number[large], weights[large]
        if not len(number):
            break
        a, b, c = own[:, 0], own[:, 1], own[:, 2]
        ab, bc, ca = 0.5 * (a + b), 0.5 * (b + c), 0.5 * (c + a)
        parts = [(a, ab, ca), (ab, b, bc), (ca, bc, c), (ab, bc, ca)]
        weights = np.concatenate([np.stack(part, axis=1) for part in parts])
        number = np.tile(number, 4)
    return np.concatenate(done_number), np.concatenate(done_weights)


def _strewn(wanted: Floats, rng: np.random.Generator) -> tuple[NDArray[np.int64], Floats]:
    """Triangles, about as often as is wanted of each, and barycentric places (M, 2) on them."""
    # Small ones one after the other share what is wanted, so that none of many is left out by chance.
    ends = np.cumsum(wanted) + rng.random()
    count = np.diff(np.floor(np.r_[ends[:1] - wanted[:1], ends])).astype(np.int64) if len(wanted) else []
    triangle = np.repeat(np.arange(len(wanted)), count)
    share = rng.random((len(triangle), 2))
    over = share.sum(axis=1) > 1.0
    share[over] = 1.0 - share[over]
    return triangle, share


def _shut_in(rays: RayScene, places: Floats, normals: Floats, rng: np.random.Generator) -> NDArray[np.bool_]:
    """(M,) whether places lie inside a body, where mostly backs are seen, or in a gap."""
    backs, close = np.zeros(len(places)), np.zeros(len(places))
    start = (places + normals * LIFT_M).astype(np.float32)
    left = np.arange(len(places))
    for count in (FIRST_RAYS, INSIDE_RAYS - FIRST_RAYS):
        for _ in range(count):
            directions = cosine_directions(normals[left], rng.random((len(left), 2)))
            hits = rays.first_hit(start[left], directions, veils=False)
            met = np.flatnonzero(hits.triangle >= 0)
            faces = rays.triangles.face_normals.take(hits.triangle[met], 0)
            one_sided = ~rays.double_sided.take(rays.triangles.material.take(hits.triangle[met]))
            backs[left[met]] += (dots(faces, directions[met]) > 0.0) & one_sided
            close[left] += hits.distance < GAP_M
        left = left[(backs[left] > 0) | (close[left] >= FEW_CLOSE)]
    # What lies on the ground looks at nothing, or past it into the void that is under all ground.
    down = np.flatnonzero(normals[:, 1] < -0.5)
    direction = np.zeros((len(down), 3), np.float32)
    direction[:, 1] = -1.0
    close[down[~rays.blocked(start[down], direction, np.full(len(down), np.inf, np.float32))]] = INSIDE_RAYS
    return np.asarray((backs > INSIDE_SHARE * INSIDE_RAYS) | (close >= INSIDE_RAYS - 2))


def _few(sides: NDArray[np.int64]) -> tuple[NDArray[np.int64], NDArray[np.float64]]:
    """A few rows of each side, by chance, and for how many of all each of them stands."""
    mixed = np.random.default_rng(0).permutation(len(sides))
    order = mixed[np.argsort(sides[mixed], kind="stable")]
    key = sides[order]
    first = np.flatnonzero(np.r_[True, key[1:] != key[:-1]]) if len(key) else np.zeros(0, np.int64)
    size = np.diff(np.r_[first, len(key)])
    rank = np.arange(len(key)) - np.repeat(first, size)
    selected = np.flatnonzero(rank < MAX_EACH)
    few = np.minimum(size, MAX_EACH)
    return order[selected], np.repeat(size / few, few)


def by_cell(found: Samples, cells: Cells) -> tuple[NDArray[np.int64], Samples]:
    """Samples sorted by the side of the cell that they lie on; and those sides' numbers."""
    key, within = sides_of(cells, found.places, found.normals)
    order = np.argsort(np.where(within, key, -1), kind="stable")
    order = order[within[order]]
    return key[order], found.only(order)
