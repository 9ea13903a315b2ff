"""The air before what the camera sees: lit in a volume, then laid over the light of surfaces and sky."""

import moderngl

from wallum.frame.passes.air import AIR, AIR_LIGHT
from wallum.frame.passes.light import LIGHT, LIGHT_ADDED
from wallum.frame.passes.shadows import LAMP_SHADOWS, SUN_SHADOWS
from wallum.frame.passes.sky import CLOUDS, SKY, SKY_VISIBILITY
from wallum.frame.passes.surfaces import SURFACES
from wallum.realtime.gl.pass_log import PassLog
from wallum.realtime.gl.programs import Programs, set_uniforms
from wallum.realtime.gl.view import pre_exposure
from wallum.realtime.passes.air_volume import AirVolume
from wallum.realtime.passes.base import Draft, Lit, Pass, Steps
from wallum.realtime.passes.lighting import Lighting
from wallum.realtime.passes.sky_pass import SkyPass

__all__ = ["Air", "AirLight"]

# Variants that say nothing of what lies near: only what is beyond the volume is in closed form, or sky.
FAR_ONLY = frozenset({"DECK", "MIST", "SUN", "SKY", "CLEAR", "POCKETS"})


class AirLight(Pass):
    """True shafts: what sun, sky and lamps light of the air near the camera, with their shadows."""

    described = AIR_LIGHT
    reads = tuple(one.name for one in (SURFACES, SKY, SKY_VISIBILITY, LAMP_SHADOWS, SUN_SHADOWS))

    def __init__(self, log: PassLog, lighting: Lighting, volume: AirVolume) -> None:
        super().__init__(log)
        self._lighting, self._volume = lighting, volume

    def wanted(self, draft: Draft) -> bool:
        return draft.scene.air is not None and draft.scene.air.in_volume and not draft.inspected

    def key(self, draft: Draft, lit: Lit) -> object:
        scene = lit.scene
        sun = None if scene.sun is None else scene.sun.key
        shown = tuple(None if one is None else (one.in_air, one.air_shadow) for one in (scene.sun, scene.sky))
        return lit.lamps.rows.tobytes(), sun, shown, scene.air, pre_exposure(scene.look.ev100), draft.size

    def is_kept(self, draft: Draft) -> bool:
        # One volume is held, whoever asked for it.
        return self._volume.shows == draft.keys[self.name]

    def draw(self, draft: Draft) -> Steps:
        with self.log.measure(self.name) as work:
            self._lighting.light_air(draft)
            work["places"] = self._volume.places
            work["lamps"] = len(draft.seen.lamps.ids)
        self._volume.shows = draft.keys[self.name]
        yield


class Air(Pass):
    """What the air leaves of the picture's light and adds to it."""

    described = AIR
    reads = (LIGHT.name, LIGHT_ADDED.name, AIR_LIGHT.name, CLOUDS.name)
    target = "aired"

    def __init__(
        self,
        log: PassLog,
        context: moderngl.Context,
        programs: Programs,
        lighting: Lighting,
        sky: SkyPass,
        volume: AirVolume,
    ) -> None:
        super().__init__(log)
        self._context, self._programs = context, programs
        self._lighting, self._sky, self._volume = lighting, sky, volume

    def wanted(self, draft: Draft) -> bool:
        return draft.scene.air is not None and not draft.inspected

    def key(self, draft: Draft, lit: Lit) -> object:
        far = tuple(None if one is None else one.in_air for one in (lit.scene.sun, lit.scene.sky))
        return None if draft.active else (lit.scene.air, far, draft.view.show, draft.laid_over)

    def _over(self, names: frozenset[str], values: dict[str, object], depth_func: str) -> None:
        """Draw a variant over the picture: all of it, or what a depth's test lets through."""
        program = self._programs.get("screen", "air", names)
        set_uniforms(program, **values)
        self._context.enable_only(moderngl.DEPTH_TEST if depth_func else 0)
        if depth_func:
            self._context.depth_func = depth_func
        self._programs.over_screen(program)

    def draw(self, draft: Draft) -> Steps:
        scene, view, gbuffer, targets = draft.scene, draft.view, draft.gbuffer, draft.targets
        assert scene.air is not None
        with self.log.measure(self.name) as work:
            names, values = self._lighting.air_before(draft, gbuffer)
            values |= {"picture": targets.total.light, "g_depth": gbuffer.distance}
            values["floor_y"] = self._sky.floor_y
            if view.show == "air":
                names |= {"ALONE"}
            if scene.sky is not None and scene.sky.deck is not None:
                names |= {"DECK"}
                values |= self._sky.deck_before(scene.sky.deck, view, gbuffer)
            targets.aired.frame.use()
            targets.aired.frame.viewport = (0, 0, *draft.size)
            targets.aired.frame.depth_mask = False
            if scene.air.in_volume and not scene.air.tinted:
                values["at_depth"] = view.depth_of(scene.air.reach)
                self._over(names | {"AT_DEPTH"}, values, "<=")
                self._over((names - FAR_ONLY) | {"AT_DEPTH", "NEAR"}, values, ">")
            else:
                self._over(names, values, "")
            work["pixels"] = draft.size[0] * draft.size[1]
        yield
