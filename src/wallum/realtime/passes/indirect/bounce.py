"""The passes that look up, for each pixel, what the probes about it have."""

from typing import cast

import numpy as np

from wallum.frame.passes.baked import BAKED_LIGHT
from wallum.frame.passes.bounce import PROBE_LIGHT, PROBE_LIGHT_OF_HAND
from wallum.frame.passes.surfaces import SEE_THROUGH, SURFACES
from wallum.moment.bounce_gains import bounce_gains
from wallum.moment.scene import LitScene
from wallum.realtime.gl.pass_log import PassLog
from wallum.realtime.gl.view import pre_exposure
from wallum.realtime.passes.frame.base import FrameContext, LightSubset, Pass, Steps
from wallum.realtime.passes.indirect.probe_light import LightKey, ProbeLight

__all__ = ["ProbeLightOfHand", "ProbeLightPass"]

# Which images surfaces see, and of what light; how it is shown; what is baked; the sky.
Key = tuple[tuple[int, LightKey], tuple[float, bool], tuple[str, ...], object]


class ProbeLightPass(Pass):
    """What each pixel's surface has from the probes about it."""

    described = PROBE_LIGHT
    reads = (SURFACES.name, SEE_THROUGH.name, BAKED_LIGHT.name)

    def __init__(self, log: PassLog, probes: ProbeLight) -> None:
        super().__init__(log)
        self._probes = probes

    def wanted(self, draft: FrameContext) -> bool:
        return self._probes.there and not draft.inspected

    def key(self, draft: FrameContext, lit: LightSubset) -> Key:
        look = pre_exposure(lit.scene.look.ev100), draft.view.show == "probes"
        return self._probes.key(_others(draft)), look, tuple(sorted(draft.baked)), _sky_key(draft)

    def unnoticed(self, draft: FrameContext, held: object) -> bool:
        own, _ = cast("tuple[Key, object]", held)
        now = self.key(draft, draft.whole)
        same = own[1:] == now[1:] and own[0][0] == now[0][0]
        return same and self._probes.unnoticed(own[0][1], now[0][1])

    def draw(self, draft: FrameContext) -> Steps:
        with self.log.measure(self.name) as work:
            for item in (draft.gbuffer, *(layer.gbuffer for layer in draft.layers)):
                # What is seen through has no texels.
                baked = draft.baked if item is draft.gbuffer else frozenset()
                sky = draft.scene.sky if draft.scene.open_sky else None
                self._probes.fill(item, draft.view, _others(draft), not draft.active, baked, sky)
                work["pixels"] = work.get("pixels", 0) + item.size[0] * item.size[1]
        yield


class ProbeLightOfHand(Pass):
    """The same of the sources under the hand: looked up once, so that their strength is but a factor."""

    described = PROBE_LIGHT_OF_HAND
    reads = (SURFACES.name,)

    def __init__(self, log: PassLog, probes: ProbeLight) -> None:
        super().__init__(log)
        self._probes = probes

    def wanted(self, draft: FrameContext) -> bool:
        known = any(item in self._probes.units for item in draft.active - draft.baked)
        return known and not draft.inspected and draft.view.show != "direct"

    def begin(self, draft: FrameContext) -> None:
        gains = bounce_gains(draft.scene)
        draft.hand_gains = {item: gains[item] for item in sorted(draft.active - draft.baked) if item in gains}

    def key(self, draft: FrameContext, lit: LightSubset) -> object:
        gains = draft.hand_gains
        # Of several the factors may be several: they are looked up as they are.
        own = None if len(gains) == 1 else tuple(tuple(gain) for gain in gains.values())
        scene = lit.scene
        known = self._probes.versions(frozenset(gains))
        return known, own, scene.bounce[1], pre_exposure(scene.look.ev100)

    def draw(self, draft: FrameContext) -> Steps:
        with self.log.measure(self.name) as work:
            # Where a channel is off it may come on: none is looked up as nothing.
            looked_up = {
                item: np.where(gain > 0.0, gain, max(gain.max(), 1.0))
                for item, gain in draft.hand_gains.items()
            }
            if len(looked_up) > 1:
                looked_up = draft.hand_gains
            draft.targets.hand_gains = looked_up
            self._probes.fill_of_hand(draft.gbuffer, draft.view, draft.scene, looked_up)
            work["pixels"] = draft.size[0] * draft.size[1]
        yield


def _sky_key(draft: FrameContext) -> object:
    """What light straight from the sky depends on. While hand or hour move it, its strength alone follows at
    once, see LitScene; how it is spread does when the light of probes comes."""
    sky = draft.scene.sky
    if sky is None or not draft.scene.open_sky:
        return None
    return True if draft.moving or sky.id in draft.active else (sky.key, tuple(sky.ground))


def _others(draft: FrameContext) -> LitScene:
    """The scene without what is under the hand: that is looked up by itself, unless it is baked."""
    moved = draft.active - draft.baked
    return draft.scene.without(moved) if moved else draft.scene
