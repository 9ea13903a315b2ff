"""Pictures from requests, unsettled or settled, as bytes or as light. Holds no process."""

from collections.abc import Iterator
from dataclasses import replace
from typing import Final

import moderngl
import numpy as np
from numpy.typing import NDArray

from wallum.errors import RendererProblem
from wallum.frame.quality import HIGH, Quality
from wallum.frame.views import INSPECTED
from wallum.physics.bloom import Bloom
from wallum.realtime.engine import Engine, open_context
from wallum.realtime.gl.view import pre_exposure
from wallum.realtime.level.baked_set import BakedSet
from wallum.realtime.level.bundle import LevelBundle
from wallum.realtime.level.probe_set import ProbeSet, UnitResponses
from wallum.realtime.passes.indirect.mirroring import Mirroring
from wallum.realtime.passes.interaction.accumulate import Accumulator
from wallum.realtime.passes.post.finish import Finishing
from wallum.realtime.process.request import Frame, PictureRequest

__all__ = ["Renderer"]

ANY_BLOOM: Final = Bloom(0.05)


class Renderer:
    """An engine with what shows and settles its pictures."""

    def __init__(self, context: moderngl.Context | None = None, quality: Quality = HIGH) -> None:
        try:
            self.engine = Engine(context or open_context(), quality)
        except Exception as error:  # moderngl and EGL raise bare Exceptions
            raise RendererProblem(
                f"no picture can be drawn: {error}", "OpenGL", "OpenGL 4.3 through EGL"
            ) from error
        self.settler, self._mirroring = Accumulator(self.engine), Mirroring(self.engine)
        self._foreseen = (0, 0)

    def set_level(self, bundle: LevelBundle) -> None:
        """Show another level."""
        self.settler.forget()
        self.engine.set_level(bundle)

    def forget_unused(self) -> None:
        """Let go of programs that another level needed."""
        self.engine.programs.forget_unused()

    def draw(self, request: PictureRequest) -> Iterator[None]:
        """Make the light of an unsettled picture; stops between passes."""
        yield from self.engine.picture(request)

    def settled_for(self, request: PictureRequest) -> int:
        """Of how many pictures the light is that has settled for what a request shows, its look aside; 0: it
        is to be drawn. Where there are any, `read_into` of them is the whole work."""
        as_drawn = request.delivered and not request.most
        if as_drawn or not self.settler.shows(request):
            return 0
        self.engine.log.begin()
        return self.settler.count

    def stale_mirrors(self, request: PictureRequest, seen: bool = True) -> list[int]:
        """Mirror images that are not of a request's light; seen : only those that its picture, which has just
        been drawn, shows something of."""
        if request.view == "direct":
            return []
        stale = self._mirroring.stale(request.scene, request.camera.far)
        if not stale or not seen:
            return stale
        shown = self._mirroring.seen()
        return [item for item in stale if item in shown]

    def take_mirrors(self, request: PictureRequest, places: list[int]) -> Iterator[None]:
        """Take some mirror images in its light; stops between passes."""
        for place in places:
            yield from self._mirroring.take(place, request.scene, request.camera.far)

    def refine(self) -> Iterator[None]:
        """Make one more jittered picture; stops between passes."""
        yield from self.settler.step()

    def foresee(self, request: PictureRequest) -> None:
        """Develop what has settled once with bloom, for nobody, if none of its size was: the pictures that it
        is spread over take longer to make than a hand that begins to drag it should wait."""
        size = self.settler.light.size
        if size == self._foreseen:
            return
        self._foreseen = size
        bloomed = replace(request.scene.look, bloom=ANY_BLOOM)
        unseen = replace(request, scene=replace(request.scene, look=bloomed), sampled=False)
        self.read_into(unseen, self.settler.count, np.empty((size[1], size[0], 4), np.uint8))

    def read_into(self, request: PictureRequest, settled: int, out: memoryview | NDArray[np.uint8]) -> Frame:
        """Develop the last picture into `out`, 4 bytes a pixel (blue, green, red, 255), as small
        as it was drawn: who shows it makes it larger."""
        engine = self.engine
        look = request.scene.look
        light = self.settler.light if settled else engine.light_of(request)
        current = self.settler.held if settled else pre_exposure(look.ev100)
        finishing = Finishing(request, light, max(settled, 1), current, out, look, settled=settled > 0)
        finishing.key = (light.glo, settled, engine.drawn)
        finishing.depth = engine.depth_of(request, settled > 0)
        picture = engine.finish(finishing)
        return Frame(
            request.number,
            light.size,
            settled,
            "reduced" if engine.is_small(request) else request.detail,
            engine.log.records,
            engine.seen.unshadowed,
            ev100=picture.look.ev100,
            metered=picture.metered,
            look=None if request.view in INSPECTED else picture.look,
            sample=picture.sample,
            delivered=settled == 0 or request.most > 0,
            all_sky=request.scene.sky is not None and not engine.probe_light.there,
        )

    def set_probes(self, probes: ProbeSet | None) -> None:
        """Where light that comes back from surfaces is known."""
        self.settler.forget()
        self.engine.set_probes(probes)

    def take_bounce(self, units: UnitResponses) -> None:
        """That light, of some sources of strength 1."""
        self.settler.forget()
        self.engine.hand.forget()
        self.engine.probe_light.take(units)

    def set_baked(self, baked: BakedSet | None) -> None:
        """Light that was baked of the level; None: there is none."""
        self.settler.forget()
        self.engine.hand.forget()
        self.engine.baked.set(baked)

    def luminance(self, request: PictureRequest, settled: bool) -> NDArray[np.float32]:
        """(H, W, 3) light of the last picture, top row first [cd/m2]."""
        texture = self.settler.light if settled else self.engine.light_of(request)
        kind = np.float32 if settled else np.float16
        width, height = texture.size
        data = np.frombuffer(texture.read(), kind).reshape(height, width, 4)[::-1, :, :3]
        current = (
            self.settler.held * self.settler.count if settled else pre_exposure(request.scene.look.ev100)
        )
        return data.astype(np.float32) / np.float32(current)

    def settle(self, request: PictureRequest, pictures: int = HIGH.settled) -> None:
        """Make all jittered pictures of a request at once."""
        for _ in self.take_mirrors(request, self.stale_mirrors(request)):
            pass
        self.settler.begin(request)
        while self.settler.count < pictures:
            for _ in self.refine():
                pass
