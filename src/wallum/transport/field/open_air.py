"""What the air sees: places on a coarse grid, how much of the sky and of which surfaces each of them sees.

Each sends rays in all directions. Where one leaves the level it sees the sky, or far ground; where it meets a
surface, that is as bright as the light that its probe has makes it.
"""

from collections.abc import Iterator
from dataclasses import dataclass
from typing import Final

import numpy as np
from numpy.typing import NDArray
from scipy.ndimage import maximum_filter, uniform_filter
from scipy.sparse import csr_matrix, vstack

from wallum.physics.arrays import Floats, dots, normalised
from wallum.physics.colour import luminance
from wallum.physics.emitters import halton
from wallum.transport.field.extent import focus
from wallum.transport.field.probes import NO_PROBE, Probes
from wallum.transport.field.sky_parts import BINS, sky_bins
from wallum.transport.scene.rays import RayScene

__all__ = ["OpenAir", "look_about", "ways_seen"]

RAYS: Final = 64
# About this many places; the cells are cubes where the level allows it.
PLACES: Final = 26_000
LARGEST: Final = 64
BATCH: Final = 384  # places at once: small steps keep the window's thread free
# One that sees more backs of surfaces than this sits inside something.
INSIDE_SHARE: Final = 0.3
# Below a level: straight down by this cosine so much sees nothing, and of the sky so little is seen.
DOWN, GONE, COVERED = -0.7, 0.8, 0.3
# What faces up by this cosine is ground.
GROUND_UP: Final = 0.5
SETS: Final = 16
# What sees so little lies in a closed room, so much in one that is open on a side; neighbours that see about
# as much need not be told apart. Where it is looked, beside two places, whether anything gets past what
# stands between them: in steps of the grid.
CLOSED, ROOFED, ALIKE = 0.08, 0.6, 0.03
BESIDE: Final = np.array(
    [(0.23, 0.31, -0.17), (-0.29, 0.13, 0.27), (0.11, -0.27, 0.33), (-0.19, -0.21, -0.31)]
)


@dataclass(frozen=True)
class OpenAir:
    """A places on a grid (X, Y, Z), the last index fastest.

    values : (X, Y, Z, 2) float16: share of the upper half that is open sky, walls between places taken in;
             share of all ways that end on ground beyond all probes
    sky    : (A, BINS) float16: share of all ways that see each part of the sky, see sky_parts.py
    low, step : (3,) the first place, and the way to the next [m]
    surfaces  : (A, N) share of all ways of a place that end on what each probe stands for
    there  : (A,) whether it is in the open, and not inside a body
    parted : (K, 2) numbers of neighbours of which one lies in a closed room, that a wall stands between, or
             of which one is inside a body
    """

    values: NDArray[np.float16]
    sky: NDArray[np.float16]
    low: NDArray[np.float64]
    step: NDArray[np.float64]
    surfaces: csr_matrix
    there: NDArray[np.bool_]
    parted: NDArray[np.int32]


def ways_seen(air: OpenAir, probes: Probes) -> tuple[csr_matrix, csr_matrix, csr_matrix]:
    """(A, N) as `surfaces`, each share times X, Y and Z of the direction to what it is of."""
    shares = air.surfaces
    place = np.repeat(np.arange(shares.shape[0]), np.diff(shares.indptr))
    at = np.stack(np.unravel_index(place, air.values.shape[:3]), axis=1) * air.step + air.low
    distances = normalised(probes.places[shares.indices] - at) * shares.data[:, None]
    x, y, z = (
        csr_matrix((direction.astype(np.float32), shares.indices, shares.indptr), shares.shape)
        for direction in distances.T
    )
    return x, y, z


def _layout(
    bounds: NDArray[np.float64],
) -> tuple[tuple[int, int, int], NDArray[np.float64], NDArray[np.float64]]:
    """Numbers of places, the first of them and the step, for a level's bounds (2, 3)."""
    extent = np.maximum(bounds[1] - bounds[0], 0.5)
    size = (extent.prod() / PLACES) ** (1.0 / 3.0)
    counts = np.clip(np.ceil(extent / size).astype(int) + 1, 4, LARGEST)
    # What the longest sides may not have is given to the others.
    for _ in range(3):
        free = counts < LARGEST
        if not free.any():
            break
        size = (extent[free].prod() * np.prod(extent[~free] / LARGEST) / PLACES) ** (1.0 / 3.0)
        spare = PLACES / np.prod(counts[~free]) if (~free).any() else PLACES
        size = (extent[free].prod() / spare) ** (1.0 / free.sum())
        counts[free] = np.clip(np.ceil(extent[free] / size).astype(int) + 1, 4, LARGEST)
    # Half a step beyond the bounds, so that outer walls lie between places.
    step = extent / (counts - 2)
    x, y, z = counts.tolist()
    return (x, y, z), bounds[0] - 0.5 * step, step


def _directions(turn: int, count: int = RAYS) -> NDArray[np.float64]:
    """(count, 3) directions spread evenly, each set turned on from the last."""
    up = 1.0 - 2.0 * (np.arange(count) + 0.5) / count
    around = 2.0 * np.pi * (np.arange(count) * 0.6180339887 + halton(turn, 1, 3)[0])
    flat = np.sqrt(1.0 - up * up)
    return np.stack([flat * np.cos(around), up, flat * np.sin(around)], axis=1)


def look_about(rays: RayScene, probes: Probes, bounds: NDArray[np.float64]) -> Iterator[float | OpenAir]:
    """Look about in the air of a level: gives the share that is done, and in the end what was found."""
    counts, low, step = _layout(focus(rays, bounds))
    number = int(np.prod(counts))
    places = low + np.stack(np.unravel_index(np.arange(number), counts), axis=1) * step
    sky, land = np.zeros(number, np.float32), np.zeros(number, np.float32)
    inside, under, parts = np.zeros(number, bool), np.zeros(number, bool), []
    by_part = np.zeros((number, BINS), np.float16)
    sets = np.stack([_directions(turn) for turn in range(SETS)])
    for first in range(0, number, BATCH):
        rows = np.arange(first, min(first + BATCH, number))
        directions = sets[rows % SETS]
        seen = _look(rays, probes, places[rows], directions)
        sky[rows] = seen.sky.sum(axis=1) / (directions[:, :, 1] > 0.0).sum(axis=1)
        by_part[rows] = _of_sky(seen, directions)
        inside[rows] = seen.back.mean(axis=1) > INSIDE_SHARE
        land[rows], under[rows] = seen.land.mean(axis=1), _under(seen, directions, sky[rows])
        parts.append(_of_probes(seen, len(probes)))
        yield 0.9 * (first + len(rows)) / number
    there = ~inside.reshape(counts)
    # Beside rooms that are closed, what lies under the level is as dark as they are.
    open_sky = np.where(inside | under, np.float32(0.0), sky).reshape(counts)
    land[under & (maximum_filter(open_sky, 3).ravel() < CLOSED)] = 0.0
    surfaces = vstack(parts, format="csr")
    for entry in _walls_taken_in(rays, sky.reshape(counts), there, low, step):
        if entry is None:
            yield 0.95
            continue
        item, other = entry[1].T
        darker = np.minimum(land[item], land[other])  # no light of ground beyond gets into closed rooms
        for side in (item, other):
            np.minimum.at(land, side, darker)
        values = np.stack([entry[0], land.reshape(counts).astype(np.float16)], axis=3)
        yield OpenAir(values, by_part, low, step, surfaces, there.ravel(), entry[1])


@dataclass(frozen=True)
class _AirView:
    """What rays (B, R) see: of the sky, of far ground, the probe of a surface (-1: none) and how much of that
    comes through; whether it is the back of what has one side; whether they meet nothing."""

    sky: NDArray[np.float32]
    land: NDArray[np.float32]
    probe: NDArray[np.int64]
    share: NDArray[np.float32]
    back: NDArray[np.bool_]
    gone: NDArray[np.bool_]


def _under(seen: _AirView, ways: NDArray[np.float64], sky: NDArray[np.float32]) -> NDArray[np.bool_]:
    """(B,) which places lie below the level, with it over them and nothing under them: what they see there is
    no ground that light comes from, and no floor between would keep it out."""
    down = ways[:, :, 1] < DOWN
    gone = (seen.gone & down).sum(axis=1) > GONE * down.sum(axis=1)
    return np.asarray(gone & (sky < COVERED))


def _of_sky(seen: _AirView, ways: NDArray[np.float64]) -> NDArray[np.float64]:
    """(B, BINS) share of the ways of each place that see a part of the sky."""
    count, each = seen.sky.shape
    own = np.repeat(np.arange(count), each) * BINS + sky_bins(ways.reshape(-1, 3))
    return np.bincount(own, seen.sky.ravel(), count * BINS).reshape(count, BINS) / each


def _of_probes(seen: _AirView, count: int) -> csr_matrix:
    """(B, count) share of the ways of each place that end on what a probe stands for."""
    rows, column = np.nonzero(seen.probe >= 0)
    weight = seen.share[rows, column] / np.float32(seen.probe.shape[1])
    shape = (len(seen.probe), count)
    return csr_matrix((weight, (rows, seen.probe[rows, column])), shape, dtype=np.float32)


def _look(rays: RayScene, probes: Probes, places: NDArray[np.float64], ways: NDArray[np.float64]) -> _AirView:
    """What places (B, 3) see by directions (B, R, 3)."""
    count = ways.shape[1]
    flat, origins = ways.reshape(-1, 3), np.repeat(places, count, axis=0)
    hits = rays.first_hit(origins, flat, veils=False)
    share = np.ones(len(flat), np.float32)
    if rays.has_veils:
        share = luminance(rays.let_through(origins, flat, hits.distance * np.float32(0.999))).astype(
            np.float32
        )
    gone, up = hits.triangle < 0, flat[:, 1] > 0.0
    met = np.flatnonzero(~gone)
    faces = rays.triangles.face_normals.take(hits.triangle[met], 0)
    against = dots(faces, flat[met]) > 0.0
    double = rays.double_sided.take(rays.triangles.material.take(hits.triangle[met]))
    back, probe = np.zeros(len(flat), bool), np.full(len(flat), NO_PROBE, np.int64)
    back[met] = against & ~double
    faces = np.where(against[:, None], -faces, faces).astype(np.float64)
    hit_at = origins[met] + flat[met] * hits.distance[met, None]
    probe[met] = np.where(back[met], NO_PROBE, probes.find(hit_at, faces))
    land = gone & ~up
    # Of the level, but beyond all probes: as far ground is.
    land[met] |= (probe[met] == NO_PROBE) & ~back[met] & (faces[:, 1] > GROUND_UP)
    shape = (len(places), count)
    seen = np.asarray(share * (gone & up), np.float32), np.asarray(share * land, np.float32)
    return _AirView(
        seen[0].reshape(shape), seen[1].reshape(shape), probe.reshape(shape), share.reshape(shape),
        back.reshape(shape), gone.reshape(shape),
    )  # fmt: skip


def _walls_taken_in(
    rays: RayScene,
    seen: NDArray[np.float32],
    there: NDArray[np.bool_],
    low: NDArray[np.float64],
    step: NDArray[np.float64],
) -> Iterator[tuple[NDArray[np.float16], NDArray[np.int32]] | None]:
    """How open the air is about each place (X, Y, Z), and which are parted (K, 2), at last; None between.

    Between two of them it is what lies between theirs. So where a wall stands between a room and what lies
    beyond it, both are as dark as the room, and one inside a body as the darkest about it: no light of
    the one side gets into the air of the other. What lets some of it through, as slats do, is no wall.
    """
    counts = seen.shape
    known = np.where(there, seen, np.float32(0.0))
    about = uniform_filter(known, 3) / np.maximum(uniform_filter(there.astype(np.float32), 3), 1e-3)
    own = np.where(there, seen, np.float32(1.0))
    out = np.where(there, own, about)
    places = low + np.stack(np.meshgrid(*map(np.arange, counts), indexing="ij"), axis=-1) * step
    number, pairs = np.arange(seen.size, dtype=np.int32).reshape(counts), []
    # Of the 26 about each, one of each two that lie opposite.
    for offset in [item for item in np.ndindex(3, 3, 3) if item > (1, 1, 1)]:
        direction = [item - 1 for item in offset]
        here = tuple(slice(max(0, -w), n - max(0, w)) for w, n in zip(direction, counts, strict=True))
        beyond = tuple(slice(max(0, w), n - max(0, -w)) for w, n in zip(direction, counts, strict=True))
        parted = ~(there[here] & there[beyond])
        smallest = np.minimum(own[here], own[beyond])
        doubt = np.nonzero(~parted & (smallest < ROOFED) & (np.abs(own[here] - own[beyond]) > ALIKE))
        parted &= smallest < ROOFED
        parted[doubt] = _walled(rays, places[here][doubt], places[beyond][doubt], step)
        closed = parted & (smallest < CLOSED)
        pairs.append(np.stack([number[here][closed], number[beyond][closed]], axis=1))
        darker = np.where(parted, np.minimum(own[here], own[beyond]), np.float32(1.0))
        for side in (here, beyond):  # one after the other: they lie over each other
            out[side] = np.minimum(out[side], darker)
        yield None
    yield out.astype(np.float16), np.concatenate(pairs)


def _walled(rays: RayScene, a: Floats, b: Floats, step: NDArray[np.float64]) -> NDArray[np.bool_]:
    """(N,) whether a wall stands between places (N, 3): nothing gets from one to the other, nor from places
    beside the one to those beside the other."""
    out = _between(rays, a, b)
    for shift in BESIDE * step:
        rows = np.flatnonzero(out)
        item, other = a[rows], b[rows]
        free = ~(_between(rays, item, item + shift) | _between(rays, other, other + shift))
        out[rows] = ~(free & ~_between(rays, item + shift, other + shift))
    return out


def _between(rays: RayScene, a: Floats, b: Floats) -> NDArray[np.bool_]:
    """(N,) whether anything stands between places (N, 3)."""
    offset = b - a
    length = np.sqrt((offset**2).sum(axis=1))
    toward = offset / np.maximum(length, 1e-9)[:, None]
    return rays.blocked(a.astype(np.float32), toward.astype(np.float32), length.astype(np.float32))
