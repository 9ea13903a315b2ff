"""How much of the sky each pixel's surface sees, from the grid of probes; made once a G-buffer."""

import moderngl
import numpy as np

from wallum.realtime.bundle import ProbeGrid
from wallum.realtime.programs import Programs, set_uniforms
from wallum.realtime.targets import GBuffer
from wallum.realtime.view import View

__all__ = ["OPEN_UNIT", "OpenSky"]

OPEN_UNIT, PROBE_UNIT = 11, 12


class OpenSky:
    """Holds the grid, and fills a G-buffer's `open` target from it."""

    def __init__(self, context: moderngl.Context, programs: Programs) -> None:
        self._context, self._programs = context, programs
        self._texture: moderngl.Texture3D | None = None
        self._grid: ProbeGrid | None = None
        self._arrays: dict[int, moderngl.VertexArray] = {}
        self.number = 0

    @property
    def there(self) -> bool:
        return self._texture is not None

    def set_grid(self, grid: ProbeGrid | None) -> None:
        """Take another grid; None: everything sees the whole sky."""
        if self._texture is not None:
            self._texture.release()
            self._texture = None
        self._grid = grid
        self.number += 1
        if grid is not None:
            # x runs fastest in a texture.
            data = np.ascontiguousarray(grid.values.transpose(2, 1, 0, 3), dtype=np.float16)
            size = grid.values.shape[:3]
            self._texture = self._context.texture3d(size, 4, data.tobytes(), dtype="f2")
            self._texture.filter = (moderngl.NEAREST, moderngl.NEAREST)

    def fill(self, gbuffer: GBuffer, view: View) -> bool:
        """Find what is open at each pixel; False where that was known already."""
        key = (gbuffer.key, self.number)
        if self._texture is None or self._grid is None or gbuffer.open_key == key:
            return False
        program = self._programs.get("screen", "open_sky")
        if program.glo not in self._arrays:
            self._arrays[program.glo] = self._context.vertex_array(program, [])
        gbuffer.bind()
        self._texture.use(PROBE_UNIT)
        set_uniforms(
            program, g_normal=1, g_depth=4, probes=PROBE_UNIT, grid_low=self._grid.low,
            grid_step=self._grid.step, **view.uniforms,
        )  # fmt: skip
        frame = gbuffer.open_frame
        frame.use()
        frame.depth_mask = False
        frame.viewport = (0, 0, *gbuffer.size)
        self._context.enable_only(moderngl.DEPTH_TEST)
        self._context.depth_func = ">"
        self._arrays[program.glo].render(moderngl.TRIANGLES, vertices=3)
        gbuffer.open_key = key
        return True
