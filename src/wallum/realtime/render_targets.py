"""What one way of making pictures draws into: its targets, its layers, its shadow atlases."""

import moderngl
import numpy as np
from numpy.typing import NDArray

from wallum.frame.passes.air import AIR
from wallum.frame.passes.light import LIGHT, LIGHT_OF_OTHERS
from wallum.realtime.gl.programs import Programs
from wallum.realtime.gl.targets import GBuffer, LightTarget, Size
from wallum.realtime.passes.air.transparent_layers import TransparentLayers
from wallum.realtime.passes.shadows.lamp_shadows import LampShadows
from wallum.realtime.passes.shadows.sun_shadows import SunShadows

__all__ = ["RenderTargets"]

# What `folds` knows before any light: that, what air, whether they were drawn as one.
UNLIT: tuple[object, object, bool] = None, None, True


class RenderTargets:
    """Targets and shadow atlases for one way of making pictures (still, reduced, settling).

    keys : by pass, what the result that it left here depends on
    """

    def __init__(
        self,
        context: moderngl.Context,
        programs: Programs,
        lamp_shadows: LampShadows,
        sun_shadows: SunShadows,
    ) -> None:
        self._context = context
        self.layers = TransparentLayers(context, programs)
        self.lamp_shadows, self.sun_shadows = lamp_shadows, sun_shadows
        self.keys: dict[str, object] = {}
        # What the light from surfaces of the sources under the hand was looked up with.
        self.hand_gains: dict[str, NDArray[np.float64]] = {}
        self._held: tuple[GBuffer, LightTarget, LightTarget, LightTarget] | None = None
        self.own_air = False  # whether the volume that its air is lit in is no other's
        self.in_air = False  # whether the picture has air before it
        self.light_alone = True  # whether `total` holds the light that was drawn last, without that
        self._lit: tuple[object, object, bool] = UNLIT

    def fit(self, size: Size) -> GBuffer:
        """Surfaces and targets at a size; made anew when it changed."""
        if self._held is None or self._held[0].size != size:
            for item in reversed(self._held or ()):
                item.release()
            self.keys.clear()
            gbuffer = GBuffer(self._context, size)
            self._held = (
                gbuffer,
                LightTarget(self._context, gbuffer),
                LightTarget(self._context, gbuffer),
                LightTarget(self._context, gbuffer),
            )
        return self._held[0]

    @property
    def gbuffer(self) -> GBuffer:
        assert self._held is not None, "a picture is drawn before its surfaces are asked for"
        return self._held[0]

    @property
    def others(self) -> LightTarget:
        """Light of all sources that are not active."""
        assert self._held is not None, "a picture is drawn before its light is asked for"
        return self._held[1]

    @property
    def total(self) -> LightTarget:
        """All light, without air."""
        assert self._held is not None, "a picture is drawn before its light is asked for"
        return self._held[2]

    @property
    def aired(self) -> LightTarget:
        """All light, with the air before it."""
        assert self._held is not None, "a picture is drawn before its light is asked for"
        return self._held[3]

    @property
    def result(self) -> LightTarget:
        """The light of the picture that was drawn last."""
        return self.aired if self.in_air else self.total

    def folds(self, light: object, air: object) -> bool:
        """Whether light and the air before it are drawn as one: unless, since the picture before, air alone
        has become another.

        light, air : what each of them depends on
        """
        last_light, last_air, folded = self._lit
        self._lit = light, air, light != last_light or (folded and air == last_air)
        return self._lit[2]

    def forget_light(self) -> None:
        """Let go of the light and of the air before it."""
        for item in (LIGHT, LIGHT_OF_OTHERS, AIR):
            self.keys.pop(item.name, None)
        # Nothing is kept that air could be laid over.
        self._lit = UNLIT

    def forget(self) -> None:
        """The level changed: nothing kept is true any more."""
        self.keys.clear()
        self.layers.release()
        self.lamp_shadows.level_changed()
        self.sun_shadows.level_changed()
