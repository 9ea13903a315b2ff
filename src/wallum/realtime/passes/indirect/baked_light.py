"""Light that was baked, looked up on its pages for what the picture shows."""

from typing import Final

import moderngl
import numpy as np

from wallum.frame.passes.baked import BAKED_LIGHT
from wallum.frame.passes.surfaces import SURFACES
from wallum.moment.scene import LitScene
from wallum.realtime.gl.pass_log import PassLog
from wallum.realtime.gl.programs import Programs, bind_textures, set_uniforms
from wallum.realtime.gl.targets import GBuffer
from wallum.realtime.gl.view import View, pre_exposure
from wallum.realtime.level.baked_set import BakedSet
from wallum.realtime.passes.frame.base import FrameContext, LightSubset, Pass, Steps

__all__ = ["BakedLightPass", "BakedPages"]

# How far a triangle with texels may lie beside the surface that is shown [m]; and, over the distance, what
# numbers are rounded by, and what surfaces of a moving picture are off by.
SLACK_M, ROUNDED, MERGED = 0.01, 0.0005, 0.02
# Toward the eye, so that what is shown is not behind itself: by the slope, and in the depth's own steps.
OFFSET: Final = (-1.0, -64.0)


class BakedPages:
    """Holds what was baked of a level."""

    def __init__(self, context: moderngl.Context, programs: Programs) -> None:
        self._context, self._programs = context, programs
        self._set: BakedSet | None = None
        self._held: tuple[moderngl.Buffer, moderngl.Buffer, moderngl.Texture] | None = None
        self._array: tuple[moderngl.Program, moderngl.VertexArray] | None = None
        self.number = 0  # of the set

    def set(self, baked: BakedSet | None) -> None:
        """Show other baked light; None: there is none."""
        if self._array is not None:
            self._array[1].release()
        for item in self._held or ():
            item.release()
        self._set, self._held, self._array = None, None, None
        self.number += 1
        if baked is None or not len(baked.faces):
            return
        self._set = baked
        count, height, width, _ = baked.pages.shape
        pages = self._context.texture_array((width, height, count), 4, baked.pages.tobytes(), dtype="f2")
        pages.filter = (moderngl.LINEAR, moderngl.LINEAR)
        pages.repeat_x = pages.repeat_y = False
        corners = self._context.buffer(baked.corners.tobytes())
        self._held = corners, self._context.buffer(baked.faces.tobytes()), pages

    def shown(self, scene: LitScene) -> frozenset[str]:
        """Ids of the sources of which a picture of a scene shows baked light."""
        if self._set is None or scene.still is None:
            return frozenset()
        return self._set.ids & scene.still

    @property
    def straight(self) -> bool:
        """Whether what comes straight from the sources is baked, too."""
        return self._set is not None and self._set.straight

    def draw(self, gbuffer: GBuffer, view: View, scene: LitScene, moving: bool) -> int:
        """Look up what the surfaces of a G-buffer have; returns the number of triangles."""
        assert self._set is not None
        assert self._held is not None
        program = self._programs.get("baked", "baked")
        set_uniforms(
            program,
            to_clip=np.asarray(view.to_clip.T, np.float32).tobytes(),
            pages=self._held[2],
            g_depth=gbuffer.distance,
            exposure=self._set.scale * pre_exposure(scene.look.ev100) * scene.bounce[0],
            keeps=scene.bounce[1],
            slack=(SLACK_M, MERGED if moving else ROUNDED),
            **view.pixel_uniforms(gbuffer.size),
        )
        bind_textures(program)
        _, frame = gbuffer.baked
        frame.use()
        frame.depth_mask = False
        frame.viewport = (0, 0, *gbuffer.size)
        frame.clear(0.0, 0.0, 0.0, 0.0)
        context = self._context
        context.enable_only(moderngl.CULL_FACE | (0 if moving else moderngl.DEPTH_TEST))
        context.depth_func = "<="
        context.polygon_offset = OFFSET
        self._vertex_array(program).render()
        context.polygon_offset = 0.0, 0.0
        return len(self._set.faces)

    def _vertex_array(self, program: moderngl.Program) -> moderngl.VertexArray:
        assert self._held is not None
        if self._array is None or self._array[0] is not program:
            if self._array is not None:
                self._array[1].release()
            corners, faces, _ = self._held
            content = [(corners, "3f4 3f4", "in_position", "in_texel")]
            self._array = program, self._context.vertex_array(program, content, faces)
        return self._array[1]


class BakedLightPass(Pass):
    """What each pixel's surface has of light that was baked."""

    described = BAKED_LIGHT
    reads = (SURFACES.name,)

    def __init__(self, log: PassLog, pages: BakedPages) -> None:
        super().__init__(log)
        self._pages = pages

    def wanted(self, draft: FrameContext) -> bool:
        return bool(draft.baked) and not draft.inspected

    def key(self, draft: FrameContext, lit: LightSubset) -> object:
        return self._pages.number, pre_exposure(lit.scene.look.ev100), lit.scene.bounce

    def draw(self, draft: FrameContext) -> Steps:
        with self.log.measure(self.name) as work:
            moving = draft.coarse is not None
            work["triangles"] = self._pages.draw(draft.gbuffer, draft.view, draft.scene, moving)
            work["pixels"] = draft.size[0] * draft.size[1]
        yield
