"""One picture after another from a LitScene and a camera; keeps all that can be kept.

Every resource knows by a key what it shows (the G-buffer its camera, a shadow tile its lamp,
a light sum its sources), and is made again only when that key changes.
"""

import pickle
from collections.abc import Iterator
from dataclasses import dataclass, replace
from functools import lru_cache

import moderngl
import numpy as np
from numpy.typing import NDArray

from wallum.moment.camera import Camera, frustum_planes
from wallum.moment.lamps import NO_LAMPS, Lamps
from wallum.moment.scene import LitScene
from wallum.moment.view import bounding_spheres, in_view
from wallum.realtime.bundle import LevelBundle
from wallum.realtime.clusters import assign_lamps, held_squares
from wallum.realtime.develop import Developer
from wallum.realtime.drawing import Coarse, LevelOnGpu
from wallum.realtime.kit import Kit
from wallum.realtime.lamp_buffers import LampBuffers, lamp_rows
from wallum.realtime.lamp_shadows import LampShadows, Tile
from wallum.realtime.lighting import Lighting
from wallum.realtime.metering import Meter
from wallum.realtime.open_sky import OpenSky
from wallum.realtime.pace import Pace
from wallum.realtime.passes import PassLog
from wallum.realtime.programs import Programs
from wallum.realtime.request import INSPECTED, PictureRequest
from wallum.realtime.sky_pass import SkyPass
from wallum.realtime.sun_shadows import SunShadows
from wallum.realtime.targets import GBuffer, LightTarget, Size
from wallum.realtime.veils import Layer
from wallum.realtime.view import View, pre_exposure

__all__ = ["Engine", "SunTurn", "open_context"]

Steps = Iterator[None]
# Pixels of a moving picture that its surfaces may be off by.
COARSE_PIXELS = 2.0
# Width of a cascade of a small picture, and of a sun that is being moved.
THUMB_TEXELS = 512
PASSING_TEXELS, PASSING_CASCADES = 384, 2


@lru_cache(maxsize=1)
def open_context() -> moderngl.Context:
    """The OpenGL 4.3 context of this process, without a window.

    One for all renderers: OpenGL's calls go to the context that was made last, and one renderer's
    buffers drawn in another's context are someone else's, or too small for what is drawn from them.
    """
    return moderngl.create_standalone_context(require=430, backend="egl")


@dataclass(frozen=True)
class Seen:
    """Lamps that reach the picture, and their shadow tiles."""

    lamps: Lamps
    tiles: dict[str, Tile]
    unshadowed: tuple[str, ...]

    @property
    def shadowed(self) -> NDArray[np.bool_]:
        return np.array([one in self.tiles for one in self.lamps.ids], dtype=bool)


@dataclass(frozen=True)
class SunTurn:
    """Where shadows of the sun fall from in this picture, and which cascades take it up;
    the others go on showing what they show. dither : offset of their seams, 0 to 1"""

    direction: NDArray[np.float64]
    cascades: frozenset[int]
    dither: float


class Engine:
    """Makes pictures. `picture` and `settle` are generators that stop between passes, so
    that whoever drives them can turn to something newer."""

    def __init__(self, context: moderngl.Context) -> None:
        self.context = context
        self.programs = Programs(context)
        self.log = PassLog(context)
        self._buffers = LampBuffers(context)
        self.sky = SkyPass(context, self.programs)
        self.open_sky = OpenSky(context, self.programs)
        self.meter = Meter(context, self.programs)
        self.lighting = Lighting(context, self.programs, self._buffers, self.sky, self.open_sky)
        self.developer = Developer(context, self.programs)
        shared = (LampShadows(context), SunShadows(context))
        self._still = Kit(context, self.programs, *shared)
        self._reduced = Kit(context, self.programs, *shared)
        self.settling = Kit(context, self.programs, LampShadows(context), SunShadows(context))
        self._thumb = Kit(context, self.programs, shared[0], SunShadows(context, THUMB_TEXELS))
        self._passing = SunShadows(context, PASSING_TEXELS)  # of a sun that moves
        self.level: LevelOnGpu | None = None
        self._level_number = 0
        self._pace = Pace()
        self._shadows_drawn = 0  # shadow maps drawn so far: light that was summed before is of others
        self._has_unlit = False
        self.seen = Seen(NO_LAMPS, {}, ())

    def set_level(self, bundle: LevelBundle) -> None:
        """Show another level."""
        if self.level is not None:
            self.level.release()
        self.level = LevelOnGpu(self.context, self.programs, bundle)
        self._level_number += 1
        self.programs.level_changed()
        self.lighting.followed, self.lighting.veiled = bundle.followed, self.level.has_veils
        self.lighting.unusual, self._has_unlit = bundle.unusual, bundle.unlit
        self.sky.floor_y, self.sky.top_y = bundle.bounds[:, 1].tolist() if len(bundle.faces) else (0.0, 0.0)
        self.lighting.clouds.box = np.asarray(bundle.bounds, dtype=np.float64)
        self.open_sky.set_grid(None)
        self._passing.level_changed()
        for kit in (self._still, self._reduced, self._thumb, self.settling):
            kit.forget()

    def forget(self) -> None:
        """Let go of all that is kept between pictures, so that the next one does all its work."""
        for kit in (self._still, self._reduced, self._thumb, self.settling):
            kit.forget()
            if kit.gbuffer is not None:
                kit.gbuffer.open_key = None
        self._passing.level_changed()

    def forget_light(self) -> None:
        """Let go of the light alone, so that the next picture is lit anew; surfaces and shadows stay."""
        for kit in (self._still, self._reduced, self._thumb, self.settling):
            for target in (kit.others, kit.total):
                if target is not None:
                    target.key = None

    def picture(self, request: PictureRequest) -> Steps:
        """Make the light of one unsettled picture; `developer` then shows it."""
        self.log.begin(hurry=request.detail == "reduced")
        kit, size, scene = self._still, request.size, request.shown_scene
        if request.detail == "thumb":
            kit = self._thumb
        elif request.detail != "full":
            kit, size = self._reduced, self._pace.size(request.size)
        if request.detail == "sketch":
            scene = scene.without_shadows()
        else:
            self._level().complete()
        camera = request.camera.with_aspect(request.size[0] / request.size[1])
        yield from self.light(
            kit, scene, View(camera, show=request.view, show_of=request.view_of), size, request.active
        )
        self.log.end()
        if request.detail == "reduced":
            self._pace.note(self.log.total_ms)

    def light(
        self,
        kit: Kit,
        scene: LitScene,
        view: View,
        size: Size,
        active: frozenset[str],
        sun_turn: SunTurn | None = None,
    ) -> Steps:
        """Fill `kit.total` with the light of a scene seen by a view."""
        gbuffer, _, _ = kit.fit(size)
        limit = self._coarse(gbuffer, view) if kit is self._reduced else None
        if self._draw_gbuffer(gbuffer, view, limit):
            yield
        layers = self._draw_layers(kit, gbuffer, view, limit)
        if scene.sky is not None:
            # Ahead of all shadows, as its blurred copies wait for what is being drawn.
            with self.log.measure("sky"):
                self.sky.show(scene.sky)
            with self.log.measure("open sky") as work:
                for one in (gbuffer, *(layer.gbuffer for layer in layers)):
                    if self.open_sky.fill(one, view):
                        work["pixels"] = work.get("pixels", 0) + one.size[0] * one.size[1]
        if view.show in INSPECTED:  # surfaces alone: no light
            yield from self._inspect(kit, scene, view, size, layers)
            return
        seen, dirty = self._see(kit, scene, view)
        for lamp_id in dirty:
            with self.log.measure("lamp shadows") as work:
                work |= kit.lamp_shadows.draw(lamp_id, self._level())
            self._shadows_drawn += 1
            yield
        yield from self._sun_shadows(kit, scene, view.camera, sun_turn)
        self.seen = seen
        _, _, total = kit.fit(size)
        key = None if active else (self._light_key(gbuffer, scene, view, seen.lamps), self._shadows_drawn)
        if key is not None and total.key == key:  # only its development has changed
            return
        # A picture may be given up between its light and its layers: only a whole one has a key.
        total.key = None
        yield from self._sum(kit, scene, view, seen, active)
        yield from self._lay(kit, scene, view, seen, layers)
        total.key = key

    def _draw_layers(self, kit: Kit, gbuffer: GBuffer, view: View, limit: Coarse | None) -> list[Layer]:
        """What is seen through, before a G-buffer; the nearest first."""
        if not self._level().has_veils:
            return []
        layers = []
        with self.log.measure("see-through surfaces") as work:
            for layer, triangles in kit.layers.draw(self._level(), gbuffer, view, limit):
                layers.append(layer)
                work["triangles"] = work.get("triangles", 0) + triangles
                work["pixels"] = work.get("pixels", 0) + gbuffer.size[0] * gbuffer.size[1]
        return layers

    def _lay(self, kit: Kit, scene: LitScene, view: View, seen: Seen, layers: list[Layer]) -> Steps:
        """Light each layer, and lay it over what lies behind it."""
        assert kit.total is not None
        for layer in reversed(layers):
            with self.log.measure("light of see-through") as work:
                self._light_surfaces(kit, layer.gbuffer, scene, view, seen, layer.target)
                kit.layers.lay(layer, scene, view, self.lighting, kit.total)
                work |= self._light_work(seen, layer.gbuffer)
            yield

    def _inspect(self, kit: Kit, scene: LitScene, view: View, size: Size, layers: list[Layer]) -> Steps:
        """Show what surfaces are, or how fine the shadows on them."""
        gbuffer, _, total = kit.fit(size)
        total.key = None
        grain = None
        if view.show == "shadow grain":
            seen, _ = self._see(kit, scene, view)
            if view.show_of in seen.tiles:
                row = scene.lamps.ids.index(view.show_of)
                grain = (scene.lamps.rows["position"][row].tolist(), seen.tiles[view.show_of].texel)
            yield from self._sun_shadows(kit, scene, view.camera, None)
        with self.log.measure("inspect"):
            self.lighting.inspect(view, gbuffer, total, kit.sun_shadows, grain)
            for layer in reversed(layers):
                self.lighting.inspect(view, layer.gbuffer, layer.target, kit.sun_shadows, grain)
                kit.layers.lay(layer, replace(scene, air=None), view, self.lighting, total)
        yield

    def _level(self) -> LevelOnGpu:
        assert self.level is not None, "a level is set before a picture is asked"
        return self.level

    def _coarse(self, gbuffer: GBuffer, view: View) -> Coarse:
        """How coarse far surfaces of a moving picture may be."""
        pixel = 2.0 * view.camera.tangents[1] / gbuffer.size[1]
        return Coarse(np.array(view.camera.eye), COARSE_PIXELS * pixel)

    def _draw_gbuffer(self, gbuffer: GBuffer, view: View, limit: Coarse | None) -> bool:
        casters = view.show == "casters"
        key = (self._level_number, view.camera, view.jitter, casters)
        if gbuffer.key == key:
            return False
        with self.log.measure("surfaces") as work:
            gbuffer.frame.use()
            gbuffer.frame.viewport = (0, 0, *gbuffer.size)
            gbuffer.frame.depth_mask = True
            self.context.enable_only(moderngl.DEPTH_TEST | moderngl.CULL_FACE)
            self.context.depth_func = "<"
            gbuffer.frame.clear(0.0, 0.0, 0.0, 0.0, depth=1.0)
            planes = frustum_planes(view.to_clip)
            more = frozenset({"CASTERS"}) if casters else frozenset()
            work["triangles"] = self._level().draw_surfaces(view.to_clip, planes, limit, more)
            work["pixels"] = gbuffer.size[0] * gbuffer.size[1]
        gbuffer.key = key
        return True

    def _see(self, kit: Kit, scene: LitScene, view: View) -> tuple[Seen, list[str]]:
        """Lamps that reach the picture, with shadow tiles; and the tiles to draw anew."""
        lamps = scene.lamps.only(in_view(scene.lamps, view.camera))
        tiles, dirty = kit.lamp_shadows.assign(lamps, view.camera.far)
        pairs = zip(lamps.ids, lamps.casting, strict=True)
        lost = tuple(one for one, casts in pairs if casts and one not in tiles)
        return Seen(lamps, tiles, lost), dirty

    def _sun_shadows(self, kit: Kit, scene: LitScene, camera: Camera, turn: SunTurn | None) -> Steps:
        if scene.sun is None or not scene.sun.shadow:
            return
        shadows, level = self._shadows_of(kit, scene), self._level()
        toward = None if turn is None else turn.direction
        if turn is not None:
            self._shadows_drawn += 1  # at least its seams lie elsewhere
        shadows.dither = 0.0 if turn is None else turn.dither
        maps = scene.sun.maps
        if shadows is self._passing:
            maps = (maps[0], maps[1], min(maps[2], PASSING_CASCADES))
            for index in shadows.follow(scene.sun.direction, camera, level.bounds, maps):
                with self.log.measure("sun shadows") as work:
                    work |= shadows.draw(index, level, coarse=True)
                self._shadows_drawn += 1
            yield
            return
        dirty = shadows.assign(scene.sun.direction, camera, level.bounds, toward, maps)
        if turn is not None and shadows.complete:
            dirty = [index for index in dirty if index in turn.cascades]
        if dirty and kit is self._reduced and shadows.complete:
            with self.log.measure("sun shadows") as work:
                work |= shadows.advance(dirty, level)
            self._shadows_drawn += 1
            yield
            return
        for index in dirty:
            with self.log.measure("sun shadows") as work:
                work |= shadows.draw(index, level)
            self._shadows_drawn += 1
            yield

    def _shadows_of(self, kit: Kit, scene: LitScene) -> SunShadows:
        """The cascades that a picture shows: small, coarse ones while the sun itself moves."""
        shared = kit.sun_shadows
        if kit is not self._reduced or scene.sun is None or shared.shows(scene.sun.direction):
            return shared
        return self._passing

    def _march(self, scene: LitScene, view: View, gbuffer: GBuffer, exposure: float) -> None:
        """The deck of cloud, where there is one."""
        if scene.sky is not None and scene.sky.deck is not None:
            with self.log.measure("clouds") as work:
                work["deck samples"] = self.sky.march(scene.sky.deck, view, gbuffer.size, exposure)

    def _sum(self, kit: Kit, scene: LitScene, view: View, seen: Seen, active: frozenset[str]) -> Steps:
        gbuffer, others, total = kit.fit(kit.gbuffer.size if kit.gbuffer else (1, 1))
        exposure = pre_exposure(scene.ev100)
        self._write_lamps(kit, seen, exposure)
        if not active:
            self._march(scene, view, gbuffer, exposure)
            with self.log.measure("light") as work:
                self._all(kit, scene, view, seen, total)
                work |= self._light_work(seen, gbuffer)
            yield
            return
        rest = scene.without(active)
        keep = np.array([one not in active for one in seen.lamps.ids], dtype=bool)
        key = self._light_key(gbuffer, rest, view, seen.lamps.only(keep))
        if others.key != key:
            self._march(rest, view, gbuffer, exposure)
            with self.log.measure("light of the others") as work:
                self._all(kit, rest, view, seen, others, keep)
                work |= self._light_work(seen, gbuffer)
            others.key = key
            yield
        with self.log.measure("light added") as work:
            self.context.copy_framebuffer(total.frame, others.frame)
            work["pixels"] = self._add(kit, scene, view, seen, active, total)
        yield

    def _light_key(self, gbuffer: GBuffer, scene: LitScene, view: View, lamps: Lamps) -> tuple[object, ...]:
        """What light summed on a G-buffer depends on, its shadows apart."""
        return (
            gbuffer.key,
            lamps.rows.tobytes(),
            _sky_key(scene),
            _sun_key(scene),
            pre_exposure(scene.ev100),
            # Surfaces that ask for no light are as bright as the exposure wants them.
            scene.ev100 if self._has_unlit else None,
            scene.air,
            tuple(sorted(scene.glow.items())),
            scene.glow_gain,
            view.show,
            gbuffer.open_key,
        )

    def _write_lamps(self, kit: Kit, seen: Seen, exposure: float) -> None:
        rows = lamp_rows(seen.lamps, exposure, seen.tiles)
        self._buffers.write_lamps(rows, kit.lamp_shadows.tile_rows(seen.tiles))

    def _all(
        self,
        kit: Kit,
        scene: LitScene,
        view: View,
        seen: Seen,
        target: LightTarget,
        keep: NDArray[np.bool_] | None = None,
    ) -> None:
        """Every source of `scene` at once, and the background."""
        gbuffer = kit.gbuffer
        assert gbuffer is not None
        self._light_surfaces(kit, gbuffer, scene, view, seen, target, keep)
        self.sky.draw(scene, view, gbuffer, target, pre_exposure(scene.ev100))

    def _light_surfaces(
        self,
        kit: Kit,
        gbuffer: GBuffer,
        scene: LitScene,
        view: View,
        seen: Seen,
        target: LightTarget,
        keep: NDArray[np.bool_] | None = None,
    ) -> None:
        """Every source of `scene` at once, on the surfaces of a G-buffer."""
        self._list_lamps(gbuffer, view, seen, keep)
        listed = seen.lamps if keep is None or keep.any() else seen.lamps.only(keep)
        lit = replace(scene, lamps=listed)
        features = self.lighting.features(lit, True, bool(seen.tiles), glow=True)
        shadows = self._shadows_of(kit, scene)
        self.lighting.sum_all(lit, features, view, gbuffer, target, shadows, kit.lamp_shadows)

    def _list_lamps(self, gbuffer: GBuffer, view: View, seen: Seen, keep: NDArray[np.bool_] | None) -> None:
        """The lamps of each cell that holds a surface."""
        lamps, shadowed = seen.lamps, seen.shadowed
        kept = None if keep is None else keep.tobytes()
        key = (lamps.shape_key(), shadowed.tobytes(), gbuffer.size, gbuffer.key, kept)
        if self._buffers.lists_key == key:
            return
        cells = gbuffer.cells(view.camera.far)
        lists = assign_lamps(lamps, shadowed, view.camera, gbuffer.size, keep, cells)
        self._buffers.write_lists(lists)
        self.lighting.tiles.write(lists.reached, held_squares(cells, lists.grid))
        self._buffers.lists_key = key

    def _add(
        self,
        kit: Kit,
        scene: LitScene,
        view: View,
        seen: Seen,
        active: frozenset[str],
        target: LightTarget,
    ) -> int:
        """Add the sources under the hand; returns the pixels visited."""
        gbuffer = kit.gbuffer
        assert gbuffer is not None
        pixels = 0
        centres, radii = bounding_spheres(seen.lamps)
        for index, lamp_id in enumerate(seen.lamps.ids):
            if lamp_id in active:
                pixels += self.lighting.add_lamp(
                    scene,
                    index,
                    (centres[index], float(radii[index])),
                    lamp_id in seen.tiles,
                    view,
                    gbuffer,
                    target,
                    kit.sun_shadows,
                    kit.lamp_shadows,
                )
        sun = scene.sun if scene.sun and scene.sun.id in active else None
        sky = scene.sky if scene.sky and scene.sky.id in active else None
        if sun or sky:
            lit = LitScene(NO_LAMPS, sun, sky, scene.ev100, scene.air)
            features = self.lighting.features(lit, True, False, glow=False)
            shadows = self._shadows_of(kit, scene)
            self.lighting.add_far_light(lit, features, view, gbuffer, target, shadows, kit.lamp_shadows)
            if sky is not None and sky.deck is not None:
                self.sky.march(sky.deck, view, gbuffer.size, pre_exposure(scene.ev100))
            self.sky.draw(lit, view, gbuffer, target, pre_exposure(scene.ev100))
            pixels += gbuffer.size[0] * gbuffer.size[1]
        return pixels

    def _light_work(self, seen: Seen, gbuffer: GBuffer) -> dict[str, int]:
        return {
            "pixels": gbuffer.size[0] * gbuffer.size[1],
            "lamps": len(seen.lamps.ids),
            "shadowed lamps": len(seen.tiles),
            "list entries": self._buffers.entries,
        }

    def target_of(self, request: PictureRequest) -> LightTarget:
        """The light that a request's picture was summed into."""
        kits = {"full": self._still, "thumb": self._thumb}
        kit = kits.get(request.detail, self._reduced)
        assert kit.total is not None
        return kit.total


def _sky_key(scene: LitScene) -> object:
    """All of the sky: its maps by their key, the rest bit by bit."""
    if scene.sky is None:
        return None
    bare = replace(scene.sky, luminance=np.zeros((0, 0, 3), np.float32), backdrop=None)
    return pickle.dumps(bare)


def _sun_key(scene: LitScene) -> object:
    if scene.sun is None:
        return None
    sun = scene.sun
    clouds = None if sun.clouds is None else (sun.clouds[0], *sun.clouds[1])
    return (*sun.direction, *sun.illuminance, sun.disc_rad, sun.shadow, *sun.maps, clouds)
