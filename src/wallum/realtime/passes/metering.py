"""The exposure that a picture asks for, from its own light."""

import moderngl
import numpy as np
from numpy.typing import NDArray

from wallum.moment.metered import CELLS, metered_cells
from wallum.moment.shown_look import Metering
from wallum.realtime.gl.programs import Programs, set_uniforms

__all__ = ["Meter"]


class Meter:
    """Reads a small picture of luminances back and finds its exposure."""

    def __init__(self, context: moderngl.Context, programs: Programs) -> None:
        self._context, self._programs = context, programs
        self._target = context.texture(CELLS, 1, dtype="f4")
        self._frame = context.framebuffer([self._target])

    def read(self, light: moderngl.Texture) -> NDArray[np.float32]:
        """(36, 64) mean of each cell, top row first, in the unit of `light`."""
        program = self._programs.get("screen", "meter")
        set_uniforms(program, picture=light, size=light.size, cells=CELLS)
        self._frame.use()
        self._context.enable_only(0)
        self._programs.over_screen(program)
        data = np.frombuffer(self._target.read(), np.float32)
        return data.reshape(CELLS[1], CELLS[0])[::-1]

    def ev100(
        self,
        light: moderngl.Texture,
        held: float,
        metering: Metering,
        heroes: NDArray[np.float32] | None,
    ) -> float:
        """Exposure for `light`, which holds luminance times `held`.

        heroes : (36, 64) how much of each cell is a hero; without any, the centre counts
        """
        return metered_cells(self.read(light).astype(np.float64) / held, metering, heroes)
