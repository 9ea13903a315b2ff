"""Exposure: from luminance to picture value. Source: ISO 2720 and ISO 12232."""

import numpy as np

__all__ = ["MID_GREY", "ev_for_luminance", "exposure_scale", "grey_luminance"]

# Reflectance of the photographic grey card, and the picture value it should land on.
MID_GREY = 0.18
# Saturation-based sensitivity with the usual lens factor: ISO 12232:2019, annex C.
SATURATION_FACTOR = 1.2


def exposure_scale(ev100: float) -> float:
    """Factor from luminance [cd/m2] to picture value [-] at an exposure value."""
    return float(1.0 / (SATURATION_FACTOR * 2.0**ev100))


def grey_luminance(ev100: float) -> float:
    """Luminance that lands on mid grey at an exposure value [cd/m2]."""
    return MID_GREY / exposure_scale(ev100)


def ev_for_luminance(luminance_cd_m2: float) -> float:
    """Exposure value that brings a luminance to mid grey [EV100]."""
    return float(np.log2(luminance_cd_m2 / (MID_GREY * SATURATION_FACTOR)))
