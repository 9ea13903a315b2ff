"""Surfaces: the G-buffer, and the layers of what is seen through before it."""

from wallum.frame.passes.surfaces import SEE_THROUGH, SURFACES
from wallum.moment.camera import frustum_planes
from wallum.realtime.passes.frame.base import FrameContext, LightSubset, Pass, Steps

__all__ = ["SeeThrough", "Surfaces"]


class Surfaces(Pass):
    """What the camera sees and cannot see through."""

    described = SURFACES
    target = "surfaces"

    def key(self, draft: FrameContext, lit: LightSubset) -> object:
        view = draft.view
        # Darkened gaps are laid over in place, and taken off again by drawing anew.
        gaps = None if draft.inspected else draft.scene.gaps
        return draft.level_number, view.camera, view.jitter, view.show == "casters", gaps

    def draw(self, draft: FrameContext) -> Steps:
        gbuffer, view = draft.gbuffer, draft.view
        with self.log.measure(self.name) as work:
            gbuffer.begin()
            planes = frustum_planes(view.to_clip)
            more = frozenset({"CASTERS"}) if view.show == "casters" else frozenset()
            work["triangles"] = draft.level.draw_surfaces(view.to_clip, planes, draft.coarse, more)
            work["pixels"] = gbuffer.size[0] * gbuffer.size[1]
        gbuffer.key = draft.keys[self.name]
        yield


class SeeThrough(Pass):
    """Layers of what is seen through, the nearest first."""

    described = SEE_THROUGH
    reads = (SURFACES.name,)

    def wanted(self, draft: FrameContext) -> bool:
        return draft.level.has_veils

    def key(self, draft: FrameContext, lit: LightSubset) -> object:
        return True  # what is read says all

    def is_kept(self, draft: FrameContext) -> bool:
        if not super().is_kept(draft):
            return False
        draft.layers = draft.targets.layers.held
        return True

    def draw(self, draft: FrameContext) -> Steps:
        pixels = draft.gbuffer.size[0] * draft.gbuffer.size[1]
        with self.log.measure(self.name) as work:
            for layer, triangles in draft.targets.layers.draw(
                draft.level, draft.gbuffer, draft.view, draft.coarse
            ):
                draft.layers.append(layer)
                work["triangles"] = work.get("triangles", 0) + triangles
                work["pixels"] = work.get("pixels", 0) + pixels
        yield
