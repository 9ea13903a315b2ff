"""From scene-linear picture values to display values: tone curve, sRGB, ordered dither.

The curve is our own, per channel: (a x2 + b x) / (c x2 + d x + 1), with a toe of chosen
slope, mid grey kept where it is, and white reached at a chosen number of stops above it.
Twin of shaders/develop.frag.glsl.
"""

from dataclasses import dataclass

import numpy as np
from numpy.typing import NDArray

from wallum.physics.arrays import Floats
from wallum.physics.exposure import MID_GREY

__all__ = ["DEFAULT_CURVE", "ToneCurve", "bayer_matrix", "srgb_decode", "srgb_encode"]


@dataclass(frozen=True)
class ToneCurve:
    """Rational tone curve; see `through` for how its four numbers are found."""

    a: float
    b: float
    c: float
    d: float

    @classmethod
    def through(cls, toe_slope: float, contrast: float, white_stops: float) -> "ToneCurve":
        """Curve with slope `toe_slope` at black, f(grey) = grey with log-log slope
        `contrast` there, and f = 1 at `white_stops` above grey.

        f = N/D with N = a x2 + b x, D = c x2 + d x + 1. The three conditions are linear
        in a, c and d once b is given.
        """
        g, white = MID_GREY, MID_GREY * 2.0**white_stops
        b = toe_slope
        rows = [
            [g**2, -(g**3), -(g**2)],
            [white**2, -(white**2), -white],
            # d(log f)/d(log x) = x N'/N - x D'/D, with N = g D at grey.
            [2 * g**2 - contrast * g**2, -2 * g**3, -(g**2)],
        ]
        right = [g - b * g, 1.0 - b * white, contrast * b * g - b * g]
        # The third row uses N = g D to remove the quotient; D's part carries x D' g.
        a, c, d = np.linalg.solve(np.array(rows), np.array(right))
        return cls(float(a), b, float(c), float(d))

    def __call__(self, value: Floats) -> Floats:
        """Display-linear value in 0 to 1 for scene-linear picture value [-]."""
        x = np.maximum(value, 0.0)
        return np.clip((self.a * x + self.b) * x / ((self.c * x + self.d) * x + 1.0), 0.0, 1.0)

    def rises_to(self, white: float) -> bool:
        """Whether it rises from black to a picture value without a fall or a gap."""
        x = np.concatenate([[0.0], np.geomspace(1e-4, white, 400)])
        below = (self.c * x + self.d) * x + 1.0
        value = (self.a * x + self.b) * x / np.where(below > 0.0, below, 1.0)
        return bool((below > 0.0).all() and (np.diff(value) > 0.0).all())

    def undone(self, display: Floats) -> NDArray[np.float64]:
        """Scene-linear picture value for display-linear values (...,) in 0 to 1 [-]."""
        f = np.clip(np.asarray(display, dtype=np.float64), 0.0, 1.0)
        p, q = self.a - f * self.c, self.b - f * self.d
        root = np.sqrt(np.maximum(q * q + 4.0 * p * f, 0.0))
        # The one that stays exact where the square's factor goes through zero.
        return np.asarray(2.0 * f / np.maximum(q + root, 1e-12))


DEFAULT_CURVE = ToneCurve.through(toe_slope=0.62, contrast=1.18, white_stops=6.0)


def srgb_encode(linear: Floats) -> Floats:
    """sRGB transfer function, (...,) linear 0..1 to (...,) encoded 0..1 [-]. Source: IEC 61966-2-1."""
    x = np.clip(linear, 0.0, 1.0)
    return np.where(x <= 0.0031308, 12.92 * x, 1.055 * np.power(x, 1 / 2.4) - 0.055)


def srgb_decode(encoded: Floats) -> Floats:
    """Inverse of srgb_encode, (...,) to (...,) [-]. Source: IEC 61966-2-1."""
    x = np.clip(encoded, 0.0, 1.0)
    return np.where(x <= 0.04045, x / 12.92, np.power((x + 0.055) / 1.055, 2.4))


def bayer_matrix(order: int) -> NDArray[np.float64]:
    """Ordered-dither thresholds, (2^order, 2^order), each of 0..1 once, centred.

    Source: Bayer 1973, by the usual recursion.
    """
    base = np.zeros((1, 1))
    for _ in range(order):
        base = np.block([[4 * base, 4 * base + 2], [4 * base + 3, 4 * base + 1]])
    return (base + 0.5) / base.size
