"""What surfaces are, or how fine the shadows on them, in the place of light."""

from wallum.frame.passes.finish import INSPECT
from wallum.frame.passes.shadows import LAMP_SHADOWS, SUN_SHADOWS
from wallum.frame.passes.surfaces import SEE_THROUGH, SURFACES
from wallum.realtime.gl.pass_log import PassLog
from wallum.realtime.passes.frame.base import FrameContext, LightSubset, Pass, Steps
from wallum.realtime.passes.lamps.lighting import Lighting
from wallum.realtime.passes.shadows.shadow_passes import grain_of

__all__ = ["Inspect"]


class Inspect(Pass):
    """The views that need no light."""

    described = INSPECT
    reads = tuple(item.name for item in (SURFACES, SEE_THROUGH, LAMP_SHADOWS, SUN_SHADOWS))
    target = "total"

    def __init__(self, log: PassLog, lighting: Lighting) -> None:
        super().__init__(log)
        self._lighting = lighting

    def wanted(self, draft: FrameContext) -> bool:
        return draft.inspected

    def key(self, draft: FrameContext, lit: LightSubset) -> object:
        return None

    def draw(self, draft: FrameContext) -> Steps:
        view, total, grain = draft.view, draft.targets.total, grain_of(draft)
        shadows = draft.sun_shadows or draft.targets.sun_shadows
        with self.log.measure(self.name):
            self._lighting.inspect(view, draft.gbuffer, total, shadows, grain)
            for layer in reversed(draft.layers):
                self._lighting.inspect(view, layer.gbuffer, layer.target, shadows, grain)
                draft.targets.layers.lay(layer, draft, None, total)
        yield
