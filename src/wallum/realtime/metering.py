"""The exposure that a picture asks for, from its own light."""

import moderngl
import numpy as np
from numpy.typing import NDArray

from wallum.moment.scene import Metering
from wallum.physics.exposure import metered_ev
from wallum.realtime.programs import Programs, set_uniforms
from wallum.realtime.request import CELLS

__all__ = ["Meter", "centre_weights"]

# Spread of the centre's weight, as a share of half the picture.
CENTRE_SPREAD = 0.45


def centre_weights() -> NDArray[np.float64]:
    """(36, 64) weights that fall off from the middle."""
    x = (np.arange(CELLS[0]) + 0.5) / CELLS[0] * 2.0 - 1.0
    y = (np.arange(CELLS[1]) + 0.5) / CELLS[1] * 2.0 - 1.0
    return np.exp(-0.5 * (x[None, :] ** 2 + y[:, None] ** 2) / CENTRE_SPREAD**2)


class Meter:
    """Reads a small picture of luminances back and finds its exposure."""

    def __init__(self, context: moderngl.Context, programs: Programs) -> None:
        self._context, self._programs = context, programs
        self._target = context.texture(CELLS, 1, dtype="f4")
        self._frame = context.framebuffer([self._target])
        self._arrays: dict[int, moderngl.VertexArray] = {}

    def read(self, light: moderngl.Texture) -> NDArray[np.float32]:
        """(36, 64) mean of each cell, top row first, in the unit of `light`."""
        program = self._programs.get("screen", "meter")
        if program.glo not in self._arrays:
            self._arrays[program.glo] = self._context.vertex_array(program, [])
        light.use(0)
        set_uniforms(program, picture=0, size=light.size, cells=CELLS)
        self._frame.use()
        self._context.enable_only(0)
        self._arrays[program.glo].render(moderngl.TRIANGLES, vertices=3)
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
        weights = centre_weights()
        if metering.weighted == "whole":
            weights = np.ones_like(weights)
        elif metering.weighted == "heroes" and heroes is not None and heroes.any():
            weights = heroes.astype(np.float64)
        cells = self.read(light).astype(np.float64) / held
        return metered_ev(
            cells.ravel(), weights.ravel(), metering.compensation, metering.clips, metering.limits
        )
