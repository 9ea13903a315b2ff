"""Edges of the delivered picture, made smooth by a filter over it."""

import moderngl

from wallum.realtime.gl.programs import Programs, set_uniforms
from wallum.realtime.gl.targets import Size

__all__ = ["EdgeFilter"]

MAX_SIZES = 4


class EdgeFilter:
    """Smooth the edges of the finished picture (after Reshetov 2009). The tests hold a NumPy twin."""

    def __init__(self, context: moderngl.Context, programs: Programs) -> None:
        self._context, self._programs = context, programs
        self._targets: dict[Size, moderngl.Framebuffer] = {}

    def _target(self, size: Size) -> moderngl.Framebuffer:
        if size not in self._targets:
            if len(self._targets) >= MAX_SIZES:
                old = self._targets.pop(next(iter(self._targets)))
                for texture in old.color_attachments:
                    texture.release()
                old.release()
            self._targets[size] = self._context.framebuffer([self._context.texture(size, 4)])
        return self._targets[size]

    def smoothed(self, shown: moderngl.Framebuffer) -> moderngl.Framebuffer:
        """A developed picture with smooth edges."""
        picture = shown.color_attachments[0]
        assert isinstance(picture, moderngl.Texture)
        frame = self._target(picture.size)
        program = self._programs.get("screen", "edges")
        set_uniforms(program, shown=picture, size=picture.size)
        frame.use()
        self._context.enable_only(0)
        self._programs.over_screen(program)
        return frame
