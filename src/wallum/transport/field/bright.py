"""Surfaces far brighter than those that see them, as a sunlit stair seen through the door of a vault.

Of a probe's few rays one in many meets them, so that by its rays one probe has all of their light and its
neighbours have none. What they give each is found by a ray to each.
"""

from typing import Final

import numpy as np
from numpy.typing import NDArray
from scipy.sparse import csr_matrix

from wallum.physics.arrays import Floats, dots
from wallum.transport.field.glow import shares_of
from wallum.transport.field.probes import Probes
from wallum.transport.scene.rays import RayScene

__all__ = ["bright_light"]

# A surface is bright for a probe that would have more than this of all its light by one ray that meets it.
BRIGHT: Final = 0.5
# Light that is less than this of all that a probe has is left to its rays, and so are surfaces that so many
# of them meet.
WORTH, OFTEN = 0.02, 8.0
# Probes of whose rays so many meet what is bright, in the mean of those about, know of it as it is.
SELDOM: Final = 3.0
# Light that is less than this of all that comes straight, in the mean, is not looked for.
DARKEST: Final = 2.0**-14
# Probes of a block so wide see alike, as far as it is asked whether any of them sees another block [m].
BLOCK_M: Final = 2.5
# At most so many bright probes and pairs are looked at, those that matter most.
MAX_BRIGHT, MAX_PAIRS = 1000, 60_000

Pairs = tuple[NDArray[np.int64], NDArray[np.int64]]


def bright_light(
    rays: RayScene,
    probes: Probes,
    others: csr_matrix,
    smooth: csr_matrix,
    each: int,
    straight: NDArray[np.float32],
    sent: NDArray[np.float32],
) -> NDArray[np.float32]:
    """(N, 3) by how much light that has met one surface is more, at N probes, than their rays say [lx]; less
    where a ray met by chance what is bright.

    others : (N, N) what rays say; smooth : see bounce.py; each : rays of a probe
    straight : (N,) illuminance straight from the source; sent : (N, 3) what each sends back of it [lx]
    """
    out = np.zeros((len(probes), 3), np.float32)
    power = np.asarray(sent.mean(axis=1))
    by_one = power / np.float32(each)
    smallest = max(DARKEST * float(straight.mean()), 1e-9)
    has = np.maximum(smooth @ (others @ power + straight), np.float32(smallest))
    to, by = _pairs(probes, others, smooth, by_one, has)
    share = probes.area[by] * _facing(probes, to, by)
    worth = share * power[by] / has[to]
    chosen = np.flatnonzero((worth > WORTH) & (share * each < OFTEN))
    if len(chosen) > MAX_PAIRS:
        chosen = chosen[np.argpartition(-worth[chosen], MAX_PAIRS)[:MAX_PAIRS]]
    to, by = to[chosen], by[chosen]
    if not len(to):
        return out
    share = shares_of(
        rays, probes.places[by], probes.normals[by], probes.area[by], probes.places[to], probes.normals[to]
    )
    share = share - np.asarray(others[to, by]).ravel()
    for channel in range(3):
        out[:, channel] = np.bincount(to, share * sent[by, channel], len(probes))
    return out


def _pairs(probes: Probes, others: csr_matrix, smooth: csr_matrix, by_one: Floats, has: Floats) -> Pairs:
    """Pairs of a probe and of one that is bright for it, in blocks of which a ray has met the other."""
    dim = np.flatnonzero(has * BRIGHT < by_one.max(initial=0.0))
    if not len(dim):
        return dim, dim
    met = others[dim].tocoo()
    bright = by_one[met.col] > BRIGHT * has[dim[met.row]]
    to, by = dim[met.row[bright]], met.col[bright]
    rays_met = smooth @ np.bincount(to, minlength=len(probes)).astype(np.float32)
    dim = dim[rays_met[dim] < SELDOM]
    if not len(dim):
        return dim, dim
    seldom = np.zeros(len(probes), dtype=bool)
    seldom[dim] = True
    sources = np.flatnonzero(by_one > BRIGHT * has[dim].min())
    # By rays of either: what sees is seen.
    meets = others[sources].tocoo()
    to, by = np.concatenate([to, meets.col]), np.concatenate([by, sources[meets.row]])
    bright = seldom[to] & (by_one[by] > BRIGHT * has[to])
    to, by = to[bright], by[bright]
    # Those that few rays make much of.
    matter = np.bincount(by, by_one[by] / has[to], len(probes))
    sources = np.argsort(-matter, kind="stable")[: min(MAX_BRIGHT, np.count_nonzero(matter))]
    block = _blocks(probes)
    linked = np.unique(np.stack([block[to], block[by]], axis=1), axis=0)
    to, by = _products(linked, (dim, block[dim]), (sources, block[sources]))
    selected = by_one[by] > BRIGHT * has[to]
    return to[selected], by[selected]


def _blocks(probes: Probes) -> NDArray[np.int64]:
    """(N,) a number of the block that each lies in."""
    cell = np.floor((probes.places - probes.places.min(axis=0)) / BLOCK_M).astype(np.int64)
    size = cell.max(axis=0) + 1
    return np.asarray((cell[:, 0] * size[1] + cell[:, 1]) * size[2] + cell[:, 2])


def _products(linked: NDArray[np.int64], first: Pairs, second: Pairs) -> Pairs:
    """All pairs of members of the blocks (B, 2) that are linked; first, second : numbers and their blocks."""
    starts, counts, members = [], [], []
    for (numbers, block), wanted in zip((first, second), linked.T, strict=True):
        order = np.argsort(block, kind="stable")
        start = np.searchsorted(block[order], wanted)
        starts.append(start)
        counts.append(np.searchsorted(block[order], wanted, side="right") - start)
        members.append(numbers[order])
    products = counts[0] * counts[1]
    own = np.repeat(np.arange(len(linked)), products)
    number = np.arange(products.sum()) - np.repeat(np.cumsum(products) - products, products)
    row, column = np.divmod(number, np.maximum(counts[1], 1)[own])
    return members[0][starts[0][own] + row], members[1][starts[1][own] + column]


def _facing(probes: Probes, to: NDArray[np.int64], by: NDArray[np.int64]) -> Floats:
    """(P,) what a square metre of a probe's surface fills of another's view, were nothing between."""
    offsets = probes.places[by] - probes.places[to]
    squared = np.maximum(dots(offsets, offsets), 1e-6)
    own, its = dots(offsets, probes.normals[to]), -dots(offsets, probes.normals[by])
    return np.asarray(np.maximum(own, 0.0) * np.maximum(its, 0.0) / (np.pi * squared * squared))
