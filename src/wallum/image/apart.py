"""How far a look moves a picture from what it would be without."""

from dataclasses import dataclass
from typing import Final

import numpy as np

from wallum.image.chain import displayed
from wallum.image.develop import through_lens
from wallum.moment.resolved_look import ResolvedLook
from wallum.physics.arrays import Floats
from wallum.physics.colour import luminance
from wallum.physics.difference import delta_e_itp
from wallum.physics.exposure import exposure_scale
from wallum.physics.night_eye import night_eye
from wallum.physics.tone import srgb_encode

__all__ = ["LookDifference", "look_apart"]

# From here on a look is called loud.
LOUD_STOPS: Final = 0.75
LOUD_DELTA_E: Final = 40.0
LOUD_CLIPPED: Final = 0.03
# Of the 256 values of a channel, what counts as its end.
CLIPPED: Final = 254.5 / 255.0
MINIMUM: Final = 1e-4


@dataclass(frozen=True)
class LookDifference:
    """stops   : median of how much brighter or darker pixels are shown
    delta_e : median of their difference of colour, delta E ITP
    clipped : (R, G, B) share of pixels whose channel is at its end, beyond what is so without the look
    """

    stops: float
    delta_e: float
    clipped: tuple[float, float, float]

    def loud(self, limit: float = LOUD_DELTA_E) -> tuple[str, ...]:
        """What of it is more than most pictures bear. limit : of differences of colour [delta E ITP]"""
        out = []
        if self.stops > LOUD_STOPS:
            out.append(f"moves half of it by more than {LOUD_STOPS:g} stops")
        if self.delta_e > limit:
            out.append(f"shifts colours by more than {limit:g} delta E")
        if max(self.clipped) > LOUD_CLIPPED:
            out.append(f"clips more than {LOUD_CLIPPED:.0%} of a channel")
        return tuple(out)


def look_apart(values: Floats, look: ResolvedLook) -> LookDifference:
    """Of a picture's values (H, W, 3), exposed already, against the neutral look.
    Raises ValueProblem for a table's file."""
    to_light = 1.0 / exposure_scale(look.ev100)
    seen = through_lens(values, look)
    seen = night_eye(seen * to_light, look.night_eye) / to_light
    shown = displayed(seen, look).reshape(-1, 3)
    plain = displayed(np.asarray(values, np.float64), ResolvedLook(look.ev100)).reshape(-1, 3)
    stops = np.log2((luminance(shown) + MINIMUM) / (luminance(plain) + MINIMUM))
    off = delta_e_itp(shown, plain)
    ends = (srgb_encode(shown) >= CLIPPED) & ~(srgb_encode(plain) >= CLIPPED)
    red, green, blue = ends.mean(axis=0).tolist()
    return LookDifference(float(np.median(np.abs(stops))), float(np.median(off)), (red, green, blue))
