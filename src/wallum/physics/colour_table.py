"""Lookup in colour tables (3D LUT): one curve a channel, or a cube with tetrahedral interpolation.

GLSL twin: realtime/shaders/include/chain/table.glsl.
"""

from dataclasses import dataclass
from typing import Final, Literal

import numpy as np
from numpy.typing import NDArray

from wallum.physics.arrays import Floats
from wallum.physics.exposure import MID_GREY

__all__ = ["STOPS_ABOVE", "STOPS_BELOW", "ColourTable", "TableOn", "shaped", "unshaped"]

TableOn = Literal["display", "linear", "log"]
# A table of scene light takes it by stops: 0 is so far below mid grey, 1 so far above.
STOPS_BELOW, STOPS_ABOVE = 10.0, 6.5
SPAN: Final = STOPS_BELOW + STOPS_ABOVE


def shaped(values: Floats) -> NDArray[np.float64]:
    """Log shaper for tables that take scene light.

    values : (...,) picture values, linear
    Returns (...,) 0 to 1: stops from STOPS_BELOW below mid grey to STOPS_ABOVE above it.
    """
    stops = np.log2(np.maximum(np.asarray(values, np.float64), 1e-12) / MID_GREY)
    return np.clip((stops + STOPS_BELOW) / SPAN, 0.0, 1.0)


def unshaped(share: Floats) -> NDArray[np.float64]:
    """Inverse of `shaped` within its range.

    share : (...,) 0 to 1
    Returns (...,) picture values.
    """
    return np.asarray(MID_GREY * 2.0 ** (np.asarray(share, np.float64) * SPAN - STOPS_BELOW))


@dataclass(frozen=True, eq=False)
class ColourTable:
    """A colour table.

    entries   : (R, G, B, 3) a cube, or (N, 3) a curve for each channel
    low, high : (3,) input values of the first and the last entry
    """

    entries: NDArray[np.float32]
    low: tuple[float, float, float] = (0.0, 0.0, 0.0)
    high: tuple[float, float, float] = (1.0, 1.0, 1.0)

    @property
    def is_cube(self) -> bool:
        """Whether the table is a cube; else it has a curve for each channel."""
        return self.entries.ndim == 4

    def __call__(self, values: Floats) -> NDArray[np.float64]:
        """Look values up.

        values : (..., 3)
        Returns (..., 3) float64. Values outside the table's range take the nearest entry.
        """
        x = np.asarray(values, np.float64)
        low, high = np.array(self.low), np.array(self.high)
        last = self.entries.shape[0] - 1
        at = np.clip((x - low) / (high - low), 0.0, 1.0) * last
        flat = at.reshape(-1, 3)
        out = self._in_cube(flat, last) if self.is_cube else self._by_channel(flat, last)
        return out.reshape(x.shape)

    def _by_channel(self, at: NDArray[np.float64], last: int) -> NDArray[np.float64]:
        """Linear interpolation, a channel at a time.

        at : (N, 3) positions in entries
        """
        first = np.minimum(at.astype(np.int64), last - 1)
        share = at - first
        channel = np.arange(3)
        a, b = self.entries[first, channel], self.entries[first + 1, channel]
        return np.asarray(a + (b.astype(np.float64) - a) * share)

    def _in_cube(self, at: NDArray[np.float64], last: int) -> NDArray[np.float64]:
        """Tetrahedral interpolation: a grey stays grey between entries.

        at : (N, 3) positions in entries
        """
        first = np.minimum(at.astype(np.int64), last - 1)
        share = at - first
        order = np.argsort(-share, axis=1, kind="stable")
        rows = np.arange(len(at))
        corner = first.copy()
        sorted_shares = np.take_along_axis(share, order, axis=1)
        out = self._entry(corner) * (1.0 - sorted_shares[:, :1])
        for k in range(3):
            corner[rows, order[:, k]] += 1
            after = sorted_shares[:, k + 1 : k + 2] if k < 2 else 0.0
            out += self._entry(corner) * (sorted_shares[:, k : k + 1] - after)
        return out

    def _entry(self, corner: NDArray[np.int64]) -> NDArray[np.float64]:
        """Entries at integer corners (N, 3) of the cube."""
        return np.asarray(self.entries[corner[:, 0], corner[:, 1], corner[:, 2]], np.float64)
