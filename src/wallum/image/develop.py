"""Develop scene light into display values; the real-time developer's twin."""

import numpy as np
from numpy.typing import NDArray

from wallum.physics.arrays import Floats
from wallum.physics.exposure import exposure_scale
from wallum.physics.night_eye import night_eye
from wallum.physics.tone import DEFAULT_CURVE, ToneCurve, bayer_matrix, srgb_encode

__all__ = ["develop"]


def develop(
    luminance: Floats, ev100: float, curve: ToneCurve = DEFAULT_CURVE, night: float = 0.0
) -> NDArray[np.uint8]:
    """(H, W, 3) light [cd/m2] to (H, W, 3) 8-bit sRGB, with ordered dither.

    night : strength of the look of the eye at night
    """
    seen = night_eye(np.asarray(luminance, np.float64), night)
    encoded = srgb_encode(curve(seen * exposure_scale(ev100)))
    rows, columns = encoded.shape[:2]
    thresholds = np.tile(bayer_matrix(3), (-(-rows // 8), -(-columns // 8)))[:rows, :columns]
    steps = encoded * 255.0 + thresholds[..., None] - 0.5
    return np.clip(np.round(steps), 0, 255).astype(np.uint8)
