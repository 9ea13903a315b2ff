"""Lines of equal value through a grid of numbers."""

import numpy as np
from numpy.typing import NDArray

from wallum.physics.arrays import Floats

__all__ = ["contour", "round_levels"]

# Pairs of cell edges that a line joins, by which corners lie above: bit 0 top left, 1 top right,
# 2 bottom right, 3 bottom left; edges 0 top, 1 right, 2 bottom, 3 left.
JOINS: dict[int, tuple[tuple[int, int], ...]] = {
    1: ((3, 0),), 2: ((0, 1),), 3: ((3, 1),), 4: ((1, 2),), 5: ((3, 0), (1, 2)), 6: ((0, 2),),
    7: ((3, 2),), 8: ((2, 3),), 9: ((2, 0),), 10: ((0, 1), (2, 3)), 11: ((2, 1),), 12: ((1, 3),),
    13: ((1, 0),), 14: ((0, 3),),
}  # fmt: skip
STEPS = (1.0, 2.0, 5.0)


def round_levels(peak: float, most: int = 5) -> list[float]:
    """Round numbers (1, 2, 5 by decades) below a peak, the highest first; at most `most`."""
    if not peak > 0.0 or not np.isfinite(peak):
        return []
    top = int(np.floor(np.log10(peak)))
    result = [step * 10.0**power for power in range(top, top - 4, -1) for step in reversed(STEPS)]
    return [level for level in result if level < 0.9 * peak][:most]


def contour(field: Floats, level: float) -> NDArray[np.float64]:
    """(S, 2, 2) segments along which a field (rows, columns) has a value.

    Each segment is two points (column, row), in cells counted from the middle of the first; cells
    with a corner that is not a number have no line. Marching squares; a saddle is cut so that
    its low corners are joined.
    """
    f = np.asarray(field, dtype=np.float64)
    corners = np.stack([f[:-1, :-1], f[:-1, 1:], f[1:, 1:], f[1:, :-1]])
    whole = np.isfinite(corners).all(axis=0)
    above = (np.where(whole, corners, -np.inf) > level).astype(int)
    case = above[0] + 2 * above[1] + 4 * above[2] + 8 * above[3]
    out = []
    for number, joins in JOINS.items():
        rows, columns = np.nonzero((case == number) & whole)
        if len(rows):
            at = corners[:, rows, columns]
            out += [np.stack([_cut(a, at, rows, columns, level), _cut(b, at, rows, columns, level)], axis=1)
                    for a, b in joins]  # fmt: skip
    return np.concatenate(out) if out else np.zeros((0, 2, 2))


def _cut(
    edge: int, corners: NDArray[np.float64], rows: NDArray[np.int64], columns: NDArray[np.int64], level: float
) -> NDArray[np.float64]:
    """(S, 2) where the level cuts one edge of each cell."""
    first, second = ((0, 1), (1, 2), (3, 2), (0, 3))[edge]
    share = (level - corners[first]) / (corners[second] - corners[first])
    x = columns + (share if edge in (0, 2) else float(edge == 1))
    y = rows + (share if edge in (1, 3) else float(edge == 2))
    return np.stack([x, y], axis=1)
