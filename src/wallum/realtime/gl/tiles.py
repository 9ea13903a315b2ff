"""Squares of a picture, drawn by what they need: lamps where some reach, mirror images where some are shown.

A software driver works out what a program has whether a pixel needs it or not."""

from typing import Final

import moderngl
import numpy as np
from numpy.typing import NDArray

from wallum.realtime.gl.programs import Programs
from wallum.realtime.passes.clusters import CELL_PIXELS

__all__ = ["KINDS", "Tiles"]


# Whether lamps reach a square, and whether surfaces in it mirror the level: those that do count as reached.
Kind = tuple[bool, bool]
KINDS: Final[tuple[Kind, ...]] = ((True, True), (True, False), (False, False))


class Tiles:
    """The squares of one picture, kind after kind.

    A square is one large point, which a driver fills without a diagonal through it.
    """

    def __init__(self, context: moderngl.Context, programs: Programs) -> None:
        self._context, self._programs = context, programs
        self._buffer = context.buffer(reserve=4096, dynamic=True)
        self._grid = (1, 1)
        self._spans = dict.fromkeys(KINDS, (0, 0))  # first square, and how many

    def write(
        self, holding: NDArray[np.bool_], reached: NDArray[np.bool_], mirroring: NDArray[np.bool_]
    ) -> None:
        """Take over (Y, X) which squares hold any surface, which of them lamps reach, and in which surfaces
        mirror the level."""
        rows, columns = reached.shape
        reached = reached | mirroring
        self._grid = (columns, rows)
        squares = [
            np.argwhere(holding & (reached == lamps) & (mirroring == images)) for lamps, images in KINDS
        ]
        counts = [len(one) for one in squares]
        firsts = np.cumsum([0, *counts[:-1]]).tolist()
        self._spans = dict(zip(KINDS, zip(firsts, counts, strict=True), strict=True))
        middles = (np.concatenate(squares)[:, ::-1] + 0.5) / self._grid * 2.0 - 1.0
        data = np.ascontiguousarray(middles, dtype=np.float32)
        if data.nbytes > self._buffer.size:
            self._buffer.release()
            self._buffer = self._context.buffer(reserve=2 * data.nbytes, dynamic=True)
        self._buffer.orphan()
        self._buffer.write(data)

    @property
    def kinds(self) -> tuple[Kind, ...]:
        """Those that there are."""
        return tuple(kind for kind, (_, count) in self._spans.items() if count)

    def viewport(self) -> tuple[int, int, int, int]:
        """What the squares' places are given in: whole squares, beyond the picture's edge too."""
        return 0, 0, self._grid[0] * CELL_PIXELS, self._grid[1] * CELL_PIXELS

    def draw(self, program: moderngl.Program, kind: Kind) -> None:
        """Draw the squares of a kind."""
        first, count = self._spans[kind]
        self._context.point_size = float(CELL_PIXELS)
        array = self._programs.array(program, (self._buffer, "2f", "in_middle"))
        array.render(moderngl.POINTS, vertices=count, first=first)
