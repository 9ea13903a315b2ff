"""Light on surfaces: all of it, or that of the others and what is under the hand added."""

import moderngl

from wallum.frame.passes.air import AIR, AIR_LIGHT
from wallum.frame.passes.baked import BAKED_LIGHT
from wallum.frame.passes.bounce import PROBE_LIGHT, PROBE_LIGHT_OF_HAND
from wallum.frame.passes.light import LIGHT, LIGHT_ADDED, LIGHT_OF_OTHERS, LIGHT_OF_SEE_THROUGH
from wallum.frame.passes.shadows import LAMP_SHADOWS, SUN_SHADOWS
from wallum.frame.passes.sky import CLOUDS, SKY, SKY_VISIBILITY
from wallum.frame.passes.surfaces import SEE_THROUGH, SURFACES
from wallum.frame.views import WITHOUT_SKY
from wallum.realtime.gl.pass_log import PassLog
from wallum.realtime.gl.targets import LightTarget
from wallum.realtime.gl.view import pre_exposure
from wallum.realtime.passes.air.air_lit import LitAir
from wallum.realtime.passes.air.air_over import AirComposite, can_fold
from wallum.realtime.passes.frame.base import FrameContext, LightSubset, Pass, Steps
from wallum.realtime.passes.lamps.lighting import Lighting
from wallum.realtime.passes.sky.sky_light import SkyPass

__all__ = ["Light", "LightAdded", "LightOfOthers", "LightOfSeeThrough"]


BEFORE = (
    SURFACES, SEE_THROUGH, SKY, SKY_VISIBILITY, BAKED_LIGHT, PROBE_LIGHT, LAMP_SHADOWS, SUN_SHADOWS, CLOUDS,
)  # fmt: skip


class _Summed(Pass):
    """Light of many sources at once, with the sky behind it."""

    reads = tuple(item.name for item in BEFORE)

    def __init__(self, log: PassLog, lighting: Lighting, sky: SkyPass) -> None:
        super().__init__(log)
        self._lighting, self._sky = lighting, sky

    def key(self, draft: FrameContext, lit: LightSubset) -> object:
        scene = lit.scene
        return (
            lit.lamps.rows.tobytes(),
            None if scene.sun is None else scene.sun.key,
            pre_exposure(scene.look.ev100),
            # Surfaces that ask for no light are as bright as the exposure wants them.
            scene.look.ev100 if self._lighting.has_unlit else None,
            self._lighting.air_key(scene),
            tuple(sorted(scene.glow.items())),
            scene.glow_gain,
            (scene.open_sky, None if scene.flat is None else tuple(scene.flat), scene.rooms),
            draft.view.show,
            self._lighting.mirrors.version if self._lighting.shows_mirrors(draft) else None,
        )

    def _in_air_values(self, draft: FrameContext) -> dict[str, object] | None:
        """Values of the air's volume, where that is laid over the light as it is drawn."""
        return None

    def _sum(self, draft: FrameContext, lit: LightSubset, target: LightTarget) -> Steps:
        with self.log.measure(self.name) as work:
            self._lighting.write_lamps(draft)
            in_air = self._in_air_values(draft)
            self._lighting.sum_all(draft, lit, draft.gbuffer, target, in_air)
            exposure = pre_exposure(lit.scene.look.ev100)
            if draft.view.show not in WITHOUT_SKY:
                self._sky.draw(lit.scene, draft.view, draft.gbuffer, target, exposure)
            work |= self._lighting.work(draft, draft.gbuffer)
        yield


class LightOfOthers(_Summed):
    """What is not under the hand: kept while that moves."""

    described = LIGHT_OF_OTHERS

    def wanted(self, draft: FrameContext) -> bool:
        return bool(draft.active) and not draft.inspected

    def draw(self, draft: FrameContext) -> Steps:
        yield from self._sum(draft, draft.rest, draft.targets.others)


class Light(_Summed):
    """All light of a picture whose sources rest; with the air before it, unless that alone moves."""

    described = LIGHT
    target = "total"

    def __init__(
        self, log: PassLog, lighting: Lighting, sky: SkyPass, over: AirComposite, air: LitAir
    ) -> None:
        super().__init__(log, lighting, sky)
        self._over, self._air = over, air

    def wanted(self, draft: FrameContext) -> bool:
        return not draft.active and not draft.inspected

    def begin(self, draft: FrameContext) -> None:
        """Whether the air goes into it: not where nothing else has changed since, as the light is kept then
        and air laid over that costs less than both."""
        draft.folded = (
            can_fold(draft)
            and not draft.waits
            and draft.targets.folds(
                (super().key(draft, draft.on_surfaces), draft.view.camera, draft.size), self._in_air(draft)
            )
        )

    def _in_air_values(self, draft: FrameContext) -> dict[str, object] | None:
        return self._air.uniforms(draft, draft.gbuffer) if draft.folded else None

    def may_wait(self, draft: FrameContext) -> bool:
        """Not where the air was drawn into it."""
        return draft.targets.light_alone

    @staticmethod
    def _in_air(draft: FrameContext) -> object:
        return draft.keys.get(AIR_LIGHT.name), draft.laid_over

    def key(self, draft: FrameContext, lit: LightSubset) -> object:
        # What is laid over it in place is taken off again by drawing it anew.
        over = self._in_air(draft) if draft.folded else None if lit.scene.air is not None else draft.laid_over
        return super().key(draft, lit), over, draft.folded

    def draw(self, draft: FrameContext) -> Steps:
        targets = draft.targets
        targets.light_alone = not draft.folded
        target = targets.aired if draft.folded else targets.total
        yield from self._sum(draft, draft.on_surfaces, target)
        if draft.folded:
            with self.log.measure(AIR.name):
                self._over.beyond(draft)
            yield


class LightAdded(Pass):
    """The sources under the hand, over the light of all others."""

    described = LIGHT_ADDED
    target = "total"

    def __init__(self, log: PassLog, context: moderngl.Context, lighting: Lighting, sky: SkyPass) -> None:
        super().__init__(log)
        self._context, self._lighting, self._sky = context, lighting, sky

    def wanted(self, draft: FrameContext) -> bool:
        return bool(draft.active) and not draft.inspected

    def key(self, draft: FrameContext, lit: LightSubset) -> object:
        return None

    def draw(self, draft: FrameContext) -> Steps:
        target = draft.targets.total
        with self.log.measure(self.name) as work:
            self._lighting.write_lamps(draft)
            self._context.copy_framebuffer(target.frame, draft.targets.others.frame)
            work["pixels"] = self._lighting.add_lamps(draft, target) + self._add_far(draft, target)
            if PROBE_LIGHT_OF_HAND.name in draft.keys:
                work["pixels"] += self._lighting.add_bounce(draft, target)
        yield

    def _add_far(self, draft: FrameContext, target: LightTarget) -> int:
        """Sun and sky, where they are under the hand; returns the pixels visited."""
        lit = self._lighting.far_alone(draft)
        if lit is None:
            return 0
        self._lighting.add_far_light(draft, lit, target)
        self._sky.draw(lit, draft.view, draft.gbuffer, target, pre_exposure(draft.scene.look.ev100))
        return draft.size[0] * draft.size[1]


class LightOfSeeThrough(Pass):
    """Each layer of what is seen through, lit and laid over what lies behind it, from the farthest on."""

    described = LIGHT_OF_SEE_THROUGH
    reads = (LIGHT.name, LIGHT_ADDED.name, AIR.name)
    target, over = "total", True

    def __init__(self, log: PassLog, lighting: Lighting, air: LitAir) -> None:
        super().__init__(log)
        self._lighting, self._air = lighting, air

    def wanted(self, draft: FrameContext) -> bool:
        return bool(draft.layers) and not draft.inspected

    def key(self, draft: FrameContext, lit: LightSubset) -> object:
        return None if draft.active else ()

    def draw(self, draft: FrameContext) -> Steps:
        lighting, layers = self._lighting, draft.targets.layers
        lighting.write_lamps(draft)
        for layer in reversed(draft.layers):
            with self.log.measure(self.name) as work:
                lighting.sum_all(draft, draft.on_surfaces, layer.gbuffer, layer.target)
                layers.lay(layer, draft, self._air, draft.targets.result)
                work |= lighting.work(draft, layer.gbuffer)
            yield
