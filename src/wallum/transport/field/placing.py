"""Where the probes of a level are placed."""

from collections.abc import Iterator
from dataclasses import replace
from typing import Final

import numpy as np
from numpy.typing import NDArray

from wallum.moment.probe_boxes import ProbeBox
from wallum.physics.arrays import Floats, normalised
from wallum.physics.colour import luminance
from wallum.transport.field.cells import FACINGS, Cells, cells_within
from wallum.transport.field.extent import built_of, focus
from wallum.transport.field.links import OVER, linked
from wallum.transport.field.packed_cells import dilated, leaf_words, packed
from wallum.transport.field.probes import NO_PROBE, PLACES, Probes
from wallum.transport.field.scattering import ROOM_M, Samples, by_cell, scatter
from wallum.transport.field.split_by_occluders import parted
from wallum.transport.scene.rays import RayScene
from wallum.transport.scene.surface_tables import SurfaceTables

__all__ = ["WANTED", "place_probes"]

MAX_PROBES: Final = 1 << 20
# About so many, in cells of these sizes at least and at most [m].
WANTED, FINEST_M, COARSEST_M = 33_000, 0.3, 4.0
# How far over and under where most of it is, a level may go on [m].
MAX_BEYOND_M: Final = 20.0


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
    low = max(float(heights.min(initial=box[0, 1])), box[0, 1] - MAX_BEYOND_M)
    high = min(float(heights.max(initial=box[1, 1])), box[1, 1] + MAX_BEYOND_M)
    return np.array([[box[0, 0], low, box[0, 2]], [box[1, 0], high, box[1, 2]]])


def cell_size(area: float) -> float:
    """Size of cells for so much surface [m2] that about as many probes as are wanted fit."""
    return float(np.clip(np.sqrt(1.15 * area / WANTED), FINEST_M, COARSEST_M))


def place_probes(
    rays: RayScene,
    tables: SurfaceTables,
    bounds: NDArray[np.float64],
    boxes: tuple[ProbeBox, ...] = (),
    seed: int = 1,
) -> Iterator[Probes | None]:
    """Place the probes of a level; stops after each part of the work with None, and ends with them.

    boxes : where the artist wants them closer, or none
    """
    box = _room(rays, bounds)
    rng = np.random.default_rng(seed)
    room = np.stack([box[0] - ROOM_M, box[1] + ROOM_M])
    cells: Cells | None = None
    result: Samples | None = None
    for item in scatter(rays, tables, box, lambda area: cells_within(room, cell_size(area), boxes), rng):
        if isinstance(item, Cells):
            cells = item
        else:
            result = item
        yield None
    assert result is not None
    assert cells is not None
    groups, result = by_cell(result, cells)
    if not len(groups):
        return  # nothing here is large enough, or seen
    yield None
    result, groups, second, planes = parted(rays, result, groups, OVER * cells.sizes(groups // FACINGS))
    yield None
    probes, words, leaves = _made(result, groups, second, planes, cells)
    yield None
    links = np.full((len(probes), 27), NO_PROBE, np.int32)
    for number in range(27):
        links[:, number] = linked(rays, probes, cells, leaves, number)
        if number % 9 == 0:
            yield None
    whole, parts = packed(cells, dilated(cells, words))
    goes_on = np.stack([bounds[0] < box[0] - ROOM_M, bounds[1] > box[1] + ROOM_M])
    yield replace(probes, links=links, cells=whole, parts=parts, goes_on=goes_on)


def _shining(
    found: Samples, first: NDArray[np.int64]
) -> tuple[NDArray[np.float32], NDArray[np.float32], NDArray[np.float32]]:
    """Of groups of samples that begin at `first`, some that glow, which stand for as much light each: where
    they lie and which way they face (K, PLACES, 3); and the area of all (K,): beside embers in a cell lies
    dull ground, which is not to be seen."""
    power = found.area * luminance(found.glow.astype(np.float64))
    whole = np.add.reduceat(power, first)
    squares = np.add.reduceat(power**2 / np.maximum(found.area, 1e-12), first)
    ends = np.cumsum(power)
    parts = (np.arange(PLACES) + 0.5) / PLACES
    chosen = np.searchsorted(ends, (ends[first] - power[first])[:, None] + whole[:, None] * parts)
    chosen = np.clip(chosen, first[:, None], np.r_[first[1:], len(power)][:, None] - 1)
    shape = len(first), PLACES, 3
    places, normals = found.places[chosen.ravel()], normalised(found.normals[chosen.ravel()])
    area = np.where(whole > 0.0, whole**2 / np.maximum(squares, 1e-12), 0.0).astype(np.float32)
    return places.reshape(shape).astype(np.float32), normals.reshape(shape).astype(np.float32), area


def _of_parts(found: Samples, first: NDArray[np.int64]) -> NDArray[np.int32]:
    """(K,) of groups of samples that begin at `first`, the part of the level that most of their glow is of:
    ground beside embers glows as those do, by their lamp. Of what does not glow, any."""
    power = found.area * luminance(found.glow.astype(np.float64))
    shining = np.flatnonzero(power > 0.0)
    group = np.searchsorted(first, shining, side="right") - 1
    own = np.stack([group, found.part[shining]], axis=1)
    pairs, of = np.unique(own, axis=0, return_inverse=True)
    order = np.argsort(np.bincount(of.ravel(), power[shining], len(pairs)))
    out = np.array(found.part[first])
    out[pairs[order, 0]] = pairs[order, 1]  # the greatest comes last, and stays
    return out


def _made(
    found: Samples,
    groups: NDArray[np.int64],
    second: NDArray[np.bool_],
    parting: NDArray[np.float32],
    cells: Cells,
) -> tuple[Probes, NDArray[np.int64], NDArray[np.int64]]:
    """Probes of sorted samples, not linked yet; the words of all leaves; and each probe's leaf."""
    key = groups * 2 + second
    first = np.flatnonzero(np.r_[True, key[1:] != key[:-1]])[:MAX_PROBES]
    size = np.diff(np.r_[first, len(key)])
    number = len(first)

    area = np.add.reduceat(found.area, first)

    def mean(values: Floats) -> NDArray[np.float32]:
        weighed = np.add.reduceat(values * found.area[:, None], first, axis=0)
        return (weighed / area[:, None]).astype(np.float32)

    turn = first[:, None] + np.arange(PLACES) % size[:, None]
    places, normals = mean(found.places), normalised(mean(found.normals)).astype(np.float32)
    own, two = groups[first], second[first]
    words = leaf_words(own // FACINGS, own % FACINGS, two, int(cells.begins[-1]))
    planes = np.zeros((number, 4), np.float32)
    pairs = np.flatnonzero(two)
    planes[pairs - 1], planes[pairs] = parting[: len(pairs), 0], parting[: len(pairs), 1]
    probes = Probes(
        cells.low,
        cells.step,
        *packed(cells, words),
        planes,
        places,
        normals,
        found.places[turn].astype(np.float32),
        found.normals[turn].astype(np.float32),
        np.zeros((number, 27), np.int32),
        mean(found.albedo),
        mean(found.glow),
        area.astype(np.float32),
        *_shining(found, first),
        _of_parts(found, first),
        np.zeros((2, 3), dtype=bool),
    )
    return probes, words, own // FACINGS
