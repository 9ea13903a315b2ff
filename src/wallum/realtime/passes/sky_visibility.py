"""What is seen of the sky as long as no probes say it, and how open the air is."""

import moderngl
import numpy as np
from numpy.typing import NDArray

from wallum.moment.scene import LitScene
from wallum.realtime.gl.programs import Programs, set_uniforms
from wallum.realtime.gl.targets import GBuffer
from wallum.realtime.level.probe_set import AirPlaces
from wallum.realtime.passes.probe_light import MOST_LIGHT, ProbeLight

__all__ = ["ALL_OPEN", "SkyVisibility"]

# Stands for air of which nothing is known (yet).
ALL_OPEN = AirPlaces(
    np.broadcast_to(np.array([1.0, 0.5], np.float16), (2, 2, 2, 2)), (-1.0, -1.0, -1.0), (2.0, 2.0, 2.0),
    np.ones(8, bool), np.zeros((0, 2), np.int32),
)  # fmt: skip


class SkyVisibility:
    """Fills a G-buffer's `open` target where there are no probes, and holds how open the air is."""

    def __init__(self, context: moderngl.Context, programs: Programs) -> None:
        self._context, self._programs = context, programs
        self._air, self._texture = ALL_OPEN, self._texture_of(ALL_OPEN.values)
        self._surfaces: moderngl.Texture3D | None = None
        self._lit: object = None
        self.number = 0  # of what is known of the air

    def set_air(self, air: AirPlaces | None) -> None:
        """Know how open the air is; None: all of it is."""
        self._texture.release()
        self._air = air or ALL_OPEN
        self._texture = self._texture_of(self._air.values)
        if self._surfaces is not None:
            self._surfaces.release()
        self._surfaces, self._lit = None, None
        self.number += 1

    def _texture_of(self, values: NDArray[np.float16]) -> moderngl.Texture3D:
        """Of values (X, Y, Z, C)."""
        raw = np.ascontiguousarray(values.transpose(2, 1, 0, 3).astype(np.float16)).tobytes()
        texture = self._context.texture3d(values.shape[:3], values.shape[3], raw, dtype="f2")
        texture.filter = (moderngl.LINEAR, moderngl.LINEAR)
        texture.repeat_x = texture.repeat_y = texture.repeat_z = False
        return texture

    def surfaces(self, probes: ProbeLight, scene: LitScene, exposure: float) -> moderngl.Texture3D:
        """What the air sees of surfaces in the light of a scene, pre-exposed."""
        key = probes.light_key(scene), exposure
        if self._surfaces is None or self._lit != key:
            shape = (*self._air.values.shape[:3], 4)
            light = np.zeros((len(self._air.there), 4), np.float16)
            light[:, :3] = np.minimum(probes.air_light(scene) * exposure, MOST_LIGHT)
            if self._surfaces is None:
                self._surfaces = self._texture_of(light.reshape(shape))
            else:
                self._surfaces.write(np.ascontiguousarray(light.reshape(shape).transpose(2, 1, 0, 3)))
            self._lit = key
        return self._surfaces

    @property
    def openness(self) -> dict[str, object]:
        """Values by which air_lit.frag.glsl finds how open a place is."""
        step, counts = np.array(self._air.step), np.array(self._air.values.shape[:3])
        return {
            "openness": self._texture,
            "open_low": tuple(np.array(self._air.low) - 0.5 * step),
            "open_over": tuple(1.0 / (counts * step)),
            "open_inset": tuple(0.5 / counts),
        }

    def fill(self, gbuffer: GBuffer) -> None:
        """Have each pixel see all of the sky."""
        program = self._programs.get("screen", "sky_visibility")
        set_uniforms(program, g_normal=gbuffer.normal)
        frame = gbuffer.open_frame
        frame.use()
        frame.depth_mask = False
        frame.viewport = (0, 0, *gbuffer.size)
        self._context.enable_only(moderngl.DEPTH_TEST)
        self._context.depth_func = ">"
        self._programs.over_screen(program)
