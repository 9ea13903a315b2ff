"""The air before what the camera sees: lit in a volume, then laid over the light of surfaces and sky."""

from wallum.frame.passes.air import AIR, AIR_LIGHT
from wallum.frame.passes.light import LIGHT, LIGHT_ADDED
from wallum.frame.passes.shadows import LAMP_SHADOWS, SUN_SHADOWS
from wallum.frame.passes.sky import CLOUDS, SKY, SKY_VISIBILITY
from wallum.frame.passes.surfaces import SURFACES
from wallum.realtime.gl.pass_log import PassLog
from wallum.realtime.gl.view import pre_exposure
from wallum.realtime.passes.air.air_lit import LitAir
from wallum.realtime.passes.air.air_over import AirComposite
from wallum.realtime.passes.frame.base import FrameContext, LightSubset, Pass, Steps

__all__ = ["Air", "AirLight"]


class AirLight(Pass):
    """True shafts: what sun, sky and lamps light of the air near the camera, with their shadows."""

    described = AIR_LIGHT
    reads = tuple(item.name for item in (SURFACES, SKY, SKY_VISIBILITY, LAMP_SHADOWS, SUN_SHADOWS))

    def __init__(self, log: PassLog, air: LitAir) -> None:
        super().__init__(log)
        self._air = air

    def wanted(self, draft: FrameContext) -> bool:
        return draft.scene.air is not None and draft.scene.air.in_volume and not draft.inspected

    def key(self, draft: FrameContext, lit: LightSubset) -> object:
        scene = lit.scene
        sun = None if scene.sun is None else scene.sun.key
        shown = tuple(
            None if item is None else (item.in_air, item.air_shadow) for item in (scene.sun, scene.sky)
        )
        seen = scene.air, pre_exposure(scene.look.ev100), draft.size
        return lit.lamps.rows.tobytes(), sun, shown, *seen, self._air.around(scene)

    def is_kept(self, draft: FrameContext) -> bool:
        # Several ways of making pictures may share one.
        return self._air.volume_of(draft).shows == draft.keys[self.name]

    def draw(self, draft: FrameContext) -> Steps:
        volume = self._air.volume_of(draft)
        with self.log.measure(self.name) as work:
            self._air.light(draft)
            self._air.sum_up(draft)
            work["places"] = volume.places
            work["lamps"] = len(draft.seen.lamps.ids)
        volume.shows = draft.keys[self.name]
        yield

    def may_wait(self, draft: FrameContext) -> bool:
        return self._air.may_wait(draft)

    def follow(self, draft: FrameContext) -> Steps:
        """Sum up what the volume was lit with, as thick as the air is now."""
        with self.log.measure(self.name) as work:
            self._air.sum_up(draft)
            work["places"] = 0
        self._air.volume_of(draft).shows = None
        yield


class Air(Pass):
    """What the air leaves of the picture's light and adds to it."""

    described = AIR
    reads = (LIGHT.name, LIGHT_ADDED.name, AIR_LIGHT.name, CLOUDS.name)
    target = "aired"

    def __init__(self, log: PassLog, over: AirComposite) -> None:
        super().__init__(log)
        self._over = over

    def wanted(self, draft: FrameContext) -> bool:
        return draft.scene.air is not None and not draft.inspected and not draft.folded

    def key(self, draft: FrameContext, lit: LightSubset) -> object:
        far = tuple(None if item is None else item.in_air for item in (lit.scene.sun, lit.scene.sky))
        return None if draft.active else (lit.scene.air, far, draft.view.show, draft.laid_over)

    def draw(self, draft: FrameContext) -> Steps:
        with self.log.measure(self.name) as work:
            self._over.over_all(draft)
            work["pixels"] = draft.size[0] * draft.size[1]
        yield
