"""Where light that comes back is known: probes on the surfaces of a level.

Space is cut into cubic cells; in each, and by each of the six ways that a surface may face, one probe stands
for the surfaces there. Where something stands between two parts of them, a wall of any thickness, there are
two, and a plane that tells a place whose it is. So no probe knows of light on the other side of a wall,
however thin that is, and none lies inside a body. Neighbours that see each other are linked: a place reads
the probes about it through the links of its own one.

Majercik 2019, "Dynamic Diffuse Global Illumination with Ray-Traced Irradiance Fields", weighs probes of a
regular grid by what they see of distance instead; that leaves a remainder behind thin walls and needs eight
probes in free space where surfaces need four.
"""

from collections.abc import Iterator
from dataclasses import dataclass, replace
from typing import Final

import numpy as np
from numpy.typing import NDArray
from scipy.spatial import cKDTree

from wallum.physics.arrays import Floats, dots, normalised
from wallum.transport.field.extent import built_of, focus
from wallum.transport.field.scattering import BEFORE_M, FACINGS, ROOM_M, Samples, by_cell, scatter
from wallum.transport.rays import RayScene
from wallum.transport.surface_tables import SurfaceTables

__all__ = ["NO_PROBE", "PLACES", "Probes", "place_probes"]

NO_PROBE: Final = -1
PLACES: Final = 4  # of a probe's surfaces that its light is taken at
# A cell's word: its first probe above 12 bits, which ways have two probes, which ways have any.
FIRST_BIT, SPLIT_BIT = 12, 6
MOST_PROBES: Final = 1 << 20
# About so many, in cells of these sizes at least and at most [m].
WANTED, FINEST_M, COARSEST_M = 33_000, 0.3, 4.0
# How far over and under where most of it is, a level may go on [m].
MOST_BEYOND_M: Final = 20.0
# Of the cell's size: how far before its surfaces two probes look at each other.
OVER: Final = 0.1
# Times that places which the first does not see are looked at from others.
ROUNDS: Final = 6
# Of a probe's links that to itself; how many are looked at for one that stands in its place.
OWN_LINK, NEARBY = 13, 12
# Ways that a surface may be taken to face: as far as it does so by this cosine.
LEAST_FACING: Final = 0.1
OFFSETS: Final = np.stack(np.meshgrid(*[(-1, 0, 1)] * 3, indexing="ij"), axis=-1).reshape(-1, 3)[
    :, ::-1
]  # x runs fastest
WAYS: Final = normalised(np.concatenate([OFFSETS[:13], OFFSETS[14:]]).astype(np.float64))
# Most walls stand along the axes: others must part places by so much more.
LIKELY: Final = (WAYS**4).sum(axis=1)


@dataclass(frozen=True)
class Probes:
    """N probes.

    low, step : (3,) corner of the first cell, and the size of all [m]
    cells   : (X, Y, Z) uint32 words; 0: none near
    planes  : (N, 4) of two probes that share a side: places with p . xyz > w, of either, are the second's
    places, normals : (N, 3) of their surfaces' middle
    samples, faces  : (N, PLACES, 3) places on their surfaces, and which way those face there
    links   : (N, 27) neighbours that each sees, by offset, x fastest; -1: none
    albedo, glow : (N, 3) share of even light that is sent back, own luminance [cd/m2] of the means
    area    : (N,) of the surfaces that each stands for [m2]
    part    : (N,) of the level, for the lamp that its glow follows
    goes_on : (2, 3) whether the level goes on beyond the cells, below and above by axis
    """

    low: NDArray[np.float64]
    step: float
    cells: NDArray[np.uint32]
    planes: NDArray[np.float32]
    places: NDArray[np.float32]
    normals: NDArray[np.float32]
    samples: NDArray[np.float32]
    faces: NDArray[np.float32]
    links: NDArray[np.int32]
    albedo: NDArray[np.float32]
    glow: NDArray[np.float32]
    area: NDArray[np.float32]
    part: NDArray[np.int32]
    goes_on: NDArray[np.bool_]

    def __len__(self) -> int:
        return len(self.places)

    @property
    def firsts(self) -> NDArray[np.int64]:
        """(K,) probes that share a side of their cell with the next one."""
        words = np.unique(self.cells[self.cells > 0]).astype(np.int64)
        out = []
        for facing in range(FACINGS):
            below = (1 << facing) - 1
            first = (words >> FIRST_BIT) + _bits(words & below) + _bits((words >> SPLIT_BIT) & below)
            out.append(first[(words >> (SPLIT_BIT + facing)) & 1 > 0])
        return np.concatenate(out)

    def without(self, gone: NDArray[np.bool_]) -> "Probes":
        """The same, but those that lie inside bodies stand for no surface, and no other is linked to them."""
        planes, links = self.planes.copy(), self.links.copy()
        first = self.firsts
        # Of two on one side the other then stands for all of it.
        planes[first[gone[first + 1]], 3] = np.inf
        planes[first[gone[first + 1]] + 1, 3] = np.inf
        planes[first[gone[first]], 3] = -np.inf
        links[gone[np.maximum(links, 0)] & (links >= 0)] = NO_PROBE
        links[gone, OWN_LINK] = self._nearest(~gone, np.flatnonzero(gone))
        return replace(self, planes=planes, links=links)

    def _nearest(self, there: NDArray[np.bool_], rows: NDArray[np.int64]) -> NDArray[np.int32]:
        """(K,) for some probes the nearest of those that are there and face about as they do."""
        others = np.flatnonzero(there)
        out = np.full(len(rows), NO_PROBE, np.int32)
        if not len(others) or not len(rows):
            return out
        away, near = cKDTree(self.places[others]).query(self.places[rows], k=min(NEARBY, len(others)))
        near = others[near.reshape(len(rows), -1)]
        fits = np.einsum("nkc,nc->nk", self.normals[near], self.normals[rows]) > 0.5
        fits &= away.reshape(fits.shape) < 2.0 * self.step
        found = fits.any(axis=1)
        out[found] = near[found, fits[found].argmax(axis=1)]
        return out

    def cell_of(self, points: Floats, normals: Floats) -> tuple[NDArray[np.int64], NDArray[np.bool_]]:
        """(N, 3) cells of surfaces, and whether they lie within. Twin: shaders/include/probes.glsl."""
        cell = np.floor((points + normals * BEFORE_M - self.low) / self.step).astype(np.int64)
        counts = np.array(self.cells.shape)
        within = np.asarray(((cell >= 0) & (cell < counts)).all(axis=1))
        return np.clip(cell, 0, counts - 1), within

    def find(self, points: Floats, normals: Floats, strict: bool = False) -> NDArray[np.int64]:
        """(N,) the probe that stands for each surface (N, 3) with normals (N, 3); NO_PROBE where none does.
        strict : none of another side either. Twin: shaders/include/probes.glsl."""
        cell, within = self.cell_of(points, normals)
        words = self.cells[cell[:, 0], cell[:, 1], cell[:, 2]].astype(np.int64) * within
        out = np.full(len(points), NO_PROBE, np.int64)
        steep = np.argsort(-np.abs(normals), axis=1)
        rows = np.arange(len(points))
        for turn in range(3):
            axis = steep[:, turn]
            along = normals[rows, axis]
            facing = 2 * axis + (along < 0.0)
            there = (words >> facing) & 1
            fits = (out == NO_PROBE) & (there > 0) & (np.abs(along) > (LEAST_FACING if turn else 0.0))
            found = np.flatnonzero(fits)
            out[found] = self._numbered(words[found], facing[found], points[found])
        rest = np.flatnonzero((out == NO_PROBE) & (words > 0) & (not strict))
        out[rest] = words[rest] >> FIRST_BIT  # whichever there is
        return out

    def _numbered(
        self, words: NDArray[np.int64], facing: NDArray[np.int64], points: Floats
    ) -> NDArray[np.int64]:
        """The probe of a side of cells, the one of two on whose part points lie."""
        below = (1 << facing) - 1
        first = (words >> FIRST_BIT) + _bits(words & below) + _bits((words >> SPLIT_BIT) & below)
        two = np.flatnonzero((words >> (SPLIT_BIT + facing)) & 1)
        beyond = np.zeros(len(two), dtype=bool)
        for row in (first[two], first[two] + 1):
            plane = self.planes[row]
            beyond |= dots(points[two], plane[:, :3]) > plane[:, 3]
        first[two] += beyond
        return first


def _bits(words: NDArray[np.int64]) -> NDArray[np.int64]:
    """How many of the lowest six bits are set."""
    return np.sum([(words >> k) & 1 for k in range(FACINGS)], axis=0, dtype=np.int64)


def _room(rays: RayScene, bounds: NDArray[np.float64]) -> NDArray[np.float64]:
    """(2, 3) where probes lie: where most of the level is, from bottom to top of what stands there."""
    box = focus(rays, bounds)
    flat = rays.triangles
    if not len(flat.faces):
        return box
    built = flat.faces[built_of(rays)]
    middles = flat.positions[built].mean(axis=1)
    over = ((middles >= box[0]) & (middles <= box[1]))[:, [0, 2]].all(axis=1)
    heights = flat.positions[built[over], 1]
    low = max(float(heights.min(initial=box[0, 1])), box[0, 1] - MOST_BEYOND_M)
    high = min(float(heights.max(initial=box[1, 1])), box[1, 1] + MOST_BEYOND_M)
    return np.array([[box[0, 0], low, box[0, 2]], [box[1, 0], high, box[1, 2]]])


def cell_size(area: float) -> float:
    """Size of cells for so much surface [m2] that about as many probes as are wanted fit."""
    return float(np.clip(np.sqrt(1.15 * area / WANTED), FINEST_M, COARSEST_M))


def place_probes(
    rays: RayScene, tables: SurfaceTables, bounds: NDArray[np.float64], seed: int = 1
) -> Iterator[Probes | None]:
    """Place the probes of a level; stops after each part of the work with None, and ends with them."""
    box = _room(rays, bounds)
    rng = np.random.default_rng(seed)
    step, low = 0.0, box[0] - ROOM_M
    found: Samples | None = None
    for made in scatter(rays, tables, box, cell_size, rng):
        if isinstance(made, float):
            step = made
        else:
            found = made
        yield None
    assert found is not None
    counts = np.ceil((box[1] + ROOM_M - low) / step).astype(int)
    groups, found = by_cell(found, low, step, counts)
    if not len(groups):
        return  # nothing here is large enough, or seen
    yield None
    found, groups, second, planes = _split(rays, found, groups, OVER * step)
    yield None
    probes = _made(found, groups, second, planes, low, step, counts)
    yield None
    links = np.full((len(probes), 27), NO_PROBE, np.int32)
    for number in range(27):
        links[:, number] = _linked(rays, probes, OFFSETS[number])
        if number % 9 == 0:
            yield None
    cells = _dilated(probes.cells)
    goes_on = np.stack([bounds[0] < box[0] - ROOM_M, bounds[1] > box[1] + ROOM_M])
    yield replace(probes, links=links, cells=cells, goes_on=goes_on)


def _split(
    rays: RayScene, found: Samples, groups: NDArray[np.int64], over: float
) -> tuple[Samples, NDArray[np.int64], NDArray[np.bool_], NDArray[np.float32]]:
    """Samples that the first of their group does not see are another's. Returns them in order, their groups,
    which are the second's, and the planes (G, 2, 4) of those groups that have two, in their order."""
    first = np.flatnonzero(np.r_[True, groups[1:] != groups[:-1]])
    size = np.diff(np.r_[first, len(groups)])
    begin, every = np.repeat(first, size), np.arange(len(groups))
    second = _hidden(rays, found, begin, every, over)
    # Who is seen by one of the first's is with them: about a corner not all see each other.
    rng = np.random.default_rng(1)
    for _ in range(ROUNDS):
        left = np.flatnonzero(second)
        by = begin[left] + (rng.random(len(left)) * np.repeat(size, size)[left]).astype(np.int64)
        left, by = left[~second[by]], by[~second[by]]
        second[left] = _hidden(rays, found, by, left, over)
    planes = []
    for start, count in zip(first.tolist(), size.tolist(), strict=True):
        rows = slice(start, start + count)
        if second[rows].any():
            made, turned = _planes(found.places[rows], second[rows])
            second[rows] ^= turned
            planes.append(made)
    order = np.lexsort((second, groups))
    return found.only(order), groups[order], second[order], np.array(planes, np.float32).reshape(-1, 2, 4)


def _hidden(
    rays: RayScene, found: Samples, a: NDArray[np.int64], b: NDArray[np.int64], over: float
) -> NDArray[np.bool_]:
    """Whether something stands between samples, seen from a little before their surfaces."""
    start = found.places[a] + found.normals[a] * over
    way = found.places[b] + found.normals[b] * over - start
    length = np.sqrt(dots(way, way))
    out = np.zeros(len(a), dtype=bool)
    rows = np.flatnonzero(length > 1e-3)
    ways = way[rows] / length[rows, None]
    out[rows] = rays.blocked(start[rows], ways.astype(np.float32), length[rows].astype(np.float32))
    return out


def _made(
    found: Samples,
    groups: NDArray[np.int64],
    second: NDArray[np.bool_],
    parting: NDArray[np.float32],
    low: NDArray[np.float64],
    step: float,
    counts: NDArray[np.int64],
) -> Probes:
    """Probes of sorted samples, not linked yet."""
    key = groups * 2 + second
    first = np.flatnonzero(np.r_[True, key[1:] != key[:-1]])[:MOST_PROBES]
    size = np.diff(np.r_[first, len(key)])
    number = len(first)

    area = np.add.reduceat(found.area, first)

    def mean(values: Floats) -> NDArray[np.float32]:
        weighed = np.add.reduceat(values * found.area[:, None], first, axis=0)
        return (weighed / area[:, None]).astype(np.float32)

    turn = first[:, None] + np.arange(PLACES) % size[:, None]
    places, normals = mean(found.places), normalised(mean(found.normals)).astype(np.float32)
    own, two = groups[first], second[first]
    cells = np.zeros(int(np.prod(counts)), np.uint32)
    cell, facing = own // FACINGS, own % FACINGS
    begins = np.flatnonzero(np.r_[True, cell[1:] != cell[:-1]])
    bits = np.where(two, 1 << (SPLIT_BIT + facing), 1 << facing)
    words = np.bitwise_or.reduceat(bits, begins) | (begins.astype(np.int64) << FIRST_BIT)
    cells[cell[begins]] = words.astype(np.uint32)
    planes = np.zeros((number, 4), np.float32)
    pairs = np.flatnonzero(two)
    planes[pairs - 1], planes[pairs] = parting[: len(pairs), 0], parting[: len(pairs), 1]
    return Probes(
        low,
        step,
        cells.reshape(counts),
        planes,
        places,
        normals,
        found.places[turn].astype(np.float32),
        found.normals[turn].astype(np.float32),
        np.zeros((number, 27), np.int32),
        mean(found.albedo),
        mean(found.glow),
        area.astype(np.float32),
        found.part[first],
        np.zeros((2, 3), dtype=bool),
    )


def _planes(places: Floats, second: NDArray[np.bool_]) -> tuple[Floats, bool]:
    """(2, 4) planes that part places (M, 3) from those that are the second's, and whether these change parts:
    one plane does across a wall, two about the corner of a room."""
    tries = [
        (turned, *_parted(places[second == turned], places[second != turned])) for turned in (False, True)
    ]
    turned, planes, _ = max(tries, key=lambda one: one[2])
    return planes, turned


def _parted(inner: Floats, outer: Floats) -> tuple[Floats, float]:
    """(2, 4) planes before which all of `inner` lies, and beyond which as much of `outer` as can be; and how
    much that is, with a little for the room between. Ways along the axes and between, where walls stand."""
    inner_ends, along = (inner @ WAYS.T).max(axis=0), outer @ WAYS.T
    planes, left, room = np.tile([0.0, 0.0, 0.0, np.inf], (2, 1)), np.ones(len(outer), dtype=bool), 0.0
    for number in range(2):
        beyond = (along > inner_ends + 1e-4) & left[:, None]
        nearest = np.where(beyond, along, np.inf).min(axis=0)
        gaps = np.where(np.isfinite(nearest), nearest - inner_ends, 0.0)
        best = int((beyond.sum(axis=0) + np.minimum(gaps * LIKELY, 0.9)).argmax())
        if not beyond[:, best].any():
            break
        planes[number] = *WAYS[best], inner_ends[best] + 0.5 * gaps[best]
        left, room = left & ~beyond[:, best], room + gaps[best]
    return planes, float((~left).sum() / len(outer) + 0.01 * min(room, 1.0))


def _linked(rays: RayScene, probes: Probes, offset: NDArray[np.int64]) -> NDArray[np.int32]:
    """(N,) the neighbour of each probe in the cell at an offset that it sees and that faces as it does."""
    count = len(probes)
    out = np.full(count, NO_PROBE, np.int32)
    if not offset.any():
        return np.arange(count, dtype=np.int32)
    cell, _ = probes.cell_of(probes.places, probes.normals)
    there = cell + offset
    within = np.flatnonzero(((there >= 0) & (there < probes.cells.shape)).all(axis=1))
    words = probes.cells[tuple(there[within].T)].astype(np.int64)
    axis = np.abs(probes.normals[within]).argmax(axis=1)
    facing = 2 * axis + (probes.normals[within, axis] < 0.0)
    has = np.flatnonzero((words >> facing) & 1)
    within, words, facing = within[has], words[has], facing[has]
    normals, places = probes.normals[within], probes.places[within]
    below = (1 << facing) - 1
    first = (words >> FIRST_BIT) + _bits(words & below) + _bits((words >> SPLIT_BIT) & below)
    two = (words >> (SPLIT_BIT + facing)) & 1
    over = OVER * probes.step
    start = places + normals * over
    for second in (0, 1):
        rows = np.flatnonzero((out[within] == NO_PROBE) & (two >= second))
        other = first[rows] + second
        way = probes.places[other] + probes.normals[other] * over - start[rows]
        length = np.maximum(np.sqrt(dots(way, way)), 1e-4)
        ways = (way / length[:, None]).astype(np.float32)
        free = ~rays.blocked(start[rows], ways, length.astype(np.float32))
        free &= dots(normals[rows], probes.normals[other]) > 0.5
        out[within[rows[free]]] = other[free]
    return out


def _dilated(cells: NDArray[np.uint32]) -> NDArray[np.uint32]:
    """Cells without probes read those of a neighbour: what is shaded may lie beside what was found."""
    out = cells.copy()
    padded = np.pad(cells, 1)
    x, y, z = cells.shape
    for dx, dy, dz in sorted(OFFSETS.tolist(), key=lambda one: sum(map(abs, one))):
        beside = padded[1 + dx : 1 + dx + x, 1 + dy : 1 + dy + y, 1 + dz : 1 + dz + z]
        out = np.where(out == 0, beside, out)
    return out
