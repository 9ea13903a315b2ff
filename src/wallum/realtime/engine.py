"""One picture after another from a LitScene and a camera; keeps all that can be kept.

A picture goes through the passes of wallum.frame in their order. Each knows by a key what its result
shows, and is drawn again only when that key changes.
"""

from functools import lru_cache

import moderngl
import numpy as np

from wallum.frame.order import FINISHED, LIT
from wallum.frame.passes.light import LIGHT, LIGHT_OF_OTHERS
from wallum.frame.quality import HIGH, Quality
from wallum.frame.views import FROM_SURFACES
from wallum.moment.baked import fixed_ids
from wallum.moment.lamps import NO_LAMPS
from wallum.moment.scene import LitScene
from wallum.realtime.gl.pass_log import PassLog
from wallum.realtime.gl.programs import Programs
from wallum.realtime.gl.targets import GBuffer, LightTarget, Size
from wallum.realtime.gl.view import View
from wallum.realtime.level.bundle import LevelBundle
from wallum.realtime.level.drawing import DetailLimit, LevelOnGpu
from wallum.realtime.level.probe_set import ProbeSet
from wallum.realtime.passes.air.air_lit import LitAir
from wallum.realtime.passes.air.air_over import AirComposite
from wallum.realtime.passes.air.air_passes import Air, AirLight
from wallum.realtime.passes.air.sheets import Cards, ScreenShafts
from wallum.realtime.passes.frame.base import (
    FrameContext,
    LightSubset,
    Pass,
    Steps,
    SunShadowTurn,
    VisibleLamps,
)
from wallum.realtime.passes.frame.inspect import Inspect
from wallum.realtime.passes.frame.sampling import Sampler
from wallum.realtime.passes.frame.surfaces import SeeThrough, Surfaces
from wallum.realtime.passes.indirect.ambient_occlusion import AmbientOcclusionPass
from wallum.realtime.passes.indirect.baked_light import BakedLightPass, BakedPages
from wallum.realtime.passes.indirect.bounce import ProbeLightOfHand, ProbeLightPass
from wallum.realtime.passes.indirect.probe_light import ProbeLight
from wallum.realtime.passes.interaction.amortised_passes import AmortisedPasses
from wallum.realtime.passes.interaction.hand_light import HandLight, HandRequest, dark, hand_request
from wallum.realtime.passes.interaction.pace import HandPace, Pace
from wallum.realtime.passes.lamps.lamp_buffers import LampBuffers
from wallum.realtime.passes.lamps.light import Light, LightAdded, LightOfOthers, LightOfSeeThrough
from wallum.realtime.passes.lamps.lighting import Lighting
from wallum.realtime.passes.post.develop import Developer
from wallum.realtime.passes.post.edges import EdgeFilter
from wallum.realtime.passes.post.finish import (
    DevelopPass,
    EdgePass,
    Finishing,
    FinishPass,
    FocusPass,
    MeterPass,
    ReadBack,
    SamplePass,
)
from wallum.realtime.passes.post.focus import FocusBlur
from wallum.realtime.passes.post.metering import Meter
from wallum.realtime.passes.shadows.lamp_shadows import LampShadows
from wallum.realtime.passes.shadows.shadow_passes import LampShadowPass, SunShadowPass
from wallum.realtime.passes.shadows.sun_shadows import SunShadows
from wallum.realtime.passes.sky.sky_light import SkyPass
from wallum.realtime.passes.sky.sky_passes import Clouds, SkyMaps, SkyVisibilityPass
from wallum.realtime.passes.sky.sky_visibility import SkyVisibility
from wallum.realtime.process.request import PictureRequest
from wallum.realtime.render_targets import RenderTargets

__all__ = ["Engine", "open_context"]


def _own(request: PictureRequest) -> object:
    """What a picture is known by, however it is to be developed."""
    return request.number, request.detail, request.size, request.active


@lru_cache(maxsize=1)
def open_context() -> moderngl.Context:
    """The OpenGL 4.3 context of this process, without a window.

    One for all renderers: OpenGL's calls go to the context that was made last, and one renderer's
    buffers drawn in another's context are someone else's, or too small for what is drawn from them.
    """
    return moderngl.create_standalone_context(require=430, backend="egl")


class Engine:
    """Makes pictures. `picture` and `light` are generators that stop between draws, so that whoever
    drives them can turn to something newer."""

    def __init__(self, context: moderngl.Context, quality: Quality = HIGH) -> None:
        self.context, self.quality = context, quality
        self.programs = Programs(context)
        self.log = PassLog(context)
        self.hand = HandLight(context, self.programs)
        self.sky = SkyPass(context, self.programs, quality)
        self.sky_visibility = SkyVisibility(context, self.programs)
        self.probe_light = ProbeLight(context, self.programs)
        self.baked = BakedPages(context, self.programs)
        lamps = LampBuffers(context)
        self.lighting = Lighting(context, self.programs, lamps, self.sky, self.probe_light)
        self.air = LitAir(context, self.programs, lamps, self.lighting, self.sky_visibility, quality)
        self._passing = SunShadows(context, quality.passing_texels)  # of a sun that moves
        self._make_targets()
        self.passes, self.finishing = self._make_passes(), self._make_finishing()
        self.level: LevelOnGpu | None = None
        self._level_number = 0
        self.drawn = 0  # passes up to now: while that is the same, no light is another
        self._pace, self._hand_pace, self._turns = Pace(), HandPace(), AmortisedPasses()
        self._small: object = None  # what picture was made small for the hand, if the last one was
        self._moved = False  # whether the picture before was a moving one
        self.seen = VisibleLamps(NO_LAMPS, {}, ())

    def _make_targets(self) -> None:
        context, programs, quality = self.context, self.programs, self.quality
        lamps, sun = LampShadows(context, quality), SunShadows(context, quality.sun_texels)
        own_lamps, own_sun = LampShadows(context, quality), SunShadows(context, quality.sun_texels)
        small = SunShadows(context, quality.thumb_texels)
        self._still = RenderTargets(context, programs, lamps, sun)
        self._still.own_air = True  # after a rest it is as it was
        self._reduced = RenderTargets(context, programs, lamps, sun)
        self.settling = RenderTargets(context, programs, own_lamps, own_sun)
        self._thumb = RenderTargets(context, programs, lamps, small)
        self.faces = RenderTargets(context, programs, own_lamps, small)  # of mirror images
        self._all_targets = (self._still, self._reduced, self.settling, self._thumb, self.faces)

    def _make_passes(self) -> tuple[Pass, ...]:
        """The passes up to the light of a picture, in the order of wallum.frame."""
        log, context, lighting, sky = self.log, self.context, self.lighting, self.sky
        air = self.air
        over = AirComposite(context, self.programs, air, sky)
        built: tuple[Pass, ...] = (
            Surfaces(log),
            AmbientOcclusionPass(log, context, self.programs),
            SeeThrough(log),
            SkyMaps(log, sky),
            SkyVisibilityPass(log, self.sky_visibility, self.probe_light),
            BakedLightPass(log, self.baked),
            ProbeLightPass(log, self.probe_light),
            ProbeLightOfHand(log, self.probe_light),
            LampShadowPass(log),
            SunShadowPass(log, self._passing, self.quality),
            Inspect(log, lighting),
            Clouds(log, sky),
            AirLight(log, air),
            LightOfOthers(log, lighting, sky),
            Light(log, lighting, sky, over, air),
            LightAdded(log, context, lighting, sky),
            Air(log, over),
            LightOfSeeThrough(log, lighting, air),
            Cards(log, context, self.programs),
            ScreenShafts(log, context, self.programs),
        )
        by_name = {item.name: item for item in built}
        return tuple(by_name[described.name] for described in LIT)

    def _make_finishing(self) -> tuple[FinishPass, ...]:
        """The passes from there to the bytes."""
        context, programs = self.context, self.programs
        built: tuple[FinishPass, ...] = (
            MeterPass(Meter(context, programs)),
            SamplePass(Sampler(context, programs)),
            FocusPass(FocusBlur(context, programs)),
            DevelopPass(Developer(context, programs)),
            EdgePass(EdgeFilter(context, programs)),
            ReadBack(),
        )
        by_name = {item.described.name: item for item in built}
        return tuple(by_name[described.name] for described in FINISHED)

    @property
    def still(self) -> RenderTargets:
        """What full pictures are made in."""
        return self._still

    def set_level(self, bundle: LevelBundle) -> None:
        """Show another level."""
        if self.level is not None:
            self.level.release()
        self.level = LevelOnGpu(self.context, self.programs, bundle)
        self._level_number += 1
        self.programs.level_changed()
        lighting = self.lighting
        lighting.followed, lighting.veiled = bundle.followed, self.level.has_veils
        lighting.unusual, lighting.has_unlit, lighting.glossy = bundle.unusual, bundle.unlit, bundle.glossy
        self.sky.floor_y, self.sky.top_y = bundle.bounds[:, 1].tolist() if len(bundle.faces) else (0.0, 0.0)
        lighting.clouds.box = np.asarray(bundle.bounds, dtype=np.float64)
        self.set_probes(None)
        self.baked.set(None)
        self.forget()

    def set_probes(self, probes: ProbeSet | None) -> None:
        """Know where light that comes back from surfaces is known, and where mirror images are taken."""
        self.hand.forget()
        self.probe_light.set_probes(probes)
        self.lighting.mirrors.set_places(None if probes is None else probes.mirrors)
        self.sky_visibility.set_air(None if probes is None else probes.air)

    def forget(self) -> None:
        """Let go of all that is kept between pictures, so that the next one does all its work."""
        self.air.forget()
        self.forget_hand()
        self._passing.level_changed()
        for targets in self._all_targets:
            targets.forget()

    def forget_hand(self) -> None:
        """Let go of what the pictures before say of a hand: they were not a hand's."""
        self.hand.forget()
        self._hand_pace = HandPace()

    def forget_light(self) -> None:
        """Let go of the light alone, so that the next picture is lit anew; surfaces and shadows stay."""
        for targets in self._all_targets:
            targets.forget_light()
        self.hand.forget()
        self.air.forget()

    def picture(self, request: PictureRequest) -> Steps:
        """Make the light of one unsettled picture; `finish` then shows it."""
        asked = hand_request(request)
        if request.detail != "thumb":
            self._small = _own(request) if self._hand_pace.small(request, asked) else None
        moving = self.is_small(request)
        self.log.begin(hurry=moving)
        targets, size, scene = self._targets_of(request), request.size, request.shown_scene
        if targets is self._reduced:
            size = self._pace.size(request.size)
        if request.detail == "sketch":
            scene = scene.without_shadows()
        else:
            self._level().complete()
        camera = request.camera.with_aspect(request.size[0] / request.size[1])
        view = View(camera, show=request.view, show_of=request.view_of)
        gain = self.hand.gain(asked, self.drawn)
        if asked is None or gain is None:
            waits = self._turns.waiting(request)
            yield from self.light(targets, scene, view, size, request.active, waits=waits)
            self._note(asked, targets)
        else:
            if not self.hand.has_two:
                self.hand.keep("with", targets.result.frame)
                yield from self.light(targets, dark(scene, request.active), view, size, request.active)
                self.hand.keep("without", targets.result.frame)
            with self.log.measure("light by its strength") as work:
                work |= self.hand.draw(gain, asked)
            self.drawn += 1
        self.log.end()
        if moving and self._moved:  # the first of them does what the others find done
            self._pace.note(self.log.total_ms)
        self._moved = moving

    def note_still(self) -> None:
        """Take notice of the time of a whole picture, all of which was drawn just now."""
        self._pace.foresee(self.log.total_ms)

    def _note(self, asked: HandRequest | None, targets: RenderTargets) -> None:
        """Take notice of a picture that was drawn, as far as the hand's next one goes by it."""
        whole = asked if self._small is None else None
        self.hand.note(whole, self.drawn, targets.result.frame)
        if whole is not None:
            self._hand_pace.note(self.log.records)

    def light(
        self,
        targets: RenderTargets,
        scene: LitScene,
        view: View,
        size: Size,
        active: frozenset[str] = frozenset(),
        turn: SunShadowTurn | None = None,
        waits: frozenset[str] = frozenset(),
    ) -> Steps:
        """Fill `targets.total` with the light of a scene seen by a view: every pass in its order, as far as
        what it left there is not what is wanted."""
        own = tuple(room for room in scene.rooms if room.mirrored)
        if self.lighting.mirrors.set_own(own):
            self.probe_light.show_rooms(own)
        baked = self.baked.shown(scene) if view.show != "direct" else frozenset()
        gbuffer = targets.fit(size)
        moving = targets is self._reduced
        coarse = self._coarse(gbuffer, view) if moving else None
        draft = FrameContext(
            level=self._level(),
            level_number=self._level_number,
            targets=targets,
            gbuffer=gbuffer,
            scene=scene,
            view=view,
            size=size,
            # Light from surfaces comes whole: nothing of it is added by itself.
            active=frozenset() if view.show in FROM_SURFACES else active,
            baked=baked,
            fixed=fixed_ids(scene, baked) if self.baked.straight else frozenset(),
            turn=turn,
            moving=moving,
            coarse=coarse,
            waits=waits,
        )
        targets.in_air = scene.air is not None and not draft.inspected
        for pass_ in self.passes:
            if pass_.wanted(draft):
                pass_.begin(draft)
                yield from self._bring(pass_, draft)
        if not draft.inspected:
            self.seen = draft.seen

    def _bring(self, pass_: Pass, draft: FrameContext) -> Steps:
        """Bring the result of a pass to what is wanted."""
        selected = draft.targets.keys
        lit = draft.rest if pass_.described is LIGHT_OF_OTHERS else draft.whole
        lit = draft.on_surfaces if pass_.described is LIGHT else lit
        current = selected.get(pass_.name)
        if current is not None and draft.waits and self._waits(pass_, draft, current):
            draft.keys[pass_.name] = current
            self.drawn += 1
            yield from pass_.follow(draft)
            return
        draft.keys[pass_.name] = self._key(pass_, draft, lit)
        if pass_.is_kept(draft):
            return
        # A picture may be given up in the midst of a pass: only a whole one leaves a key, and none stays of
        # what lay in the same target.
        self.drawn += 1
        for other in self.passes:
            if other is pass_ or (pass_.target and other.target == pass_.target):
                selected.pop(other.name, None)
        yield from pass_.draw(draft)
        draft.keys[pass_.name] = self._key(pass_, draft, lit)
        for name in (pass_.name, *(pass_.reads if pass_.over else ())):
            selected[name] = draft.keys.get(name)

    @staticmethod
    def _waits(pass_: Pass, draft: FrameContext, held: object) -> bool:
        if pass_.name in draft.waits:
            return pass_.may_wait(draft)
        return pass_.unnoticed(draft, held)

    def _key(self, pass_: Pass, draft: FrameContext, lit: LightSubset) -> object:
        """What the result of a pass for a scene depends on: its own, and all that it reads."""
        own = pass_.key(draft, lit)
        if own is None:
            return None
        whole = lit.keep is None
        read = []
        for other in (p for p in self.passes if p.name in pass_.reads and p.wanted(draft)):
            read.append(draft.keys.get(other.name) if whole else self._key(other, draft, lit))
        return own, tuple(read)

    def finish(self, picture: Finishing) -> Finishing:
        """Take a picture's light to its bytes."""
        for item in self.finishing:
            if item.wanted(picture):
                with self.log.measure(item.described.name) as work:
                    work |= item.draw(picture)
        return picture

    def _level(self) -> LevelOnGpu:
        assert self.level is not None, "a level is set before a picture is asked"
        return self.level

    def _coarse(self, gbuffer: GBuffer, view: View) -> DetailLimit:
        """How coarse far surfaces of a moving picture may be."""
        pixel = 2.0 * view.camera.tangents[1] / gbuffer.size[1]
        return DetailLimit(np.array(view.camera.eye), self.quality.coarse_pixels * pixel)

    def target_of(self, request: PictureRequest) -> LightTarget:
        """The light that a request's picture was summed into."""
        return self._targets_of(request).result

    def light_of(self, request: PictureRequest) -> moderngl.Texture:
        """The light of the picture that was made last, which a request asked for."""
        return self.hand.light if self.hand.shown else self.target_of(request).light

    def depth_of(self, request: PictureRequest, settled: bool) -> moderngl.Texture:
        """Depths of the surfaces of its picture [m], 0 for the sky."""
        return (self.settling if settled else self._targets_of(request)).gbuffer.distance

    def is_small(self, request: PictureRequest) -> bool:
        """Whether its picture, made last, is as small as one of a moving camera."""
        return request.detail == "reduced" or _own(request) == self._small

    def _targets_of(self, request: PictureRequest) -> RenderTargets:
        targets = {"full": self._still, "thumb": self._thumb}
        if _own(request) == self._small:
            return self._reduced
        return targets.get(request.detail, self._reduced)
