"""Darkens gaps between near surfaces for light from all around: found from the G-buffer, laid over it.

Source: Jimenez, Wu, Pesce and Jarabo 2016, "Practical Realtime Strategies for Accurate Indirect Occlusion".
"""

from typing import Final

import moderngl

from wallum.frame.passes.ambient_occlusion import GAPS
from wallum.frame.passes.surfaces import SURFACES
from wallum.realtime.gl.pass_log import PassLog
from wallum.realtime.gl.programs import Programs, set_uniforms
from wallum.realtime.gl.targets import GBuffer, Size
from wallum.realtime.gl.view import View
from wallum.realtime.passes.frame.base import FrameContext, LightSubset, Pass, Steps

__all__ = ["AmbientOcclusionPass"]

# Of a picture that does not settle one place of so many each way is looked at; each by so many planes
# through the eye, which differ from place to place.
QUICK_PART: Final = 2
PLANES: Final = 2


class AmbientOcclusionPass(Pass):
    """What of light from all around gets into gaps, by what the picture shows of them."""

    described = GAPS
    reads = (SURFACES.name,)
    target, over = "surfaces", True

    def __init__(self, log: PassLog, context: moderngl.Context, programs: Programs) -> None:
        super().__init__(log)
        self._context, self._programs = context, programs
        self._found: dict[Size, tuple[moderngl.Texture, moderngl.Framebuffer]] = {}

    def wanted(self, draft: FrameContext) -> bool:
        return draft.scene.gaps is not None and not draft.inspected

    def key(self, draft: FrameContext, lit: LightSubset) -> object:
        return draft.scene.gaps

    def _target(self, size: Size) -> tuple[moderngl.Texture, moderngl.Framebuffer]:
        """Room for what is found; of the sizes used last only."""
        if size not in self._found:
            while len(self._found) >= 4:
                for item in reversed(self._found.pop(next(iter(self._found)))):
                    item.release()
            texture = self._context.texture(size, 1, dtype="f1")
            texture.filter = (moderngl.NEAREST, moderngl.NEAREST)
            texture.repeat_x = texture.repeat_y = False
            self._found[size] = texture, self._context.framebuffer([texture])
        return self._found[size]

    def draw(self, draft: FrameContext) -> Steps:
        gaps, gbuffer = draft.scene.gaps, draft.gbuffer
        assert gaps is not None
        part = QUICK_PART if draft.view.jitter == (0.0, 0.0) else 1
        size = (-(-gbuffer.size[0] // part), -(-gbuffer.size[1] // part))
        with self.log.measure(self.name) as work:
            result, frame = self._target(size)
            program = self._programs.get("screen", "gaps")
            values = {"reach": gaps.reach_m, "behind": gaps.behind_m, "planes": PLANES, "part": part}
            set_uniforms(program, **values, **self._seen(gbuffer, draft.view))
            frame.use()
            frame.viewport = (0, 0, *size)
            self._context.enable_only(0)
            self._programs.over_screen(program)
            self._lay(result, part, gaps.strength, draft)
            work["pixels"] = size[0] * size[1]
        yield

    @staticmethod
    def _seen(gbuffer: GBuffer, view: View) -> dict[str, object]:
        across = {"right_axis": tuple(view.camera.rotation()[0]), "up_axis": tuple(view.camera.rotation()[1])}
        pixels = {"pixels_at_1": gbuffer.size[1] / (2.0 * view.camera.tangents[1])}
        surfaces = {"g_normal": gbuffer.normal, "g_depth": gbuffer.distance}
        return across | pixels | surfaces | view.uniforms | view.pixel_uniforms(gbuffer.size)

    def _lay(self, found: moderngl.Texture, part: int, strength: float, draft: FrameContext) -> None:
        gbuffer, view = draft.gbuffer, draft.view
        program = self._programs.get("screen", "gaps_laid")
        values = {"found": found, "part": part, "strength": strength, "g_depth": gbuffer.distance}
        set_uniforms(program, **values, **view.uniforms, **view.pixel_uniforms(gbuffer.size))
        frame = gbuffer.base_frame
        frame.use()
        frame.viewport = (0, 0, *gbuffer.size)
        context = self._context
        context.enable_only(moderngl.BLEND)
        context.blend_func = moderngl.ZERO, moderngl.SRC_ALPHA
        self._programs.over_screen(program)
