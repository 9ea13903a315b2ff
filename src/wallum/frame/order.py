"""The passes of a frame, in the order in which they are drawn. This is the one place that says it."""

from typing import Final

from wallum.frame.pass_spec import PassSpec
from wallum.frame.passes.air import AIR, AIR_LIGHT
from wallum.frame.passes.ambient_occlusion import GAPS
from wallum.frame.passes.baked import BAKED_LIGHT
from wallum.frame.passes.bounce import PROBE_LIGHT, PROBE_LIGHT_OF_HAND
from wallum.frame.passes.finish import DEVELOP, EDGES, FOCUS, INSPECT, METER, READ_BACK, SAMPLE
from wallum.frame.passes.light import LIGHT, LIGHT_ADDED, LIGHT_OF_OTHERS, LIGHT_OF_SEE_THROUGH
from wallum.frame.passes.shadows import LAMP_SHADOWS, SUN_SHADOWS
from wallum.frame.passes.sheets import CARDS, SCREEN_SHAFTS
from wallum.frame.passes.sky import CLOUDS, SKY, SKY_VISIBILITY
from wallum.frame.passes.surfaces import SEE_THROUGH, SURFACES

__all__ = ["COUNTS", "FINISHED", "LIT", "PASSES"]

# Up to the light of a picture.
LIT: Final[tuple[PassSpec, ...]] = (
    SURFACES,
    GAPS,  # over what the surfaces say of their own
    SEE_THROUGH,
    SKY,  # ahead of all shadows, as its blurred copies wait for what is being drawn
    SKY_VISIBILITY,
    BAKED_LIGHT,
    PROBE_LIGHT,  # in the place of it, once there are probes
    PROBE_LIGHT_OF_HAND,
    LAMP_SHADOWS,
    SUN_SHADOWS,
    INSPECT,
    CLOUDS,
    AIR_LIGHT,
    LIGHT_OF_OTHERS,
    LIGHT,  # with the air in it, where that is lit in a volume
    LIGHT_ADDED,
    AIR,
    LIGHT_OF_SEE_THROUGH,
    CARDS,
    SCREEN_SHAFTS,
)
# From there to the window.
FINISHED: Final[tuple[PassSpec, ...]] = (METER, SAMPLE, FOCUS, DEVELOP, EDGES, READ_BACK)
PASSES: Final = LIT + FINISHED
# What each pass counts; times are sums of these, each times a coefficient.
COUNTS: Final[dict[str, tuple[str, ...]]] = {pass_.name: pass_.counts for pass_ in PASSES if pass_.counts}
