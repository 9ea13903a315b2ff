"""What each source gives to a picture: its share of the light, and how much of it is seen."""

from dataclasses import dataclass

import numpy as np

from wallum.moment.scene import GLOW_ID, OF
from wallum.physics.colour import luminance
from wallum.physics.difference import delta_e_itp
from wallum.physics.exposure import exposure_scale
from wallum.physics.tone import DEFAULT_CURVE
from wallum.transport.direct.contributions import Layers

__all__ = ["Contribution", "glow_by_material", "ledger"]

JUST_VISIBLE = 1.0


@dataclass(frozen=True)
class Contribution:
    """share : luminance of a source over that of all, summed over the surface pixels, 0 to 1.
    seen : share of the picture's pixels that would change visibly without it, 0 to 1."""

    share: float
    seen: float


def ledger(layers: Layers, ev100: float) -> dict[str, Contribution]:
    """What each source gives, by its id, at an exposure."""
    scale = exposure_scale(ev100)
    total = layers.total
    whole = float(luminance(total).sum())
    shown = np.clip(DEFAULT_CURVE(total * scale), 0.0, 1.0)
    pixels = max(layers.seen.size[0] * layers.seen.size[1], 1)
    out = {}
    for source_id, light in layers.light.items():
        touched = np.flatnonzero(light.any(axis=1))
        without = np.clip(
            DEFAULT_CURVE(np.clip(total[touched] - light[touched], 0.0, None) * scale), 0.0, 1.0
        )
        changed = int((delta_e_itp(shown[touched], without) > JUST_VISIBLE).sum()) if len(touched) else 0
        share = float(luminance(light).sum()) / whole if whole > 0.0 else 0.0
        out[source_id] = Contribution(share, changed / pixels)
    return out


def glow_by_material(given: dict[str, Contribution]) -> dict[str, Contribution]:
    """What glow gives, by the name of the material that glows, the most first."""
    mine = {
        name.partition(OF)[2] or GLOW_ID: item
        for name, item in given.items()
        if name.partition(OF)[0] == GLOW_ID
    }
    return dict(sorted(mine.items(), key=lambda pair: -pair[1].share))
