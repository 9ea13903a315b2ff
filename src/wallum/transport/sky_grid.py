"""How much of the sky is seen from where in the level: a coarse grid of probes.

Each probe sends rays in all directions. Where one leaves the level it sees the sky, or far
ground; where it comes down on a surface, it sees ground that is as open to the sky as the
grid itself says there. That stands in for light that was reflected, until it is computed.

What is seen is kept as six shares: what surfaces facing the six axes would get of an even
sky's light, weighted by the cosine as light is. A surface that faces between them mixes three
by the squares of its normal (which sum to 1). Harmonics of order 1 were tried and lose a
quarter of the light on floors under a narrow sky.
"""

import hashlib
from collections.abc import Callable, Iterator
from dataclasses import dataclass, replace
from pathlib import Path
from typing import Final

import numpy as np
from numpy.typing import NDArray
from scipy.ndimage import maximum_filter, uniform_filter

from wallum.errors import ValueProblem
from wallum.files import written_whole
from wallum.physics.arrays import Floats
from wallum.physics.colour import luminance
from wallum.physics.emitters import halton
from wallum.transport.rays import RayScene

__all__ = ["GridMaker", "SkyGrid", "built_of", "focus", "grid_key", "load_grid", "make_grid", "save_grid"]

# Of a kept grid, unpacked.
MOST_KEPT_BYTES: Final = 1 << 30
VERSION: Final = 10
RAYS: Final = 64
# Where little of the sky is seen, so few rays would find an opening or miss it by chance.
MORE_RAYS: Final = 512
LITTLE, NEXT_TO_NONE = 0.2, 0.002
# About this many probes; the cells are cubes where the level allows it.
PROBES: Final = 26_000
LARGEST: Final = 64
BATCH: Final = 384  # probes at once: small steps keep the window's thread free
# A probe that sees more backs of surfaces than this sits inside something.
INSIDE_SHARE: Final = 0.3
NO_PROBE: Final = -1.0
# What sees so little lies in a closed room; neighbours that see about as much need not be told apart. Where
# it is looked, beside two places, whether anything gets past what stands between them: in steps of the grid.
CLOSED, ALIKE = 0.08, 0.02
BESIDE: Final = np.array(
    [(0.23, 0.31, -0.17), (-0.29, 0.13, 0.27), (0.11, -0.27, 0.33), (-0.19, -0.21, -0.31)]
)


@dataclass(frozen=True)
class SkyGrid:
    """values : (X, Y, Z, 6) float16: shares seen toward +x, -x, +y, -y, +z, -z; -1: inside a body
    low, step : (3,) place of the first probe and the way to the next [m]
    air : (X, Y, Z) float16 how open the air is about each probe, see `air_openness`"""

    values: NDArray[np.float16]
    low: NDArray[np.float64]
    step: NDArray[np.float64]
    air: NDArray[np.float16]

    def at(self, points: Floats, normals: Floats) -> NDArray[np.float64]:
        """(N, 6) shares seen around surfaces (N, 3) with normals (N, 3).

        Twin: shaders/sky_visibility.frag.glsl.
        """
        last = np.array(self.values.shape[:3]) - 1
        place = np.clip((points + normals * 0.3 * self.step - self.low) / self.step, 0.0, last)
        first = np.minimum(place.astype(int), last - 1)
        f = place - first
        total = np.zeros(len(points))
        out = np.zeros((len(points), 6))
        for corner in np.ndindex(2, 2, 2):
            cell = first + corner
            probe = self.values[cell[:, 0], cell[:, 1], cell[:, 2]].astype(np.float64)
            side = np.where(np.array(corner) == 1, f, 1.0 - f).prod(axis=1)
            way = self.low + cell * self.step - points
            length = np.sqrt((way**2).sum(axis=1) + 1e-6)
            facing = np.maximum((way * normals).sum(axis=1) / length * 0.5 + 0.5, 0.0)
            weight = (side + 1e-4) * (facing**2 + 1e-3) * (probe[:, 0] >= 0.0)
            out += probe * weight[:, None]
            total += weight
        out /= np.maximum(total, 1e-30)[:, None]
        # Away from the grid all is open.
        beyond = np.maximum(self.low - points, points - (self.low + last * self.step)) / self.step
        away = np.clip(beyond.max(axis=1), 0.0, 1.0)[:, None]
        return out * (1.0 - away) + away

    def seen(self, points: Floats, normals: Floats) -> NDArray[np.float64]:
        """(N,) share of an even sky's light that falls on surfaces, 0 to 1."""
        shares = self.at(points, normals).reshape(-1, 3, 2)
        facing = np.where(normals > 0.0, shares[:, :, 0], shares[:, :, 1])
        return np.clip((facing * normals**2).sum(axis=1), 0.0, 1.0)


def grid_key(rays: RayScene) -> str:
    """What a grid depends on, as a short word: the geometry, and how grids are made."""
    digest = hashlib.sha256(f"sky grid {VERSION} {RAYS} {PROBES}".encode())
    for part in (rays.triangles.positions, rays.triangles.faces, rays.triangles.material):
        digest.update(np.ascontiguousarray(part).tobytes())
    digest.update(rays.veil_words.encode())
    return digest.hexdigest()[:20]


def _layout(
    bounds: NDArray[np.float64],
) -> tuple[tuple[int, int, int], NDArray[np.float64], NDArray[np.float64]]:
    """Numbers of probes, place of the first and step, for a level's bounds (2, 3)."""
    extent = np.maximum(bounds[1] - bounds[0], 0.5)
    size = (extent.prod() / PROBES) ** (1.0 / 3.0)
    counts = np.clip(np.ceil(extent / size).astype(int) + 1, 4, LARGEST)
    # What the longest sides may not have is given to the others.
    for _ in range(3):
        free = counts < LARGEST
        if not free.any():
            break
        size = (extent[free].prod() * np.prod(extent[~free] / LARGEST) / PROBES) ** (1.0 / 3.0)
        spare = PROBES / np.prod(counts[~free]) if (~free).any() else PROBES
        size = (extent[free].prod() / spare) ** (1.0 / free.sum())
        counts[free] = np.clip(np.ceil(extent[free] / size).astype(int) + 1, 4, LARGEST)
    # Half a step beyond the bounds, so that outer walls lie between probes.
    step = extent / (counts - 2)
    x, y, z = counts.tolist()
    return (x, y, z), bounds[0] - 0.5 * step, step


def _directions(turn: int, count: int = RAYS) -> NDArray[np.float64]:
    """(count, 3) directions spread evenly, each set turned on from the last."""
    up = 1.0 - 2.0 * (np.arange(count) + 0.5) / count
    around = 2.0 * np.pi * (np.arange(count) * 0.6180339887 + halton(turn, 1, 3)[0])
    flat = np.sqrt(1.0 - up * up)
    return np.stack([flat * np.cos(around), up, flat * np.sin(around)], axis=1)


def _fit(directions: NDArray[np.float64]) -> NDArray[np.float64]:
    """(N, 6) what each of N rays that sees light adds to the six shares."""
    facing = np.stack([np.maximum(directions, 0.0), np.maximum(-directions, 0.0)], axis=2)
    facing = facing.reshape(len(directions), 6)
    return np.asarray(facing / facing.sum(axis=0))


SETS: Final = 16
# Where the grid is laid: this share of the triangles at either end of an axis is let go of,
# where that saves so much room that the rest gains by it.
LEFT_OUT, WORTH_IT = 0.02, 0.5
# A part wider than this is land, and not what stands on it [m].
LAND_M = 100.0


def focus(rays: RayScene, bounds: NDArray[np.float64]) -> NDArray[np.float64]:
    """(2, 3) the part of a level's bounds where most of it is; far hills need no probes."""
    triangles = rays.triangles
    if not len(triangles.faces):
        return bounds
    middles = triangles.positions[triangles.faces].mean(axis=1)
    built = built_of(rays)
    middles = middles[built] if built.any() else middles
    low, high = np.quantile(middles, [LEFT_OUT, 1.0 - LEFT_OUT], axis=0)
    room = 0.06 * (high - low) + 0.5
    tight = np.stack([np.maximum(low - room, bounds[0]), np.minimum(high + room, bounds[1])])
    tight[1, 1] = max(tight[1, 1], min(bounds[1, 1], tight[0, 1] + 3.0))
    flat_all, flat_tight = (np.prod((box[1] - box[0])[[0, 2]]) for box in (bounds, tight))
    return tight if flat_tight < WORTH_IT * flat_all else bounds


def built_of(rays: RayScene) -> NDArray[np.bool_]:
    """(T,) which triangles belong to parts that are no land."""
    triangles = rays.triangles
    count = int(triangles.part.max()) + 1
    corners = triangles.positions[triangles.faces][:, :, [0, 2]]
    low, high = np.full((count, 2), np.inf), np.full((count, 2), -np.inf)
    np.minimum.at(low, triangles.part, corners.min(axis=1))
    np.maximum.at(high, triangles.part, corners.max(axis=1))
    wide = np.linalg.norm(high - low, axis=1)
    return np.asarray((wide < LAND_M)[triangles.part])


@dataclass(frozen=True)
class Look:
    """Sets of directions (S, R, 3), and what each adds to the six shares (S, R, 6)."""

    directions: NDArray[np.float64]
    fits: NDArray[np.float64]


@dataclass(frozen=True)
class Ground:
    """Where rays of a look come down: the probe and the direction (M,), places and normals (M, 3)."""

    look: Look
    probe: NDArray[np.int64]
    direction: NDArray[np.int64]
    places: NDArray[np.float32]
    normals: NDArray[np.float32]


class GridMaker:
    """Makes a grid in small steps, so that whoever drives it may pause or give up."""

    def __init__(self, rays: RayScene, bounds: NDArray[np.float64]) -> None:
        self._rays = rays
        self.counts, self._low, self._step = _layout(focus(rays, bounds))
        number = int(np.prod(self.counts))
        index = np.stack(np.unravel_index(np.arange(number), self.counts), axis=1)
        self._places = self._low + index * self._step
        sets = [_directions(turn) for turn in range(SETS)]
        self._few = Look(np.stack(sets), np.stack([_fit(one) for one in sets]))
        many = _directions(0, MORE_RAYS)
        self._many = Look(many[None], _fit(many)[None])
        self._ground = np.zeros((number, 6))
        self._sky = np.zeros((number, 6))
        self._inside = np.zeros(number, dtype=bool)
        self.done = 0.0
        self.grid: SkyGrid | None = None

    def steps(self) -> Iterator[None]:
        """Do the work; stops after each small part of it."""
        yield from self._all_of(self._few, np.arange(len(self._places)), BATCH, 0.0, 0.75)
        yield from self._all_of(self._many, self._dim(), BATCH * RAYS // MORE_RAYS, 0.75, 1.0)
        grid = self._grid(self._sky + self._ground)
        for air in air_openness(self._rays, grid):
            if air is not None:
                self.grid = replace(grid, air=air)
            yield
        self.done = 1.0

    def _all_of(
        self, look: "Look", probes: NDArray[np.int64], batch: int, begun: float, ended: float
    ) -> Iterator[None]:
        """What some probes see, of the sky and then of ground under it; `done` goes from one to the other."""
        found: list[Ground] = []
        parts = [probes[first : first + batch] for first in range(0, len(probes), batch)]
        for rows in parts:
            found.append(self._look(look, rows))
            self.done = begun + (ended - begun) * 0.7 * len(found) / len(parts)
            yield
        sky_only = self._grid(self._sky)
        self._ground[probes] = 0.0
        for count, ground in enumerate(found, start=1):
            self._add_ground(sky_only, ground)
            self.done = begun + (ended - begun) * (0.7 + 0.3 * count / len(parts))
            yield

    def _dim(self) -> NDArray[np.int64]:
        """Probes that see little light, or none while one beside them sees some."""
        inside = self._inside.reshape(self.counts)
        seen = (self._sky + self._ground).max(axis=1).reshape(self.counts)
        about = maximum_filter(np.where(inside, 0.0, seen), size=3, mode="nearest")
        return np.flatnonzero((seen < LITTLE) & (about > NEXT_TO_NONE) & ~inside)

    def _look(self, look: "Look", rows: NDArray[np.int64]) -> "Ground":
        """What a batch of probes sees of the sky; and where its rays come down on something."""
        turns = rows % len(look.directions)
        count = look.directions.shape[1]
        flat = look.directions[turns].reshape(-1, 3)
        origins = np.repeat(self._places[rows], count, axis=0)
        hits = self._rays.first_hit(origins, flat, veils=False)
        free = np.isinf(hits.distance).reshape(len(rows), count)
        seen = free.astype(np.float64)
        if self._rays.has_veils:
            through = self._rays.let_through(origins, flat, np.full(len(flat), np.inf, np.float32))
            seen *= luminance(through).reshape(seen.shape)
        self._sky[rows] = np.einsum("pr,prk->pk", seen, look.fits[turns])
        normals = self._rays.normals(hits)
        against = (normals * flat).sum(axis=1)
        material = self._rays.triangles.material[np.maximum(hits.triangle, 0)]
        backs = (against > 0.0) & ~self._rays.double_sided[material] & (hits.triangle >= 0)
        self._inside[rows] = backs.reshape(len(rows), count).mean(axis=1) > INSIDE_SHARE
        normals = np.where((against > 0.0)[:, None], -normals, normals)
        below = np.flatnonzero(~free.ravel() & (flat[:, 1] < 0.0) & (normals[:, 1] > 0.5))
        places = origins[below] + flat[below] * hits.distance[below, None]
        probe, direction = rows[below // count], below % count
        return Ground(look, probe, direction, places.astype(np.float32), normals[below].astype(np.float32))

    def _add_ground(self, grid: SkyGrid, ground: "Ground") -> None:
        if not len(ground.probe):
            return
        seen = grid.seen(ground.places.astype(np.float64), ground.normals.astype(np.float64))
        turns = ground.probe % len(ground.look.directions)
        np.add.at(self._ground, ground.probe, ground.look.fits[turns, ground.direction] * seen[:, None])

    def _grid(self, terms: NDArray[np.float64]) -> SkyGrid:
        values = terms.copy()
        values[self._inside] = NO_PROBE
        whole = values.reshape(*self.counts, 6).astype(np.float16)
        return SkyGrid(whole, self._low, self._step, whole.mean(axis=3))


def air_openness(rays: RayScene, grid: SkyGrid) -> Iterator[NDArray[np.float16] | None]:
    """How open the air is about each probe, in all directions together: (X, Y, Z), at last; None between.

    Between two of them it is what lies between theirs. So where a wall stands between a closed room and what
    lies beyond it, both are as dark as the room, and one inside a body as the darkest about it: no light of
    the one side gets into the air of the other. What lets some of it through, as slats do, is no wall.
    """
    counts = grid.values.shape[:3]
    own = np.asarray(grid.values, np.float32).mean(axis=3)
    there = np.asarray(grid.values)[..., 0] >= 0.0
    known = np.where(there, own, np.float32(0.0))
    about = uniform_filter(known, 3) / np.maximum(uniform_filter(there.astype(np.float32), 3), 1e-3)
    own = np.where(there, own, np.float32(1.0))
    out = np.where(there, own, about)
    places = grid.low + np.stack(np.meshgrid(*map(np.arange, counts), indexing="ij"), axis=-1) * grid.step
    # Of the 26 about each, one of each two that lie opposite.
    for offset in [one for one in np.ndindex(3, 3, 3) if one > (1, 1, 1)]:
        way = [one - 1 for one in offset]
        here = tuple(slice(max(0, -w), n - max(0, w)) for w, n in zip(way, counts, strict=True))
        beyond = tuple(slice(max(0, w), n - max(0, -w)) for w, n in zip(way, counts, strict=True))
        parted = ~(there[here] & there[beyond])
        closed = np.minimum(own[here], own[beyond]) < CLOSED
        doubt = np.nonzero(~parted & closed & (np.abs(own[here] - own[beyond]) > ALIKE))
        parted &= closed
        parted[doubt] = _walled(rays, places[here][doubt], places[beyond][doubt], grid.step)
        darker = np.where(parted, np.minimum(own[here], own[beyond]), np.float32(1.0))
        for side in (here, beyond):  # one after the other: they lie over each other
            out[side] = np.minimum(out[side], darker)
        yield None
    yield out.astype(np.float16)


def _walled(rays: RayScene, a: Floats, b: Floats, step: NDArray[np.float64]) -> NDArray[np.bool_]:
    """(N,) whether a wall stands between places (N, 3): nothing gets from one to the other, nor from places
    beside the one to those beside the other."""
    out = _between(rays, a, b)
    for shift in BESIDE * step:
        rows = np.flatnonzero(out)
        one, other = a[rows], b[rows]
        free = ~(_between(rays, one, one + shift) | _between(rays, other, other + shift))
        out[rows] = ~(free & ~_between(rays, one + shift, other + shift))
    return out


def _between(rays: RayScene, a: Floats, b: Floats) -> NDArray[np.bool_]:
    """(N,) whether anything stands between places (N, 3)."""
    way = b - a
    length = np.sqrt((way**2).sum(axis=1))
    toward = way / np.maximum(length, 1e-9)[:, None]
    return rays.blocked(a.astype(np.float32), toward.astype(np.float32), length.astype(np.float32))


def make_grid(
    rays: RayScene, bounds: NDArray[np.float64], keep_going: Callable[[float], bool] | None = None
) -> SkyGrid | None:
    """The grid of a level; None where `keep_going`, told the share done, said no."""
    maker = GridMaker(rays, bounds)
    for _ in maker.steps():
        if keep_going is not None and not keep_going(maker.done):
            return None
    return maker.grid


def save_grid(grid: SkyGrid, key: str, path: Path) -> None:
    """Keep a grid in a file; a cache that cannot be written is no misfortune. Raises OSError."""
    path.parent.mkdir(parents=True, exist_ok=True)
    with written_whole(path) as part, open(part, "r+b") as stream:
        np.savez_compressed(
            stream, values=grid.values, low=grid.low, step=grid.step, air=grid.air, key=np.array(key)
        )


def load_grid(path: Path, key: str) -> SkyGrid:
    """A kept grid. Raises ValueProblem where there is none for this geometry."""
    try:
        with open(path, "rb") as stream, np.load(stream, allow_pickle=False) as kept:
            if sum(one.file_size for one in kept.zip.infolist()) > MOST_KEPT_BYTES:
                raise ValueProblem("the kept sky grid is too large", str(path))
            if str(kept["key"]) == key and kept["values"].ndim == 4 and kept["values"].shape[3] == 6:
                air = kept["air"].astype(np.float16)
                if air.shape == kept["values"].shape[:3]:
                    return SkyGrid(kept["values"].astype(np.float16), kept["low"], kept["step"], air)
    except ValueProblem:
        raise
    except (OSError, ValueError, KeyError, EOFError, ImportError):
        pass
    except Exception as error:  # zipfile and numpy raise kinds of their own for broken files
        raise ValueProblem(f"the kept sky grid is broken: {error}", str(path)) from None
    raise ValueProblem("there is no sky grid for this level", str(path))
