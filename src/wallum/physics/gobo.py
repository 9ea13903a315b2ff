"""Gobos: patterns before a lamp, by the share of its light that they leave.

Twin: realtime/shaders/include/gobo.glsl. A pattern lies flat across the beam and repeats; places in it are in
repeats. Softened by any width it keeps its mean: edges are those of the pattern averaged over that width, so
that what is too fine to be seen comes to the open share.
"""

import math
from typing import Final

import numpy as np
from numpy.typing import NDArray

from wallum.physics.arrays import Floats

__all__ = ["COMES_BACK", "PATTERNS", "bars", "gobo_share", "leaves"]

# A gobo's number is its place here.
PATTERNS: Final = ("none", "slats", "panes", "leaves")
# Repeats after which a pattern that drifts is where it was.
COMES_BACK = 256.0
# No edge is sharper, in repeats: single precision could not follow it.
SHARPEST = 0.01
# Layers of leaves: their turns [rad], and how many cells each has for a repeat.
LAYERS: Final = ((-0.43, 1.0), (0.11, 0.75), (0.67, 1.25))
CELLS = 64  # of a layer along a side, after which its leaves come again
LEAF_WIDTH = 0.5  # over its length, where it has room


def bars(x: Floats, open_share: Floats, soft: Floats) -> Floats:
    """(N,) share of light that gets past bars at places (N,), in repeats: each opens from a whole number on,
    and is averaged over a width `soft` about the place."""
    soft = np.maximum(soft, SHARPEST)

    def opened(at: Floats) -> Floats:
        whole = np.floor(at)
        return np.asarray(whole * open_share + np.minimum(at - whole, open_share))

    return np.asarray((opened(x + 0.5 * soft) - opened(x - 0.5 * soft)) / soft)


def _hashed(column: Floats, row: Floats, layer: int) -> tuple[Floats, Floats, Floats]:
    """Three numbers in 0..1 for each cell of a layer."""
    x = column.astype(np.int64).astype(np.uint32) & np.uint32(CELLS - 1)
    y = row.astype(np.int64).astype(np.uint32) & np.uint32(CELLS - 1)
    h = x * np.uint32(1597334677) ^ y * np.uint32(3812015801) ^ np.uint32((layer * 2654435769) & 0xFFFFFFFF)
    h = (h ^ (h >> np.uint32(15))) * np.uint32(2246822519)
    h = (h ^ (h >> np.uint32(13))) * np.uint32(3266489917)
    h = h ^ (h >> np.uint32(16))
    parts = [(h >> np.uint32(shift)) & np.uint32(1023) for shift in (0, 10, 20)]
    first, second, third = (part.astype(column.dtype) / 1023.0 for part in parts)
    return first, second, third


def leaves(across: Floats, along: Floats, drifted: Floats, open_share: Floats, soft: Floats) -> Floats:
    """(N,) share of light that gets past leaves at places (N,), (N,), in repeats; each layer has drifted its
    own way.

    Each of three turned lattices has an ellipse in each of its cells, placed and turned by chance and wholly
    within it: it hides what leaves the cube root of the open share. An edge falls evenly by the square of the
    distance in half sizes, from 1 - e to 1 + e, which keeps the ellipse's area; softer than a cell has room
    for, it is blended with its mean.
    """
    hidden = 1.0 - np.cbrt(open_share)
    size = np.sqrt(hidden / math.pi)
    wanted = np.maximum(soft, SHARPEST) / np.maximum(size, 1e-4)
    edge = np.minimum(wanted, np.clip(0.25 * math.pi / np.maximum(hidden, 1e-4) - 1.0, 0.02, 1.0))
    room = 0.5 / np.sqrt(1.0 + edge)
    long = np.minimum(size / math.sqrt(LEAF_WIDTH), room)
    short = hidden / (math.pi * np.maximum(long, 1e-4))
    free = np.maximum(0.5 - np.maximum(long, short) * np.sqrt(1.0 + edge), 0.0)
    out = np.ones_like(across)
    for layer, (turn, cells) in enumerate(LAYERS):
        c, s = math.cos(turn) * cells, math.sin(turn) * cells
        x, y = c * across - s * along, s * across + c * along + cells * drifted
        column, row = np.floor(x), np.floor(y)
        first, second, third = _hashed(column, row, layer)
        dx = x - column - 0.5 - free * (2.0 * first - 1.0)
        dy = y - row - 0.5 - free * (2.0 * second - 1.0)
        ct, st = np.cos(math.pi * third), np.sin(math.pi * third)
        away = ((ct * dx + st * dy) / np.maximum(long, 1e-4)) ** 2
        away = away + ((ct * dy - st * dx) / np.maximum(short, 1e-4)) ** 2
        there = np.clip((1.0 + edge - away) / (2.0 * edge), 0.0, 1.0)
        out = out * (1.0 - hidden - (there - hidden) * (edge / wanted))
    return np.asarray(out)


def gobo_share(
    pattern: NDArray[np.generic],
    across: Floats,
    along: Floats,
    drifted: Floats,
    open_share: Floats,
    soft: Floats,
) -> Floats:
    """(N,) share of light that gets past gobos.

    pattern       : (N,) numbers in PATTERNS
    across, along : (N,) places in each, in repeats; drifted : (N,) by which each has moved on [repeats]
    open_share    : (N,) of all that it leaves; soft : (N,) width that is averaged over [repeats]
    """
    out = np.ones_like(across)
    slats, panes, leafy = (np.flatnonzero(pattern == PATTERNS.index(name)) for name in PATTERNS[1:])
    if len(slats):
        out[slats] = bars((along + drifted)[slats], open_share[slats], soft[slats])
    if len(panes):
        side, soft_edge = np.sqrt(open_share[panes]), soft[panes]
        upright = bars(across[panes], side, soft_edge)
        out[panes] = upright * bars((along + drifted)[panes], side, soft_edge)
    if len(leafy):
        parts = (item[leafy] for item in (across, along, drifted, open_share, soft))
        out[leafy] = leaves(*parts)
    return out
