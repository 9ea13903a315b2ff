"""A small picture of the light, for whoever looks at it in numbers."""

import moderngl
import numpy as np
from numpy.typing import NDArray

from wallum.realtime.gl.programs import Programs, set_uniforms

__all__ = ["Sampler"]

# Columns and rows.
SAMPLES = (240, 135)


class Sampler:
    """Reads one place of each cell back."""

    def __init__(self, context: moderngl.Context, programs: Programs) -> None:
        self._context, self._programs = context, programs
        self._target = context.texture(SAMPLES, 4, dtype="f2")
        self._frame = context.framebuffer([self._target])

    def read(self, light: moderngl.Texture, scale: float) -> NDArray[np.float16]:
        """(135, 240, 3) light times a factor, top row first."""
        program = self._programs.get("screen", "sample")
        set_uniforms(program, picture=light, size=light.size, cells=SAMPLES, scale=scale)
        self._frame.use()
        self._context.enable_only(0)
        self._programs.over_screen(program)
        data = np.frombuffer(self._target.read(), np.float16)
        return data.reshape(SAMPLES[1], SAMPLES[0], 4)[::-1, :, :3].copy()
