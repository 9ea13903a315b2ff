"""How much of the sky each pixel's surface sees, from the grid of probes; made once a G-buffer."""

import moderngl
import numpy as np

from wallum.realtime.gl.programs import Programs, set_uniforms
from wallum.realtime.gl.targets import GBuffer
from wallum.realtime.gl.view import View
from wallum.realtime.level.bundle import ProbeGrid

__all__ = ["SkyVisibility"]

# Stands for a grid that is not there (yet).
ALL_OPEN = ProbeGrid(np.ones((2, 2, 2, 6), np.float16), (-1.0, -1.0, -1.0), (2.0, 2.0, 2.0))


class SkyVisibility:
    """Holds the grid, and fills a G-buffer's `open` target from it."""

    def __init__(self, context: moderngl.Context, programs: Programs) -> None:
        self._context, self._programs = context, programs
        self._textures: list[moderngl.Texture3D] = []
        self.number = 0
        self.set_grid(None)

    @property
    def there(self) -> bool:
        """Whether there is a grid; else everything sees the whole sky."""
        return self._grid is not ALL_OPEN

    def set_grid(self, grid: ProbeGrid | None) -> None:
        """Take another grid; None: everything sees the whole sky."""
        for texture in self._textures:
            texture.release()
        self._grid = grid = grid or ALL_OPEN
        self._textures = []
        self.number += 1
        # x runs fastest in a texture; six shares take one texture of four and one of two.
        data = grid.values.transpose(2, 1, 0, 3).astype(np.float16)
        size = grid.values.shape[:3]
        for part in (data[..., :4], data[..., 4:]):
            raw = np.ascontiguousarray(part).tobytes()
            texture = self._context.texture3d(size, part.shape[3], raw, dtype="f2")
            texture.filter = (moderngl.NEAREST, moderngl.NEAREST)
            self._textures.append(texture)

    def fill(self, gbuffer: GBuffer, view: View) -> None:
        """Find what is open at each pixel."""
        program = self._programs.get("screen", "sky_visibility")
        set_uniforms(
            program,
            g_normal=gbuffer.normal,
            g_depth=gbuffer.distance,
            probes=self._textures[0],
            probes_z=self._textures[1],
            grid_low=self._grid.low,
            grid_step=self._grid.step,
            **view.uniforms,
        )
        frame = gbuffer.open_frame
        frame.use()
        frame.depth_mask = False
        frame.viewport = (0, 0, *gbuffer.size)
        self._context.enable_only(moderngl.DEPTH_TEST)
        self._context.depth_func = ">"
        self._programs.over_screen(program)
