"""Light of many sources at many places, each source times its gain.

It comes as half floats, which are slow to reckon with. Sources whose gain has changed are kept as floats, as
many as there is room for, and summed by one product; what the others give together is kept.
"""

from collections.abc import Mapping
from typing import Final

import numpy as np
from numpy.typing import NDArray

from wallum.realtime.level.probe_set import UnitResponses

__all__ = ["Gains", "LightSum"]

# By source id, RGB factors of its light at strength 1.
Gains = Mapping[str, NDArray[np.float64]]
Known = tuple[NDArray[np.float16], tuple[float, ...]]  # light at strength 1, and its gain

# What is kept as floats.
ROOM_BYTES: Final = 32 * 2**20
# So many of the others are summed on what was summed before; more are summed anew.
MAX_CHANGED: Final = 4


class LightSum:
    """The sum at some places of the light that sources have.

    places : of the rows of their light; signed : they may be less than nothing
    """

    def __init__(self, places: slice, room: int = ROOM_BYTES, signed: bool = False) -> None:
        self._places, self._room, self._signed = places, room, signed
        self._known: dict[str, Known] = {}
        self._rows: dict[str, int] = {}  # of those kept as floats, the last that has changed at the end
        self._quick: NDArray[np.float32] | None = None  # (rows, 3, N)
        self._others: NDArray[np.float64] | None = None  # (3, N)
        self._of_others: dict[str, Known] = {}

    def of(self, units: UnitResponses, gains: Gains) -> NDArray[np.float32]:
        """(N, 3), not to be changed. gains : of sources that have units"""
        now = {item: (units[item], tuple(gain)) for item, gain in gains.items()}
        if self._quick is None:
            count = len(next(iter(units.values()))[self._places])
            self._quick = np.empty((max(1, self._room // max(12 * count, 1)), 3, count), np.float32)
        changed = [item for item in now if not _same(self._known.get(item), now[item])]
        self._keep(changed, now, self._quick)
        self._known |= now
        factors = np.zeros((len(self._rows), 3), np.float32)
        for item, row in self._rows.items():
            if item in now:
                factors[row] = now[item][1]
        out = np.empty(self._quick.shape[1:], np.float32)
        for channel in range(3):
            out[channel] = factors[:, channel] @ self._quick[: len(factors), channel]
        others = {item: known for item, known in now.items() if item not in self._rows}
        if others or self._of_others:
            out += self._sum_of_others(others, out.shape)
        return (out if self._signed else np.maximum(out, 0.0)).T

    def _keep(self, changed: list[str], now: dict[str, Known], quick: NDArray[np.float32]) -> None:
        """Have sources that have changed among those kept as floats, in the place of those that have not for
        the longest time."""
        for item in changed[: len(quick)]:
            row = self._rows.pop(item, None)
            fresh = row is not None and self._known[item][0] is now[item][0]
            if row is None and len(self._rows) < len(quick):
                row = len(self._rows)
            elif row is None:
                row = self._rows.pop(next(iter(self._rows)))
            self._rows[item] = row
            if not fresh:
                quick[row] = now[item][0][self._places].T

    def _sum_of_others(self, now: dict[str, Known], shape: tuple[int, ...]) -> NDArray[np.float64]:
        before = self._of_others
        changed = [item for item in {**before, **now} if not _same(before.get(item), now.get(item))]
        if self._others is None or len(changed) > MAX_CHANGED:
            before, changed = {}, list(now)
            self._others = np.zeros(shape)
        for item in changed:
            for light, gain in _changes(before.get(item), now.get(item)):
                for channel, factor in enumerate(gain.tolist()):
                    if factor:
                        self._others[channel] += light[self._places, channel] * np.float32(factor)
        self._of_others = now
        return self._others


def _same(item: Known | None, other: Known | None) -> bool:
    if item is None or other is None:
        return item is other
    return item[0] is other[0] and item[1] == other[1]


def _changes(
    before: Known | None, now: Known | None
) -> list[tuple[NDArray[np.float16], NDArray[np.float64]]]:
    """What is to be added where a source was known as one and is known as another: light, and how often."""
    if before is not None and now is not None and before[0] is now[0]:
        return [(now[0], np.array(now[1]) - before[1])]
    signed = (before, -1.0), (now, 1.0)
    return [(known[0], sign * np.array(known[1])) for known, sign in signed if known is not None]
