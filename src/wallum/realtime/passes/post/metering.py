"""How light lies in a picture, which its exposure is found from."""

import moderngl
import numpy as np
from numpy.typing import NDArray

from wallum.moment.metered import CELLS
from wallum.realtime.gl.programs import Programs, set_uniforms

__all__ = ["Meter"]


class Meter:
    """Reads a small picture of luminances back; keeps the last one."""

    def __init__(self, context: moderngl.Context, programs: Programs) -> None:
        self._context, self._programs = context, programs
        self._target = context.texture(CELLS, 1, dtype="f4")
        self._frame = context.framebuffer([self._target])
        self._key: tuple[object, ...] = ()
        self._cells = np.zeros(CELLS[::-1], np.float32)

    def cells(self, light: moderngl.Texture, key: tuple[object, ...] = ()) -> NDArray[np.float32]:
        """(36, 64) mean of each cell, top row first, in the unit of `light`.

        key : of the light, which is not read again while that is the same; empty: it is
        """
        if not key or key != self._key:
            self._cells, self._key = self._read(light), key
        return self._cells

    def _read(self, light: moderngl.Texture) -> NDArray[np.float32]:
        program = self._programs.get("screen", "meter")
        set_uniforms(program, picture=light, size=light.size, cells=CELLS)
        self._frame.use()
        self._context.enable_only(0)
        self._programs.over_screen(program)
        data = np.frombuffer(self._target.read(), np.float32)
        return data.reshape(CELLS[1], CELLS[0])[::-1].copy()
