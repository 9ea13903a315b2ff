"""Exposure: from luminance to picture value. Source: ISO 2720 and ISO 12232."""

import numpy as np
from numpy.typing import NDArray

from wallum.physics.arrays import Floats

__all__ = [
    "DARKER_AT", "MID_GREY", "adapted_ev", "ev_for_luminance", "exposure_scale", "grey_luminance",
    "kept_dark", "key_value", "metered_ev",
]  # fmt: skip

# Reflectance of the photographic grey card, and the picture value it should land on.
MID_GREY = 0.18
# Saturation-based sensitivity with the usual lens factor: ISO 12232:2019, annex C.
SATURATION_FACTOR = 1.2
# Reflected-light calibration constant K [cd/m2]: ISO 2720:1974, the usual value.
METER_CONSTANT = 12.5
# Mean luminances that it is said for how much darker than metered a picture stays [cd/m2]; the last is day,
# where that is nothing.
DARKER_AT = (0.01, 0.1, 1.0, 10.0, 100.0, 1000.0)


def exposure_scale(ev100: float) -> float:
    """Factor from luminance [cd/m2] to picture value [-] at an exposure value."""
    return float(1.0 / (SATURATION_FACTOR * 2.0**ev100))


def grey_luminance(ev100: float) -> float:
    """Luminance that lands on mid grey at an exposure value [cd/m2]."""
    return MID_GREY / exposure_scale(ev100)


def ev_for_luminance(luminance_cd_m2: float) -> float:
    """Exposure value that brings a luminance to mid grey [EV100]."""
    return float(np.log2(luminance_cd_m2 / (MID_GREY * SATURATION_FACTOR)))


def key_value(luminance_cd_m2: Floats | float) -> NDArray[np.float64]:
    """How bright a picture of a mean luminance [cd/m2] shall be, as a share of white.

    Source: Krawczyk, Myszkowski, Seidel 2005, "Perceptual Effects in Real-time Tone Mapping", eq. 11.
    """
    light = np.maximum(np.asarray(luminance_cd_m2, dtype=np.float64), 0.0)
    return np.asarray(1.03 - 2.0 / (2.0 + np.log10(light + 1.0)))


def kept_dark(mean_stops: float, darker: tuple[float, ...]) -> float:
    """Stops that a picture stays darker than metered, for its mean luminance.

    mean_stops : log2 of that in cd/m2
    darker     : stops at each of DARKER_AT but the last; between these it goes evenly by stops
    """
    at = np.log2(DARKER_AT)
    return float(np.interp(mean_stops, at, (*darker, 0.0)))


def metered_ev(
    luminance_cd_m2: Floats,
    weights: Floats,
    compensation: float = 0.8,
    clips: tuple[float, float] = (0.0, 0.0),
    limits: tuple[float, float] = (-12.0, 20.0),
    darker: tuple[float, ...] = (),
) -> float:
    """Exposure value that a meter finds, from the weighted log-average [EV100].

    luminance_cd_m2 : (N,) of the picture's cells
    weights         : (N,) at least 0; where all are 0, all count alike
    compensation    : stops that the picture is made brighter than metered
    clips           : shares of the weight left out at the dark and at the bright end
    limits          : lowest and highest answer
    darker          : what a picture of little light stays darker by, see `kept_dark`
    Source: ISO 2720, with a calibration constant of 12.5: EV100 = log2(L x 100 / 12.5).
    """
    stops = np.log2(np.maximum(np.asarray(luminance_cd_m2, dtype=np.float64), 1e-9))
    share = np.asarray(weights, dtype=np.float64)
    share = np.full(len(stops), 1.0 / len(stops)) if share.sum() <= 0.0 else share / share.sum()
    order = np.argsort(stops, kind="stable")
    stops, share = stops[order], share[order]
    end = np.cumsum(share)
    # What of each cell's weight lies between the clips.
    selected = np.clip(np.minimum(end, 1.0 - clips[1]) - np.maximum(end - share, clips[0]), 0.0, None)
    mean = float((stops * selected).sum() / max(selected.sum(), 1e-12))
    dark = kept_dark(mean, darker) if darker else 0.0
    return min(max(mean + float(np.log2(100.0 / METER_CONSTANT)) - compensation + dark, limits[0]), limits[1])


def adapted_ev(ev100: float, target: float, seconds: float, up: float, down: float) -> float:
    """Exposure [EV100] on its way to a metered one after some time [s], at speeds [stops/s].

    up : toward a higher value (the eye takes to more light); down : toward a lower one
    """
    return min(max(target, ev100 - down * seconds), ev100 + up * seconds)
