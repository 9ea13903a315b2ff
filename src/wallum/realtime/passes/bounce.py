"""The pass that looks up, for each pixel, what the probes about it have."""

from typing import Any

from wallum.frame.passes.bounce import PROBE_LIGHT
from wallum.frame.passes.surfaces import SEE_THROUGH, SURFACES
from wallum.realtime.gl.pass_log import PassLog
from wallum.realtime.gl.view import pre_exposure
from wallum.realtime.passes.base import Draft, Lit, Pass, Steps
from wallum.realtime.passes.probe_light import ProbeLight

__all__ = ["ProbeLightPass"]


class ProbeLightPass(Pass):
    """What each pixel's surface has from the probes about it."""

    described = PROBE_LIGHT
    reads = (SURFACES.name, SEE_THROUGH.name)

    def __init__(self, log: PassLog, probes: ProbeLight) -> None:
        super().__init__(log)
        self._probes = probes

    def wanted(self, draft: Draft) -> bool:
        return self._probes.there and not draft.inspected

    def key(self, draft: Draft, lit: Lit) -> object:
        return self._probes.key(lit.scene), (pre_exposure(lit.scene.look.ev100), draft.view.show == "probes")

    def is_kept(self, draft: Draft) -> bool:
        """While a source is under the hand its own bounce waits: the light of all others is kept with it."""
        kept, wanted = draft.targets.keys.get(self.name), draft.keys[self.name]
        if not draft.active or kept is None:
            return kept == wanted
        return _without(kept, draft.active) == _without(wanted, draft.active)

    def draw(self, draft: Draft) -> Steps:
        with self.log.measure(self.name) as work:
            for one in (draft.gbuffer, *(layer.gbuffer for layer in draft.layers)):
                self._probes.fill(one, draft.view, draft.scene)
                work["pixels"] = work.get("pixels", 0) + one.size[0] * one.size[1]
        yield


def _without(key: Any, active: frozenset[str]) -> object:
    """A key, and that of what is read, without the gains of some sources."""
    ((number, gains), exposure), read = key
    return number, tuple(one for one in gains if one[0] not in active), exposure, read
