"""While a hand makes the air thicker or thinner, passes that this changes little take turns.

Of such pictures, one soon after the other, each draws one part of the light anew; what the air before it
hides and shows is always of now. Once the hand rests nothing waits.
"""

import pickle
from dataclasses import replace
from typing import Final

import numpy as np

from wallum.frame.passes.air import AIR_LIGHT
from wallum.frame.passes.bounce import PROBE_LIGHT
from wallum.frame.passes.light import LIGHT
from wallum.frame.passes.sky import SKY
from wallum.moment.scene import LitScene
from wallum.realtime.gl.view import pre_exposure
from wallum.realtime.passes.interaction.light_key import light_key
from wallum.realtime.process.request import PictureRequest

__all__ = ["AmortisedPasses"]

# Of about the same cost each.
GROUPS: Final = ((SKY.name,), (PROBE_LIGHT.name,), (AIR_LIGHT.name,), (LIGHT.name,))
TAKING_TURNS: Final = frozenset(name for group in GROUPS for name in group)


class AmortisedPasses:
    """Tells which passes of a picture may wait, from the picture before."""

    def __init__(self) -> None:
        self._rest: bytes | None = None
        self._air: object = None
        self._turn = 0

    def waiting(self, request: PictureRequest) -> frozenset[str]:
        """Names of the passes that may show what they hold; none where anything but the air has changed."""
        scene = request.shown_scene
        rest = _beside_air(request, scene) if request.detail == "reduced" and scene.air is not None else None
        air_alone = rest is not None and rest == self._rest and scene.air != self._air
        self._rest, self._air = rest, scene.air
        if not air_alone:
            self._turn = 0
            return frozenset()
        own = GROUPS[self._turn % len(GROUPS)]
        self._turn += 1
        return TAKING_TURNS.difference(own)


def _beside_air(request: PictureRequest, scene: LitScene) -> bytes:
    """All that a picture shows beside the air, and what that makes of sun and sky."""
    sun, sky = scene.sun, scene.sky
    if sun is not None:
        clouds = None if sun.clouds is None else (sun.clouds[0], np.zeros(3))
        sun = replace(sun, illuminance=np.zeros(3), clouds=clouds, through=None)
    if sky is not None:
        none = np.zeros((0, 0, 3), np.float32)
        sky = replace(sky, luminance=none, backdrop=None, picture=None, key=(), air_light=None)
    bare = replace(scene, air=None, sun=sun, sky=sky, cards=(), screen=None, flat=None)
    return light_key(request, bare) + pickle.dumps(pre_exposure(scene.look.ev100))
