"""The light pass: what falls on the surfaces of a G-buffer, in as few draws as can be."""

import math
from dataclasses import replace
from typing import TYPE_CHECKING

import moderngl
import numpy as np

from wallum.frame.views import FACE, FROM_SURFACES
from wallum.moment.bounce_gains import sky_strength
from wallum.moment.kinds import SHADERS, by_kind
from wallum.moment.lamps import NO_LAMPS, LampRows
from wallum.moment.scene import LitScene
from wallum.moment.view import bounding_spheres
from wallum.physics.exposure import exposure_scale
from wallum.physics.false_colour import grain_ramp
from wallum.physics.gloss_table import gloss_table
from wallum.physics.gobo import PATTERNS
from wallum.realtime.gl.programs import Programs, kind_feature, set_uniforms
from wallum.realtime.gl.targets import GBuffer, LightTarget, Size
from wallum.realtime.gl.tiles import Tiles
from wallum.realtime.gl.view import View, pre_exposure
from wallum.realtime.level.bundle import GLOW_SCALE
from wallum.realtime.passes.air.air_values import air_dims, air_features, air_uniforms
from wallum.realtime.passes.indirect.mirror_images import MirrorImages
from wallum.realtime.passes.indirect.mirrored_pixels import MirroredPixels
from wallum.realtime.passes.indirect.probe_light import ProbeLight
from wallum.realtime.passes.lamps.clusters import assign_lamps, held_squares
from wallum.realtime.passes.lamps.lamp_buffers import LampBuffers, LampLists, lamp_rows
from wallum.realtime.passes.lamps.lamp_scissor import lamp_scissor
from wallum.realtime.passes.shadows.sun_shadows import SunShadows
from wallum.realtime.passes.sky.cloud_map import CloudMap
from wallum.realtime.passes.sky.sky_light import SkyPass

if TYPE_CHECKING:
    from wallum.realtime.passes.frame.base import FrameContext, LightSubset

__all__ = ["FOLLOWERS", "Lighting"]

# Lamps that glow may follow, and one number for glow that follows none.
FOLLOWERS = 256
# Of the light of a pixel that was baked with the sky, gloss takes at least one part of so many.
MIN_PART = 100.0
# What mirror images differ by, of what light has.
OF_MIRRORS = frozenset({"SKY", "BOUNCE", "IN_AIR", "MIRRORED"})
BY_LAMPS = frozenset({"LAMPS", "LAMP_SHADOWS", "GOBOS", "LEAVES", *map(kind_feature, SHADERS)})


def kind_features(rows: LampRows) -> set[str]:
    """The features of the kinds of lamps that are there, and of what stands before them."""
    gobos = {"GOBOS"} if rows["gobo"].any() else set()
    leaves = {"LEAVES"} if (rows["gobo"] == PATTERNS.index("leaves")).any() else set()
    return gobos | leaves | {kind_feature(kind.shader) for kind, _ in by_kind(rows)}


class Lighting:
    """Draws light into a LightTarget; buffers and shadow atlases are handed in."""

    def __init__(
        self,
        context: moderngl.Context,
        programs: Programs,
        buffers: LampBuffers,
        sky: SkyPass,
        probes: ProbeLight,
    ) -> None:
        self._context, self._programs, self._buffers = context, programs, buffers
        self._sky, self.probes = sky, probes
        self.mirrors = MirrorImages(context)
        self._mirrored = MirroredPixels(context, programs)
        self._lists = LampLists(context)
        self.clouds = CloudMap(context, programs, sky)
        self.tiles = Tiles(context, programs)
        self._follow = context.texture((FOLLOWERS, 1), 1, np.ones(FOLLOWERS, np.float32), dtype="f4")
        self._follow.filter = (moderngl.NEAREST, moderngl.NEAREST)
        fine_to_coarse = np.ascontiguousarray(grain_ramp(), dtype=np.float32)
        self._ramp = context.texture((len(fine_to_coarse), 1), 3, fine_to_coarse, dtype="f4")
        self._ramp.filter = (moderngl.NEAREST, moderngl.NEAREST)
        shares = gloss_table()
        self._gloss = context.texture(shares.shape[1::-1], 4, shares, dtype="f4")
        self._gloss.filter = (moderngl.NEAREST, moderngl.NEAREST)
        self._rooms: tuple[object, moderngl.Texture] | None = None
        self.veiled = False  # whether anything in this level is seen through
        self.has_unlit = False  # whether any surface asks for no light
        self.glossy = False  # whether anything in it is smooth enough to mirror the level
        self.unusual = False  # whether anything in it reflects otherwise than most
        self.followed: tuple[str, ...] = ()  # lamps that glow of this level follows
        self.compiles = False  # whether both variants are drawn with, lamps in reach or not: see tiles

    def shows_mirrors(self, draft: "FrameContext") -> bool:
        """Whether smooth surfaces of a picture show images of the level."""
        there = self.glossy and self.mirrors.there and self.probes.there
        return there and draft.view.show not in (FACE, "direct", "probes")

    def features(self, scene: LitScene, sun_shadow: bool, lamp_shadow: bool, glow: bool) -> frozenset[str]:
        """The variant that a scene needs."""
        names = {"GLOW"} if glow else set()
        if glow and self.followed:
            names.add("FOLLOW")
        if scene.air is not None and air_dims(scene, self._sky.floor_y, self._sky.top_y):
            names |= {"AIR", *air_features(scene.air)}
        if scene.sky is not None:
            names.add("SKY")
        if scene.sun is not None:
            names.add("SUN")
            if scene.sun.shadow and sun_shadow:
                names.add("SUN_SHADOW")
            if scene.sun.clouds is not None:
                names.add("CLOUD_SHADOW")
        if scene.lamps.ids:
            names |= {"LAMPS", *kind_features(scene.lamps.rows)}
            if lamp_shadow:
                names.add("LAMP_SHADOWS")
        if self.veiled and names & {"SUN_SHADOW", "LAMP_SHADOWS"}:
            names.add("VEILED")
        return frozenset(names)

    def _on_ground(self, names: frozenset[str], scene: LitScene) -> frozenset[str]:
        """The variant for surfaces: by how the scene shows light that comes from all around."""
        if not scene.open_sky:
            names -= {"SKY"}
        if scene.rooms:
            names |= {"ROOMS"}
        return names | {"FLAT"} if scene.flat is not None else names

    def _prepare(
        self,
        features: frozenset[str],
        draft: "FrameContext",
        scene: LitScene,
        gbuffer: GBuffer,
        vertex: str = "screen",
    ) -> moderngl.Program:
        """A program with all that it needs to light a scene on the surfaces of a G-buffer."""
        view = draft.view
        if self.unusual:
            features = features | {"UNUSUAL"}
        if "SKY" in features and self.probes.there and "MIRRORS" not in features:
            features = features | {"BY_PROBES"}
        if self._buffers.many:
            features = features | {"MANY_LAMPS"}
        program = self._programs.get(vertex, "lighting", features)
        self._buffers.connect(program)
        exposure = pre_exposure(scene.look.ev100)
        values: dict[str, object] = {
            **gbuffer.textures,
            **view.uniforms,
            **view.pixel_uniforms(gbuffer.size),
            "gloss_table": self._gloss,
            "gaps_direct": 0.0 if draft.scene.gaps is None else draft.scene.gaps.direct,
            "all_grey": float(view.show == "grey"),
            "glow_exposure": exposure / GLOW_SCALE * scene.glow_gain,
            "unlit_exposure": exposure / exposure_scale(scene.look.ev100),
        }
        values |= self.far_values(scene, view)
        if scene.rooms:
            values["room_lights"] = self._written_rooms(scene, exposure)
        if scene.flat is not None:
            values["flat_light"] = tuple(scene.flat * exposure)
        if "MIRRORS" in features:
            values |= self.mirrors.uniforms(scene, self.probes.room_light) | {"g_images": gbuffer.bounce}
        if "SKY" in features:
            values["g_open"] = gbuffer.open
        if "BY_PROBES" in features and scene.sky is not None:
            values["g_sky"] = gbuffer.sky
            values["sky_gain"] = tuple(sky_strength(scene.sky) / gbuffer.sky_strength)
        if "FOLLOW" in features:
            values["follow"] = self._written_follow(scene)
        if scene.sun is not None and scene.sun.clouds is not None:
            values |= self.clouds.uniforms(scene.sun, exposure)
        set_uniforms(program, **values, **self.shadow_values(features, draft))
        return program

    def shadow_values(self, features: frozenset[str], draft: "FrameContext") -> dict[str, object]:
        """Uniforms of the shadows that a variant looks up."""
        values: dict[str, object] = {}
        if "SUN_SHADOW" in features:
            shadows = draft.sun_shadows
            assert shadows is not None
            values |= shadows.uniforms() | shadows.veils.uniforms("sun")
            values["sun_atlas"] = shadows.atlas.texture
        if "LAMP_SHADOWS" in features:
            lamps = draft.targets.lamp_shadows
            values |= lamps.uniforms(draft.view.camera.far) | lamps.veils.uniforms("lamp")
            values["lamp_atlas"] = lamps.atlas.texture
        return values

    def air_key(self, scene: LitScene) -> object:
        """What the light on surfaces depends on of the air: nothing, where that is too thin to dim it on its
        way; but light that has no air before it may be laid over in place."""
        return "AIR" in self.features(scene, False, False, glow=False) and scene.air, scene.air is None

    def far_values(self, scene: LitScene, view: View) -> dict[str, object]:
        """Uniforms of the air, the sky and the sun."""
        exposure = pre_exposure(scene.look.ev100)
        values = {**air_uniforms(scene, view)}
        if scene.sky is not None:
            values |= self._sky.surface_uniforms(scene.sky, exposure)
        if scene.sun is not None:
            values["sun_direction"] = tuple(scene.sun.direction)
            values["sun_illuminance"] = tuple(scene.sun.illuminance * exposure)
        return values

    def inspect(
        self,
        view: View,
        gbuffer: GBuffer,
        target: LightTarget,
        sun_shadows: SunShadows,
        grain: tuple[tuple[float, float, float], float] | None = None,
    ) -> None:
        """Show what the surfaces are, without any light.

        grain : place of a lamp and width of its shadow's texels at 1 m, where its grain is shown
        """
        names = {view.show.upper().replace(" ", "_")} | ({"LAMP_GRAIN"} if grain is not None else set())
        program = self._programs.get("screen", "inspect", frozenset(names))
        values: dict[str, object] = {**gbuffer.textures, **view.uniforms}
        if view.show == "shadow grain":
            values |= self._grain_uniforms(view, gbuffer, sun_shadows, grain)
        set_uniforms(program, **values)
        self._on_surfaces(target, gbuffer.size, add=False)
        target.frame.clear(0.02, 0.02, 0.02, 0.0)
        self._draw(program)

    def _grain_uniforms(
        self,
        view: View,
        gbuffer: GBuffer,
        sun_shadows: SunShadows,
        grain: tuple[tuple[float, float, float], float] | None,
    ) -> dict[str, object]:
        values: dict[str, object] = {
            "ramp": self._ramp,
            "pixel_angle": 2.0 * view.camera.tangents[1] / gbuffer.size[1],
        }
        if grain is not None:
            return values | {"grain_place": grain[0], "grain_angle": grain[1]}
        return values | (
            sun_shadows.uniforms() if sun_shadows.complete else {"cascade_end": (0.0, 0.0, 0.0, 0.0)}
        )

    def _written_follow(self, scene: LitScene) -> moderngl.Texture:
        shares = np.ones(FOLLOWERS, np.float32)
        for number, lamp_id in enumerate(self.followed[: FOLLOWERS - 1], start=1):
            shares[number] = scene.glow.get(lamp_id, 1.0)
        self._follow.write(shares)
        return self._follow

    def _written_rooms(self, scene: LitScene, exposure: float) -> moderngl.Texture:
        key = scene.rooms, exposure
        if self._rooms is None or self._rooms[0] != key:
            if self._rooms is not None:
                self._rooms[1].release()
            rows = np.array(
                [
                    [(*room.centre, room.fade), (*room.half, math.cos(room.turn_rad)),
                     (*(exposure * part for part in room.light), math.sin(room.turn_rad))]
                    for room in scene.rooms
                ],
                np.float32,
            )  # fmt: skip
            texture = self._context.texture((3, len(rows)), 4, rows, dtype="f4")
            texture.filter = (moderngl.NEAREST, moderngl.NEAREST)
            self._rooms = key, texture
        return self._rooms[1]

    def _on_surfaces(
        self, target: LightTarget, size: Size, add: bool, frame: moderngl.Framebuffer | None = None
    ) -> None:
        """Get ready to draw on what surfaces there are. frame : of the target, that knows of some alone"""
        context = self._context
        frame = frame or target.frame
        frame.use()
        frame.depth_mask = False
        frame.viewport = (0, 0, *size)
        context.enable_only(moderngl.DEPTH_TEST | (moderngl.BLEND if add else 0))
        if add:
            context.blend_func = moderngl.ONE, moderngl.ONE
        # All is drawn at the far end: GREATER keeps surfaces.
        context.depth_func = ">"

    def _draw(self, program: moderngl.Program) -> None:
        self._programs.over_screen(program)

    def write_lamps(self, draft: "FrameContext") -> None:
        """Take over the lamps of a picture with their shadow tiles."""
        rows = lamp_rows(draft.seen.lamps, pre_exposure(draft.scene.look.ev100), draft.seen.tiles)
        self._buffers.write_lamps(rows, draft.targets.lamp_shadows.tile_rows(draft.seen.tiles))

    def _list_lamps(self, draft: "FrameContext", lit: "LightSubset", gbuffer: GBuffer) -> None:
        """The lamps of each cell that holds a surface."""
        lamps, shadowed, camera = draft.seen.lamps, draft.seen.shadowed, draft.view.camera
        selected = None if lit.keep is None else lit.keep.tobytes()
        key = (lamps.shape_key(), shadowed.tobytes(), gbuffer.size, gbuffer.key, selected, self.compiles)
        if self._lists.key == key:
            return
        cells = gbuffer.cells(camera.far)
        lists = assign_lamps(lamps, shadowed, camera, gbuffer.size, lit.keep, cells)
        self._lists.write(lists)
        reached, current = lists.reached, held_squares(cells, lists.grid)
        if self.compiles:
            current = np.ones_like(current)
            reached = np.arange(current.size).reshape(current.shape) % 2 == 0
        self.tiles.write(reached, current)
        self._lists.key = key

    def sum_all(
        self,
        draft: "FrameContext",
        lit: "LightSubset",
        gbuffer: GBuffer,
        target: LightTarget,
        in_air: dict[str, object] | None = None,
    ) -> None:
        """Light of many sources at once on the surfaces of a G-buffer. Where no lamp reaches (see
        `tiles`), a program draws that knows of none. in_air : values of the air's volume, where that is laid
        over it"""
        self._list_lamps(draft, lit, gbuffer)
        scene = replace(lit.scene, lamps=lit.lamps)
        features = self._on_ground(self.features(scene, True, bool(draft.seen.tiles), glow=True), scene)
        values: dict[str, object] = {}
        if in_air is not None:
            features |= {"IN_AIR"}
            values |= in_air
        if draft.view.show in FROM_SURFACES:
            features = features & {"SKY"} | {"MIRRORED"} if draft.view.show == "reflections" else frozenset()
        if self.probes.there and draft.view.show != "direct":
            features |= {"BOUNCE", "PROBES"} if draft.view.show == "probes" else {"BOUNCE"}
            values |= {"g_bounce": gbuffer.bounce, "g_open": gbuffer.open, "bounce_gain": (1.0, 1.0, 1.0)}
            values["open_floor"] = -MIN_PART
        ready = []
        for reached, names in ((True, features), (False, features - BY_LAMPS)):
            if self.tiles.count(reached):
                program = self._prepare(names, draft, scene, gbuffer, "tiles")
                set_uniforms(program, **values)
                ready.append((program, reached))
                if reached:
                    set_uniforms(program, **self._lists.uniforms())
        # Making a program ready may draw elsewhere: what it mirrors of the sky, shadows of clouds.
        self._on_surfaces(target, gbuffer.size, add=False)
        target.frame.clear(0.0, 0.0, 0.0, 0.0)
        target.frame.viewport = self.tiles.viewport()
        for program, reached in ready:
            self.tiles.draw(program, reached)
        self._add_mirrored(features, values, draft, scene, gbuffer, target)

    def _add_mirrored(
        self,
        features: frozenset[str],
        values: dict[str, object],
        draft: "FrameContext",
        scene: LitScene,
        gbuffer: GBuffer,
        target: LightTarget,
    ) -> None:
        """Add what smooth surfaces show of the level more than probes say, where any shows an image: to light
        that was drawn by a variant with some values of its own."""
        features &= OF_MIRRORS
        if not features & {"SKY", "BOUNCE"} or not self.shows_mirrors(draft):
            return
        program = self._prepare(features | {"MIRRORS"}, draft, scene, gbuffer)
        set_uniforms(program, **values)
        self._mirrored.mark(gbuffer, draft.view, self.mirrors)
        self._on_surfaces(target, gbuffer.size, add=True, frame=target.mirrored_frame)
        self._draw(program)

    def work(self, draft: "FrameContext", gbuffer: GBuffer) -> dict[str, int]:
        """What a sum of light has done."""
        return {
            "pixels": gbuffer.size[0] * gbuffer.size[1],
            "lamps": len(draft.seen.lamps.ids),
            "shadowed lamps": len(draft.seen.tiles),
            "list entries": self._lists.entries,
        }

    def far_alone(self, draft: "FrameContext") -> LitScene | None:
        """The scene with sun, sky and rooms alone, as far as they are under the hand; None where none is."""
        scene = draft.scene
        moved = draft.active - draft.fixed
        sun = scene.sun if scene.sun and scene.sun.id in moved else None
        sky = scene.sky if scene.sky and scene.sky.id in draft.active else None
        rooms = tuple(room for room in scene.rooms if room.id in draft.active)
        alone = LitScene(NO_LAMPS, sun, sky, scene.look, scene.air, open_sky=scene.open_sky, rooms=rooms)
        return replace(alone, flat=scene.flat if sky else None) if sun or sky or rooms else None

    def add_far_light(self, draft: "FrameContext", scene: LitScene, target: LightTarget) -> None:
        """Add the light of a scene without lamps to what is there."""
        features = self._on_ground(self.features(scene, True, False, glow=False), scene)
        program = self._prepare(features, draft, scene, draft.gbuffer)
        self._on_surfaces(target, draft.size, add=True)
        self._draw(program)
        self._add_mirrored(features, {}, draft, scene, draft.gbuffer, target)

    def add_bounce(self, draft: "FrameContext", target: LightTarget) -> int:
        """Add what comes back from surfaces of the light under the hand; returns the number of pixels."""
        now, before = draft.hand_gains, draft.targets.hand_gains
        factor = np.ones(3)
        if len(now) == 1:
            ((source_id, gain),) = now.items()
            factor = gain / before[source_id]
        if not factor.any():
            return 0
        scene = LitScene(NO_LAMPS, None, None, draft.scene.look)
        features = frozenset({"BOUNCE"})
        program = self._prepare(features, draft, scene, draft.gbuffer)
        light, _ = draft.gbuffer.of_hand
        values: dict[str, object] = {"g_bounce": light, "g_open": draft.gbuffer.open, "open_floor": 0.0}
        values["bounce_gain"] = tuple(factor)
        set_uniforms(program, **values)
        self._on_surfaces(target, draft.size, add=True)
        self._draw(program)
        # What images show is there already.
        self._add_mirrored(features, values | {"mirrors_gain": 0.0}, draft, scene, draft.gbuffer, target)
        return draft.size[0] * draft.size[1]

    def add_lamps(self, draft: "FrameContext", target: LightTarget) -> int:
        """Add the lamps under the hand where their light can fall; returns the number of pixels visited."""
        lamps = draft.seen.lamps
        scene = LitScene(NO_LAMPS, None, None, draft.scene.look, draft.scene.air)
        centres, radii = bounding_spheres(lamps)
        pixels = 0
        for index in (i for i, item in enumerate(lamps.ids) if item in draft.active - draft.fixed):
            place = lamp_scissor(centres[index], float(radii[index]), draft.view.camera, draft.size)
            if place is None:
                continue
            program = self._prepare(self._of_one(draft, index), draft, scene, draft.gbuffer)
            set_uniforms(program, one_lamp=index)
            self._on_surfaces(target, draft.size, add=True)
            target.frame.scissor = place
            self._draw(program)
            target.frame.scissor = None
            pixels += place[2] * place[3]
        return pixels

    def _of_one(self, draft: "FrameContext", index: int) -> frozenset[str]:
        """The variant that one lamp needs."""
        lamps = draft.seen.lamps
        names = {"ONE_LAMP", *kind_features(lamps.rows[index : index + 1])}
        if lamps.ids[index] in draft.seen.tiles:
            names |= {"LAMP_SHADOWS", "VEILED"} if self.veiled else {"LAMP_SHADOWS"}
        dims = frozenset({"AIR", "MIST"}) & self.features(draft.scene, False, False, glow=False)
        return frozenset(names) | dims
