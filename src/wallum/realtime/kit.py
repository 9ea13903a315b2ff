"""What one way of making pictures draws into: its targets, its layers, its shadow atlases."""

import moderngl

from wallum.realtime.lamp_shadows import LampShadows
from wallum.realtime.programs import Programs
from wallum.realtime.sun_shadows import SunShadows
from wallum.realtime.targets import GBuffer, LightTarget, Size
from wallum.realtime.veils import Layers

__all__ = ["Kit"]


class Kit:
    """Targets and shadow atlases for one way of making pictures (still, reduced, settling)."""

    def __init__(
        self,
        context: moderngl.Context,
        programs: Programs,
        lamp_shadows: LampShadows,
        sun_shadows: SunShadows,
    ) -> None:
        self._context = context
        self.layers = Layers(context, programs)
        self.lamp_shadows, self.sun_shadows = lamp_shadows, sun_shadows
        self.gbuffer: GBuffer | None = None
        self.others: LightTarget | None = None  # light of all sources that are not active
        self.total: LightTarget | None = None

    def fit(self, size: Size) -> tuple[GBuffer, LightTarget, LightTarget]:
        """The targets at a size; made anew when it changed."""
        if self.gbuffer is None or self.gbuffer.size != size:
            for item in (self.others, self.total, self.gbuffer):
                if item is not None:
                    item.release()
            self.gbuffer = GBuffer(self._context, size)
            self.others = LightTarget(self._context, self.gbuffer)
            self.total = LightTarget(self._context, self.gbuffer)
        assert self.others is not None
        assert self.total is not None
        return self.gbuffer, self.others, self.total

    def forget(self) -> None:
        """The level changed: nothing kept is true any more."""
        for item in (self.gbuffer, self.others, self.total):
            if item is not None:
                item.key = None
        self.layers.release()
        self.lamp_shadows.level_changed()
        self.sun_shadows.level_changed()
