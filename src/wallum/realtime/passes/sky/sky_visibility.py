"""What is seen of the sky as long as no probes say it, and how open the air is."""

import moderngl
import numpy as np
from numpy.typing import NDArray

from wallum.moment.scene import Dome, LitScene
from wallum.physics.arrays import Floats
from wallum.realtime.gl.programs import Programs, set_uniforms
from wallum.realtime.gl.targets import GBuffer
from wallum.realtime.level.probe_set import AirPlaces
from wallum.realtime.passes.indirect.probe_light import LightKey, ProbeLight
from wallum.transport.field.sky_parts import BINS, PARTS, SOLID, sky_parts

__all__ = ["ALL_OPEN", "SkyVisibility"]

# Stands for air of which nothing is known (yet).
ALL_OPEN = AirPlaces(
    np.broadcast_to(np.array([1.0, 0.5], np.float16), (3, 3, 3, 2)), np.zeros((27, BINS), np.float16),
    (-1.0, -1.0, -1.0), (1.0, 1.0, 1.0), np.ones(27, bool), np.zeros((0, 2), np.int32),
)  # fmt: skip


class SkyVisibility:
    """Fills a G-buffer's `open` target where there are no probes, and holds how open the air is."""

    def __init__(self, context: moderngl.Context, programs: Programs) -> None:
        self._context, self._programs = context, programs
        self._air = ALL_OPEN
        self._seen: NDArray[np.float32] | None = None  # how much of each part of the sky, see AirPlaces
        self._open: moderngl.Texture3D | None = None
        self._open_to: object = None
        self._surfaces: moderngl.Texture3D | None = None
        self._ways: moderngl.Texture3D | None = None
        self._lit: tuple[LightKey, float] | None = None
        self.number = 0  # of what is known of the air

    def set_air(self, air: AirPlaces | None) -> None:
        """Know how open the air is; None: all of it is."""
        for texture in (self._open, self._surfaces, self._ways):
            if texture is not None:
                texture.release()
        self._air, self._seen = air or ALL_OPEN, None
        self._open = self._surfaces = self._ways = self._open_to = self._lit = None
        self.number += 1

    def _written(self, texture: moderngl.Texture3D | None, values: Floats) -> moderngl.Texture3D:
        """A texture with values (Z, Y, X, 4), floats or half floats; None: a new one."""
        raw = np.ascontiguousarray(values)
        if texture is not None:
            texture.write(raw)
            return texture
        size, dtype = values.shape[2::-1], f"f{values.itemsize}"
        texture = self._context.texture3d(size, values.shape[3], raw.tobytes(), dtype=dtype)
        texture.filter = (moderngl.LINEAR, moderngl.LINEAR)
        texture.repeat_x = texture.repeat_y = texture.repeat_z = False
        return texture

    def surfaces(
        self, probes: ProbeLight, scene: LitScene, exposure: float, in_turn: bool = False
    ) -> dict[str, object]:
        """What the air sees of surfaces in the light of a scene, and whence that comes, pre-exposed.

        in_turn : for one of many pictures soon one after the other: what goes unnoticed is left out
        """
        key, current = (probes.light_key(scene), exposure), self._lit
        left_out = (
            in_turn
            and current is not None
            and current[1] == exposure
            and probes.unnoticed(current[0], key[0])
        )
        if self._surfaces is None or not (current == key or left_out):
            grid = self._air.values.shape[:3]
            light, directions = np.zeros((2, *grid[::-1], 4), np.float32)
            for out, item in zip((light, directions), probes.air_light(scene), strict=True):
                by_place = item.T.reshape(3, *grid).transpose(3, 2, 1, 0)
                np.multiply(by_place, np.float32(exposure), out=out[..., :3])
            light[..., 3] = self._air.values[..., 0].transpose(2, 1, 0)
            self._surfaces = self._written(self._surfaces, light)
            self._ways = self._written(self._ways, directions)
            self._lit = key
        return {"air_surfaces": self._surfaces, "air_ways": self._ways}

    def _of_sky(self, sky: Dome) -> NDArray[np.float32]:
        """(A, 3) how bright what places see of a sky is, over the mean of all of it."""
        if self._seen is None:
            seen = self._air.sky[:, :PARTS].astype(np.float32)
            whole = seen.sum(axis=1, keepdims=True)
            # What sees none has what lies about it, in the mean of all.
            even = (SOLID / SOLID.sum()).astype(np.float32)
            self._seen = np.where(whole > 0.0, seen / np.maximum(whole, 1e-6), even)
        parts = sky_parts(sky)[:PARTS]
        mean = np.maximum(SOLID @ parts / SOLID.sum(), 1e-12)
        return np.asarray(self._seen @ (parts / mean).astype(np.float32), np.float32)

    def openness(self, sky: Dome | None, moving: bool = False) -> dict[str, object]:
        """Values by which air_lit.frag.glsl finds what a place has of a sky.

        moving : by hand or hour; how a sky is spread is then followed once it rests, how strong it is at once
        """
        shape = self._air.values.shape[:3]
        other = self._open_to != (None if sky is None else sky.key)
        if self._open is None or (other and not (moving and self._open_to is not None)):
            values = np.zeros((*shape, 4), np.float16)
            values[..., :3] = self._air.values[..., :1]
            values[..., 3] = self._air.values[..., 1]
            if sky is not None and self._air is not ALL_OPEN:
                values[..., :3] *= self._of_sky(sky).reshape(*shape, 3).astype(np.float16)
            self._open = self._written(self._open, values.transpose(2, 1, 0, 3))
            self._open_to = None if sky is None else sky.key
        step, counts = np.array(self._air.step), np.array(shape)
        return {
            "openness": self._open,
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
