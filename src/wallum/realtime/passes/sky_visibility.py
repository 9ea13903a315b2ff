"""How much of the sky each pixel's surface sees, from the grid of probes; made once a G-buffer."""

import moderngl
import numpy as np

from wallum.realtime.gl.programs import Programs, set_uniforms
from wallum.realtime.gl.targets import GBuffer
from wallum.realtime.gl.view import View
from wallum.realtime.level.bundle import ProbeGrid

__all__ = ["SkyVisibility"]

# Stands for a grid that is not there (yet).
ALL_OPEN = ProbeGrid(
    np.ones((2, 2, 2, 6), np.float16), (-1.0, -1.0, -1.0), (2.0, 2.0, 2.0), np.ones((2, 2, 2), np.float16)
)


class SkyVisibility:
    """Holds the grid, and fills a G-buffer's `open` target from it."""

    def __init__(self, context: moderngl.Context, programs: Programs) -> None:
        self._context, self._programs = context, programs
        self._textures: list[moderngl.Texture3D] = []
        self.number = 0
        self._mean: moderngl.Texture3D | None = None
        self.set_grid(None)

    @property
    def there(self) -> bool:
        """Whether there is a grid; else everything sees the whole sky."""
        return self._grid is not ALL_OPEN

    def set_grid(self, grid: ProbeGrid | None) -> None:
        """Take another grid; None: everything sees the whole sky."""
        for texture in (*self._textures, *([] if self._mean is None else [self._mean])):
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
        self._mean = self._mean_texture(grid)

    def _mean_texture(self, grid: ProbeGrid) -> moderngl.Texture3D:
        """How open the air is about each probe, in all directions together."""
        filled = np.asarray(grid.air).transpose(2, 1, 0)
        raw = np.ascontiguousarray(filled.astype(np.float16)).tobytes()
        texture = self._context.texture3d(grid.values.shape[:3], 1, raw, dtype="f2")
        texture.filter = (moderngl.LINEAR, moderngl.LINEAR)
        texture.repeat_x = texture.repeat_y = texture.repeat_z = False
        return texture

    @property
    def openness(self) -> dict[str, object]:
        """Values by which air_lit.frag.glsl finds how open a place is."""
        assert self._mean is not None
        step, counts = np.array(self._grid.step), np.array(self._grid.values.shape[:3])
        return {
            "openness": self._mean,
            "open_low": tuple(np.array(self._grid.low) - 0.5 * step),
            "open_over": tuple(1.0 / (counts * step)),
            "open_inset": tuple(0.5 / counts),
        }

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
