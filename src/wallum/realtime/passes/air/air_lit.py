"""The air before the camera as it is lit place by place, and what it shows and leaves of what lies behind."""

from dataclasses import replace
from typing import TYPE_CHECKING

import moderngl

from wallum.frame.quality import Quality
from wallum.moment.lamps import Lamps
from wallum.moment.scene import LitScene
from wallum.physics.dome import FACTORS
from wallum.realtime.gl.programs import Programs
from wallum.realtime.gl.targets import GBuffer
from wallum.realtime.gl.view import pre_exposure
from wallum.realtime.passes.air.air_values import (
    air_features,
    air_uniforms,
    seen_features,
    thickened,
    was_uniforms,
)
from wallum.realtime.passes.air.air_volume import AirVolume
from wallum.realtime.passes.air.pockets import Pockets
from wallum.realtime.passes.lamps.clusters import CELL_PIXELS, assign_lamps
from wallum.realtime.passes.lamps.lamp_buffers import LampBuffers, LampLists
from wallum.realtime.passes.lamps.lighting import Lighting
from wallum.realtime.passes.sky.sky_visibility import SkyVisibility

if TYPE_CHECKING:
    from wallum.realtime.passes.frame.base import FrameContext

__all__ = ["LitAir"]

# Columns and rows of the air's volume that share a list of lamps.
AIR_CELL = 4
NO_REACH_M = 1e-3


class LitAir:
    """Lights the air of a picture in the volume that is its own."""

    def __init__(
        self,
        context: moderngl.Context,
        programs: Programs,
        buffers: LampBuffers,
        lighting: Lighting,
        visibility: SkyVisibility,
        quality: Quality,
    ) -> None:
        self._programs, self._buffers, self._lighting = programs, buffers, lighting
        self._visibility, self._probes = visibility, lighting.probes
        self._lists = LampLists(context)
        self._pockets = Pockets(context)
        self._volume = AirVolume(context, programs, quality.air_places)
        self._settling = AirVolume(context, programs, quality.air_places)
        self._passing = AirVolume(context, programs, quality.passing_air)

    def volume_of(self, draft: "FrameContext") -> AirVolume:
        """The volume that the air of a picture is lit in."""
        if draft.moving:
            return self._passing
        return self._volume if draft.targets.own_air else self._settling

    def forget(self) -> None:
        """Light the air anew for the next picture."""
        for volume in (self._volume, self._settling, self._passing):
            volume.shows = volume.lit_in = None

    def around(self, scene: LitScene) -> object:
        """What the light that the air has from around depends on, beside sun, sky and lamps."""
        return self._visibility.number, self._probes.light_key(scene) if self._probes.in_air else None

    def uniforms(self, draft: "FrameContext", gbuffer: GBuffer) -> dict[str, object]:
        """Values of include/air_near.glsl: the volume of a picture, as looked up for a G-buffer's pixels."""
        assert draft.scene.air is not None
        return self.volume_of(draft).uniforms(draft.view, gbuffer, draft.scene.air.reach)

    def before(self, draft: "FrameContext", gbuffer: GBuffer) -> tuple[frozenset[str], dict[str, object]]:
        """The variant and the values of include/air_light.glsl for what a G-buffer holds."""
        scene, view = draft.scene, draft.view
        assert scene.air is not None
        there = {"SUN": scene.sun is not None, "SKY": scene.sky is not None}
        names = seen_features(scene.air) | {name for name, used in there.items() if used}
        values = {
            **self._lighting.far_values(scene, view),
            **view.uniforms,
            **view.pixel_uniforms(gbuffer.size),
        }
        if scene.air.in_volume:
            values |= self.uniforms(draft, draft.gbuffer)
        return names, values

    def light(self, draft: "FrameContext") -> None:
        """Find what each place of the volume scatters."""
        scene, view, volume = draft.scene, draft.view, self.volume_of(draft)
        assert scene.air is not None
        self._lighting.write_lamps(draft)
        self._list_lamps(draft)
        lit = replace(scene, lamps=draft.seen.lamps)
        names = self._lighting.features(lit, True, bool(draft.seen.tiles), glow=False)
        names |= air_features(scene.air) | ({"MANY_LAMPS"} if self._buffers.many else set())
        exposure = pre_exposure(scene.look.ev100)
        values = self._lighting.far_values(scene, view) | self._lighting.shadow_values(names, draft)
        values |= self._visibility.openness(scene.sky, draft.moving)
        if scene.sky is not None:
            terms = scene.sky.upper_terms * FACTORS[:, None] * exposure
            values["sky_terms"] = terms.astype("f4").tobytes()
            values["far_ground"] = tuple(scene.sky.ground * exposure)
        if self._probes.in_air:
            names |= {"AROUND"}
            in_turn = bool(draft.waits)
            values |= self._visibility.surfaces(self._probes, scene, exposure, in_turn)
        if scene.sun is not None and scene.sun.clouds is not None:
            values |= self._lighting.clouds.uniforms(scene.sun, exposure)
        if scene.air.pockets:
            pockets = scene.air.pockets
            self._pockets.write(pockets, view.camera, volume.size, scene.air.reach, exposure)
            names |= {"POCKETS"}
            values |= self._pockets.uniforms(pockets)
        if scene.lamps.ids:
            values |= self._lists.uniforms()
        volume.find_held(view, draft.gbuffer, scene.air.reach)
        program = self._programs.get("screen", "air_lit", names)
        self._buffers.connect(program)
        self._pockets.connect(program)
        volume.light(program, values, view, draft.gbuffer, scene.air.reach)
        volume.lit_in = scene.air

    def may_wait(self, draft: "FrameContext") -> bool:
        """Whether what places scatter follows from what they did, though the air is another by now."""
        was, now = self.volume_of(draft).lit_in, draft.scene.air
        return was is not None and now is not None and thickened(was, now)

    def sum_up(self, draft: "FrameContext") -> None:
        """Sum what places scatter along each column, as thick as the air is now."""
        scene, view, volume = draft.scene, draft.view, self.volume_of(draft)
        assert scene.air is not None
        names = seen_features(scene.air) & {"MIST", "TINTED", "POCKETS"}
        values = {**air_uniforms(scene, view)}
        if volume.lit_in is not None and volume.lit_in != scene.air:
            names |= {"WAS"}
            values |= was_uniforms(volume.lit_in)
        volume.sum_up(names, values, view, draft.gbuffer, scene.air.reach)

    def _list_lamps(self, draft: "FrameContext") -> None:
        """The lamps of each coarse cell of the view, whether it holds a surface or not."""
        lamps, shadowed, camera = draft.seen.lamps, draft.seen.shadowed, draft.view.camera
        dark = lamps.rows["in_air"] <= 0.0
        if dark.any():  # one that lights no air reaches none
            reaching = lamps.rows.copy()
            reaching["range"][dark] = NO_REACH_M
            lamps = Lamps(lamps.ids, reaching)
        columns, rows, _ = self.volume_of(draft).size
        size = (columns // AIR_CELL * CELL_PIXELS, rows // AIR_CELL * CELL_PIXELS)
        key = (lamps.shape_key(), shadowed.tobytes(), camera, size)
        if self._lists.key != key:
            self._lists.write(assign_lamps(lamps, shadowed, camera, size))
            self._lists.key = key
