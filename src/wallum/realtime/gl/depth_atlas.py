"""A depth texture for many shadow maps, and the frame that draws into it."""

from functools import cached_property

import moderngl

from wallum.realtime.gl.targets import Size

__all__ = ["DepthAtlas"]


class DepthAtlas:
    """Its memory is taken once it is drawn into or looked up: pictures without shadows come sooner, and a
    driver that draws on the processor fills all of it."""

    def __init__(self, context: moderngl.Context, size: Size) -> None:
        self._context, self.size = context, size

    @cached_property
    def texture(self) -> moderngl.Texture:
        """Depths, compared with what is looked up."""
        depth_texture = self._context.depth_texture(self.size)
        depth_texture.compare_func = "<="
        depth_texture.filter = (moderngl.LINEAR, moderngl.LINEAR)
        return depth_texture

    @cached_property
    def frame(self) -> moderngl.Framebuffer:
        """What draws into it."""
        return self._context.framebuffer([], self.texture)

    def release(self) -> None:
        """Let go of its memory."""
        for name in ("frame", "texture"):
            current = self.__dict__.pop(name, None)
            if current is not None:
                current.release()
