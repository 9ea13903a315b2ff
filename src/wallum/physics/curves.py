"""Tone curves by name: scene-linear picture values to display-linear values, in their published forms.

GLSL twin: realtime/shaders/include/chain/curves.glsl.
"""

from dataclasses import dataclass
from typing import Final, Literal

import numpy as np
from numpy.typing import NDArray

from wallum.physics.arrays import Floats
from wallum.physics.colour import luminance
from wallum.physics.tone import DEFAULT_CURVE, ToneCurve

__all__ = ["DEFAULT_WHITE", "OWN_CURVE", "Curve", "CurveKind", "CurveOn", "filmic", "neutral", "reinhard"]

CurveKind = Literal["own", "linear", "reinhard", "neutral", "filmic"]
CurveOn = Literal["channel", "luminance"]
# Six stops above mid grey.
DEFAULT_WHITE: Final = 11.52
# Khronos PBR Neutral: start of the highlight compression, and the rate of desaturation.
GIVES_WAY, LOSES_COLOUR = 0.8 - 0.04, 0.15
# Exposure of the ACES output transform for which the fit was made.
FILMIC_EXPOSURE: Final = 0.6


@dataclass(frozen=True)
class Curve:
    """A tone curve.

    kind  : which published form, or `own`
    white : picture value that becomes white, for kinds that have one
    on    : apply to each channel, or to luminance with the colour's ratios kept; PBR Neutral defines its own
    own   : parameters of the program's own curve
    """

    kind: CurveKind = "own"
    white: float = DEFAULT_WHITE
    on: CurveOn = "channel"
    own: ToneCurve = DEFAULT_CURVE

    def __call__(self, values: Floats) -> NDArray[np.float64]:
        """Apply the curve.

        values : (..., 3) picture values, linear
        Returns (..., 3) display-linear, 0 to 1.
        """
        x = np.maximum(np.asarray(values, np.float64), 0.0)
        if self.kind == "neutral":
            return np.clip(neutral(x), 0.0, 1.0)
        if self.on == "channel":
            return np.clip(self._one(x), 0.0, 1.0)
        light = luminance(x)[..., None]
        return np.clip(x * (self._one(light) / np.maximum(light, 1e-9)), 0.0, 1.0)

    def _one(self, x: NDArray[np.float64]) -> NDArray[np.float64]:
        """Apply the curve to values of one channel."""
        if self.kind == "linear":
            return x
        if self.kind == "reinhard":
            return reinhard(x, self.white)
        if self.kind == "filmic":
            return filmic(x)
        return np.asarray(self.own(x))


OWN_CURVE: Final = Curve()


def reinhard(x: NDArray[np.float64], white: float) -> NDArray[np.float64]:
    """Extended Reinhard operator.

    x     : (...,) picture values
    white : picture value that becomes 1
    Returns (...,). Source: Reinhard et al. 2002, equation 4.
    """
    return np.asarray(x * (1.0 + x / white**2) / (1.0 + x))


def filmic(x: NDArray[np.float64]) -> NDArray[np.float64]:
    """Filmic curve: a rational fit of the ACES output transform for displays, at its exposure.

    x : (...,) picture values
    Returns (...,). Source: Narkowicz 2015, "ACES Filmic Tone Mapping Curve".
    """
    x = FILMIC_EXPOSURE * x
    return np.asarray(x * (2.51 * x + 0.03) / (x * (2.43 * x + 0.59) + 0.14))


def neutral(rgb: NDArray[np.float64]) -> NDArray[np.float64]:
    """Khronos PBR Neutral: colours below the shoulder are kept, less the 4 % of specular reflection.

    rgb : (..., 3) picture values
    Returns (..., 3). Source: Khronos, "PBR Neutral Tone Mapping", 2024.
    """
    smallest = rgb.min(axis=-1, keepdims=True)
    rgb = rgb - np.where(smallest < 0.08, smallest - 6.25 * smallest * smallest, 0.04)
    peak = rgb.max(axis=-1, keepdims=True)
    room = 1.0 - GIVES_WAY
    lower = 1.0 - room * room / (np.maximum(peak, GIVES_WAY) + room - GIVES_WAY)
    share = 1.0 - 1.0 / (LOSES_COLOUR * (np.maximum(peak, GIVES_WAY) - lower) + 1.0)
    bent = rgb * (lower / np.maximum(peak, 1e-9))
    bent = bent + (lower - bent) * share
    return np.where(peak < GIVES_WAY, rgb, bent)
