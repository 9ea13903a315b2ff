"""Shadows of what is seen through: beside an atlas of shadow maps, what goes through on the way and how
far off the first such surface is. Light that has passed one is dimmed and coloured by all of them."""

import moderngl
import numpy as np
from numpy.typing import NDArray

from wallum.realtime.level.drawing import LevelOnGpu

__all__ = ["TransparentShadowAtlas"]


class TransparentShadowAtlas:
    """The tiles of one atlas of shadow maps once more; takes its room only for a level that needs it.

    share : texels of that atlas in one of its own, each way
    """

    def __init__(self, context: moderngl.Context, share: int) -> None:
        self._context, self._share = context, share
        self._size = (0, 0)
        self._items: list[moderngl.Texture | moderngl.Framebuffer] = []

    def release(self) -> None:
        for item in self._items:
            item.release()
        self._items, self._size = [], (0, 0)

    def _fit(self, size: tuple[int, int]) -> None:
        """Room beside an atlas of a size; at first everything goes through."""
        if self._size != size:
            self.release()
            own = (size[0] // self._share, size[1] // self._share)
            self.depth = self._context.depth_texture(own)
            self.depth.compare_func = "<="
            self.through = self._context.texture(own, 4)
            for item in (self.depth, self.through):
                item.filter = (moderngl.LINEAR, moderngl.LINEAR)
            self._depth_frame = self._context.framebuffer([], self.depth)
            self._frame = self._context.framebuffer([self.through])
            self._depth_frame.clear(depth=1.0)
            self._frame.clear(1.0, 1.0, 1.0, 1.0)
            self._items = [self._frame, self._depth_frame, self.depth, self.through]
            self._size = size

    def fill(
        self,
        size: tuple[int, int],
        place: tuple[int, int, int, int],
        level: LevelOnGpu,
        to_clip: NDArray[np.float64],
        planes: NDArray[np.float64],
    ) -> int:
        """Draw one tile, (x, y, w, h) in an atlas of a size; returns the triangles sent."""
        if not level.has_veils:
            return 0
        self._fit(size)
        x, y, width, height = (item // self._share for item in place)
        context, sent = self._context, 0
        for frame, flags in ((self._depth_frame, moderngl.DEPTH_TEST), (self._frame, moderngl.BLEND)):
            frame.use()
            frame.viewport = frame.scissor = (x, y, width, height)
            frame.clear(1.0, 1.0, 1.0, 1.0, depth=1.0)
            context.enable_only(flags)
            context.blend_func = moderngl.ZERO, moderngl.SRC_COLOR
            sent += level.draw_veils(to_clip, planes)
            frame.scissor = None
        return sent

    def uniforms(self, name: str) -> dict[str, object]:
        """Values of the shadow's include, `name` being sun or lamp."""
        if not self._items:
            return {}
        return {f"{name}_veil_depth": self.depth, f"{name}_veil": self.through}
