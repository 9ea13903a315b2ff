"""Textures that a picture is made in: the G-buffer, light, sums."""

import moderngl
import numpy as np
from numpy.typing import NDArray

from wallum.realtime.passes.lamps.clusters import occupied_cells

__all__ = ["GBuffer", "LightTarget", "Size"]

Size = tuple[int, int]


def _target(context: moderngl.Context, size: Size, components: int, dtype: str) -> moderngl.Texture:
    texture = context.texture(size, components, dtype=dtype)
    texture.filter = (moderngl.NEAREST, moderngl.NEAREST)
    return texture


class GBuffer:
    """Surfaces of one camera at one size. `key` says of what; None: nothing yet.

    through : for a layer of what is seen through, what goes through it and how much it covers
    """

    R11F_G11F_B10F = 0x8C3A

    def __init__(self, context: moderngl.Context, size: Size, layer: bool = False) -> None:
        self._context, self.size = context, size
        self.key: object = None
        self.through = _target(context, size, 4, "f1") if layer else None
        self.base = _target(context, size, 4, "f1")
        self.normal = _target(context, size, 4, "f2")  # and bumps
        self.surface = _target(context, size, 4, "f1")
        self.glow = context.texture(size, 3, dtype="f2", internal_format=self.R11F_G11F_B10F)
        self.glow.filter = (moderngl.NEAREST, moderngl.NEAREST)
        self.distance = _target(context, size, 1, "f4")
        self.depth = context.depth_texture(size)
        self.colours = [self.base, self.normal, self.surface, self.glow, self.distance]
        more = [] if self.through is None else [self.through]
        self.frame = context.framebuffer([*self.colours, *more], self.depth)
        self.base_frame = context.framebuffer([self.base])  # of which its own shadows alone are written
        self.base_frame.color_mask = (False, False, False, True)
        self.open = _target(context, size, 4, "f2")  # what is seen of the sky
        self.open_frame = context.framebuffer([self.open], self.depth)
        self.bounce = _target(context, size, 4, "f2")  # light from surfaces, pre-exposed
        self.sky = _target(context, size, 4, "f2")  # light straight from the sky, pre-exposed
        self.sky_strength = np.ones(3)  # RGB, that it was found for
        self.probe_frame = context.framebuffer([self.open, self.bounce, self.sky], self.depth)
        self._of_hand: tuple[moderngl.Texture, moderngl.Framebuffer] | None = None
        self._baked: tuple[moderngl.Texture, moderngl.Framebuffer] | None = None
        self._cells: tuple[object, NDArray[np.int64]] | None = None
        # What decides which image each pixel mirrors, as `bounce` has it; and as `mirrored` has it.
        self.images: object = None
        self.marked: object = None
        self._mirrored: tuple[moderngl.Texture, moderngl.Framebuffer] | None = None

    @property
    def mirrored(self) -> tuple[moderngl.Texture, moderngl.Framebuffer]:
        """Depths that let only what shows mirror images be drawn; and what they are drawn into."""
        if self._mirrored is None:
            depth = self._context.depth_texture(self.size)
            self._mirrored = depth, self._context.framebuffer([], depth)
        return self._mirrored

    @property
    def of_hand(self) -> tuple[moderngl.Texture, moderngl.Framebuffer]:
        """Light from surfaces of the sources under the hand, pre-exposed, and what it is drawn into; made
        when it is first asked for."""
        if self._of_hand is None:
            light = _target(self._context, self.size, 4, "f2")
            frame = self._context.framebuffer([self.open, light], self.depth)
            # What is seen of the sky stays as it was found for all light.
            frame.color_mask = ((False,) * 4, (True,) * 4)
            self._of_hand = light, frame
        return self._of_hand

    @property
    def baked(self) -> tuple[moderngl.Texture, moderngl.Framebuffer]:
        """Light that was baked, pre-exposed, and whether there is any; and what it is drawn into."""
        if self._baked is None:
            light = _target(self._context, self.size, 4, "f2")
            self._baked = light, self._context.framebuffer([light], self.depth)
        return self._baked

    def cells(self, far: float) -> NDArray[np.int64]:
        """Numbers of the cells that hold its surfaces, see clusters.py."""
        if self._cells is None or self._cells[0] != self.key:
            depth = np.frombuffer(self.distance.read(), np.float32).reshape(self.size[::-1])
            self._cells = (self.key, occupied_cells(depth, far))
        return self._cells[1]

    def begin(self) -> None:
        """Get ready to be filled anew, by what is nearest."""
        self.frame.use()
        self.frame.viewport = (0, 0, *self.size)
        self.frame.depth_mask = True
        self._context.enable_only(moderngl.DEPTH_TEST | moderngl.CULL_FACE)
        self._context.depth_func = "<"
        self.frame.clear(0.0, 0.0, 0.0, 0.0, depth=1.0)

    @property
    def textures(self) -> dict[str, moderngl.Texture]:
        """The surfaces by the names that shaders read them by."""
        return dict(zip(("g_base", "g_normal", "g_surface", "g_glow", "g_depth"), self.colours, strict=True))

    def release(self) -> None:
        more = [] if self.through is None else [self.through]
        current = (self.frame, self.base_frame, self.open_frame, self.probe_frame, *self.colours, *more)
        lazy = (self._of_hand, self._baked, self._mirrored)
        built = [item for pair in lazy if pair is not None for item in reversed(pair)]
        for item in (*built, *current, self.open, self.bounce, self.sky, self.depth):
            item.release()


class LightTarget:
    """Pre-exposed light, half floats, that shares a G-buffer's depth."""

    def __init__(self, context: moderngl.Context, gbuffer: GBuffer) -> None:
        self._context, self._gbuffer = context, gbuffer
        self.light = _target(context, gbuffer.size, 4, "f2")
        self.frame = context.framebuffer([self.light], gbuffer.depth)
        self._mirrored: moderngl.Framebuffer | None = None

    @property
    def mirrored_frame(self) -> moderngl.Framebuffer:
        """The same light, with the depths of `GBuffer.mirrored`."""
        if self._mirrored is None:
            self._mirrored = self._context.framebuffer([self.light], self._gbuffer.mirrored[0])
        return self._mirrored

    def release(self) -> None:
        if self._mirrored is not None:
            self._mirrored.release()
        self.frame.release()
        self.light.release()
