"""The air laid over a picture's light: over all of it, or over what the light pass has left without."""

import moderngl

from wallum.realtime.gl.programs import Programs, set_uniforms
from wallum.realtime.passes.air.air_lit import LitAir
from wallum.realtime.passes.frame.base import FrameContext
from wallum.realtime.passes.sky.sky_light import SkyPass

__all__ = ["AirComposite", "can_fold"]

# Variants that say nothing of what lies near: only what is beyond the volume is in closed form, or sky.
FAR_ONLY = frozenset({"DECK", "MIST", "SUN", "SKY", "CLEAR", "POCKETS"})


def can_fold(draft: FrameContext) -> bool:
    """Whether the volume alone says what the air before near surfaces does: the light pass then needs no
    other pass over them."""
    air = draft.scene.air
    return air is not None and air.in_volume and not air.tinted and draft.view.show != "air"


class AirComposite:
    """Draws the air before surfaces and sky into the target of the finished light."""

    def __init__(self, context: moderngl.Context, programs: Programs, air: LitAir, sky: SkyPass) -> None:
        self._context, self._programs, self._air, self._sky = context, programs, air, sky

    def _values(self, draft: FrameContext) -> tuple[frozenset[str], dict[str, object]]:
        scene, view, gbuffer = draft.scene, draft.view, draft.gbuffer
        names, values = self._air.before(draft, gbuffer)
        values |= {"g_depth": gbuffer.distance, "floor_y": self._sky.floor_y}
        if view.show == "air":
            names |= {"ALONE"}
        if scene.sky is not None and scene.sky.deck is not None:
            names |= {"DECK"}
            values |= self._sky.deck_before(scene.sky.deck, view, gbuffer)
        return names, values

    def _draw(self, names: frozenset[str], values: dict[str, object], depth_func: str, how: int = 0) -> None:
        """Draw a variant over the picture: all of it, or what a depth's test lets through."""
        program = self._programs.get("screen", "air", names)
        set_uniforms(program, **values)
        self._context.enable_only(how | (moderngl.DEPTH_TEST if depth_func else 0))
        if depth_func:
            self._context.depth_func = depth_func
        self._programs.over_screen(program)

    def _use(self, draft: FrameContext) -> None:
        frame = draft.targets.aired.frame
        frame.use()
        frame.viewport = (0, 0, *draft.size)
        frame.depth_mask = False

    def over_all(self, draft: FrameContext) -> None:
        """Lay it over the light that has no air before it yet."""
        air = draft.scene.air
        assert air is not None
        names, values = self._values(draft)
        values["picture"] = draft.targets.total.light
        self._use(draft)
        if air.in_volume and not air.tinted:
            values["at_depth"] = draft.view.depth_of(air.reach)
            self._draw(names | {"AT_DEPTH"}, values, "<=")
            self._draw((names - FAR_ONLY) | {"AT_DEPTH", "NEAR"}, values, ">")
        else:
            self._draw(names, values, "")

    def beyond(self, draft: FrameContext) -> None:
        """Lay it over what lies beyond the volume, in place: the light pass has done what is near."""
        air = draft.scene.air
        assert air is not None
        names, values = self._values(draft)
        values["at_depth"] = draft.view.depth_of(air.reach)
        self._use(draft)
        self._context.blend_func = moderngl.ONE, moderngl.SRC_ALPHA
        self._draw(names | {"AT_DEPTH", "IN_PLACE"}, values, "<=", moderngl.BLEND)
