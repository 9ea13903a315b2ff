"""The sky as other passes read it: its maps, how open it is at each pixel, and the march of the deck."""

import pickle
from dataclasses import replace

import numpy as np

from wallum.frame.passes.sky import CLOUDS, SKY, SKY_VISIBILITY
from wallum.frame.passes.surfaces import SEE_THROUGH, SURFACES
from wallum.frame.views import WITHOUT_SKY
from wallum.moment.scene import LitScene
from wallum.realtime.gl.pass_log import PassLog
from wallum.realtime.gl.view import pre_exposure
from wallum.realtime.passes.frame.base import FrameContext, LightSubset, Pass, Steps
from wallum.realtime.passes.indirect.probe_light import ProbeLight
from wallum.realtime.passes.sky.sky_light import SkyPass
from wallum.realtime.passes.sky.sky_visibility import SkyVisibility

__all__ = ["Clouds", "SkyMaps", "SkyVisibilityPass"]


def _sky_key(scene: LitScene) -> object:
    """All of the sky: its maps by their key, the rest bit by bit."""
    if scene.sky is None:
        return ()
    bare = replace(scene.sky, luminance=np.zeros((0, 0, 3), np.float32), backdrop=None)
    return pickle.dumps(bare)


class SkyMaps(Pass):
    """The dome, and its mirror image with blurred copies; one for all ways of making pictures."""

    described = SKY

    def __init__(self, log: PassLog, sky: SkyPass) -> None:
        super().__init__(log)
        self._sky = sky

    def wanted(self, draft: FrameContext) -> bool:
        return draft.scene.sky is not None

    def key(self, draft: FrameContext, lit: LightSubset) -> object:
        return _sky_key(lit.scene)

    def is_kept(self, draft: FrameContext) -> bool:
        return draft.scene.sky is None or self._sky.shows(draft.scene.sky)

    def draw(self, draft: FrameContext) -> Steps:
        assert draft.scene.sky is not None
        with self.log.measure(self.name):
            self._sky.show(draft.scene.sky)
        yield


class SkyVisibilityPass(Pass):
    """What each pixel's surface sees of the sky, until there are probes that say it better."""

    described = SKY_VISIBILITY
    reads = (SURFACES.name, SEE_THROUGH.name)

    def __init__(self, log: PassLog, sky_visibility: SkyVisibility, probes: ProbeLight) -> None:
        super().__init__(log)
        self._visibility, self._probes = sky_visibility, probes

    def wanted(self, draft: FrameContext) -> bool:
        return draft.scene.sky is not None and not draft.inspected and not self._probes.there

    def key(self, draft: FrameContext, lit: LightSubset) -> object:
        return ()

    def draw(self, draft: FrameContext) -> Steps:
        with self.log.measure(self.name) as work:
            for item in (draft.gbuffer, *(layer.gbuffer for layer in draft.layers)):
                self._visibility.fill(item)
                work["pixels"] = work.get("pixels", 0) + item.size[0] * item.size[1]
        yield


class Clouds(Pass):
    """The deck, marched for a part of the pixels; for the light that is about to be drawn."""

    described = CLOUDS
    reads = (SURFACES.name, SKY.name)

    def __init__(self, log: PassLog, sky: SkyPass) -> None:
        super().__init__(log)
        self._sky = sky

    def wanted(self, draft: FrameContext) -> bool:
        shown = not draft.inspected and draft.view.show not in WITHOUT_SKY
        return shown and draft.scene.sky is not None and draft.scene.sky.deck is not None

    def key(self, draft: FrameContext, lit: LightSubset) -> object:
        return pre_exposure(lit.scene.look.ev100)

    def is_kept(self, draft: FrameContext) -> bool:
        # One march is held, whoever asked for it.
        return self._sky.marched == (draft.size, draft.keys[self.name])

    def draw(self, draft: FrameContext) -> Steps:
        assert draft.scene.sky is not None
        assert draft.scene.sky.deck is not None
        with self.log.measure(self.name) as work:
            exposure = pre_exposure(draft.scene.look.ev100)
            work["deck samples"] = self._sky.march(draft.scene.sky.deck, draft.view, draft.size, exposure)
        self._sky.marched = (draft.size, draft.keys[self.name])
        yield
