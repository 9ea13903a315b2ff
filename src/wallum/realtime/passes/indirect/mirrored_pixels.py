"""Which pixels show a mirror image of the level: few outside, where only smooth surfaces do."""

import moderngl

from wallum.realtime.gl.programs import Programs, set_uniforms
from wallum.realtime.gl.targets import GBuffer
from wallum.realtime.gl.view import View
from wallum.realtime.passes.indirect.mirror_images import MirrorImages

__all__ = ["MirroredPixels"]


class MirroredPixels:
    """Marks them by a depth, by which a driver passes over all others without a look at them."""

    def __init__(self, context: moderngl.Context, programs: Programs) -> None:
        self._context, self._programs = context, programs

    def mark(self, gbuffer: GBuffer, view: View, mirrors: MirrorImages) -> None:
        """Have those of a G-buffer marked in `GBuffer.mirrored`, by what probes said of it last."""
        roofed = mirrors.roofed
        if gbuffer.marked == (gbuffer.images, roofed):
            return
        program = self._programs.get("screen", "mirrored")
        set_uniforms(
            program,
            g_images=gbuffer.bounce,
            g_surface=gbuffer.surface,
            g_depth=gbuffer.distance,
            roofed_images=roofed,
            **view.uniforms,
            **view.pixel_uniforms(gbuffer.size),
        )
        _, frame = gbuffer.mirrored
        frame.use()
        frame.depth_mask = True
        frame.viewport = (0, 0, *gbuffer.size)
        self._context.enable_only(moderngl.DEPTH_TEST)
        self._context.depth_func = "1"
        self._programs.over_screen(program)
        gbuffer.marked = gbuffer.images, roofed
