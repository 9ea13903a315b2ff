"""Squares of a picture, drawn by what they need: lamps where some reach, none elsewhere."""

import moderngl
import numpy as np
from numpy.typing import NDArray

from wallum.realtime.gl.programs import Programs
from wallum.realtime.passes.lamps.clusters import CELL_PIXELS

__all__ = ["Tiles"]


class Tiles:
    """The squares of one picture: first those that lamps reach, then the others.

    A square is one large point, which a driver fills without a diagonal through it.
    """

    def __init__(self, context: moderngl.Context, programs: Programs) -> None:
        self._context, self._programs = context, programs
        self._buffer = context.buffer(reserve=4096, dynamic=True)
        self._grid = (1, 1)
        self._counts = {True: 0, False: 0}  # of squares that lamps reach, and of others

    def write(self, reached: NDArray[np.bool_], holding: NDArray[np.bool_]) -> None:
        """Take over (Y, X) which squares lamps reach, and which hold any surface."""
        rows, columns = reached.shape
        self._grid = (columns, rows)
        kinds = [np.argwhere(kind) for kind in (reached & holding, ~reached & holding)]
        self._counts = {True: len(kinds[0]), False: len(kinds[1])}
        middles = (np.concatenate(kinds)[:, ::-1] + 0.5) / self._grid * 2.0 - 1.0
        data = np.ascontiguousarray(middles, dtype=np.float32)
        if data.nbytes > self._buffer.size:
            self._buffer.release()
            self._buffer = self._context.buffer(reserve=2 * data.nbytes, dynamic=True)
        self._buffer.orphan()
        self._buffer.write(data)

    def count(self, reached: bool) -> int:
        """How many squares lamps reach, or do not."""
        return self._counts[reached]

    def viewport(self) -> tuple[int, int, int, int]:
        """What the squares' places are given in: whole squares, beyond the picture's edge too."""
        return 0, 0, self._grid[0] * CELL_PIXELS, self._grid[1] * CELL_PIXELS

    def draw(self, program: moderngl.Program, reached: bool) -> None:
        """Draw the squares that lamps reach, or the others."""
        first = 0 if reached else self._counts[True]
        self._context.point_size = float(CELL_PIXELS)
        array = self._programs.array(program, (self._buffer, "2f", "in_middle"))
        array.render(moderngl.POINTS, vertices=self._counts[reached], first=first)
