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
    """Factor from luminance to picture value.

    ev100 : exposure value at ISO 100
    Returns picture value per cd/m2, 1 / (1.2 x 2^EV100). Source: ISO 12232:2019.
    """
    return float(1.0 / (SATURATION_FACTOR * 2.0**ev100))


def grey_luminance(ev100: float) -> float:
    """Luminance that becomes mid grey.

    ev100 : exposure value at ISO 100
    Returns [cd/m2].
    """
    return MID_GREY / exposure_scale(ev100)


def ev_for_luminance(luminance_cd_m2: float) -> float:
    """Exposure value that brings a luminance to mid grey.

    luminance_cd_m2 : above 0
    Returns EV100.
    """
    return float(np.log2(luminance_cd_m2 / (MID_GREY * SATURATION_FACTOR)))


def key_value(luminance_cd_m2: Floats | float) -> NDArray[np.float64]:
    """How bright a picture of a mean luminance [cd/m2] shall be, as a share of white.

    Source: Krawczyk, Myszkowski, Seidel 2005, "Perceptual Effects in Real-time Tone Mapping", eq. 11.
    """
    light = np.maximum(np.asarray(luminance_cd_m2, dtype=np.float64), 0.0)
    return np.asarray(1.03 - 2.0 / (2.0 + np.log10(light + 1.0)))


def kept_dark(mean_stops: float, darker: tuple[float, ...]) -> float:
    """Stops by which a dark picture stays below the metered exposure.

    mean_stops : log2 of the mean luminance in cd/m2
    darker     : stops at each of DARKER_AT but the last; linear in stops between them
    Returns stops.
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
    """Metered exposure value from the weighted log-average luminance.

    luminance_cd_m2 : (N,) of the cells of the picture
    weights         : (N,) 0 or more; all equal where all are 0
    compensation    : stops brighter than metered
    clips           : shares of the weight left out at the dark and at the bright end
    limits          : lowest and highest result
    darker          : see `kept_dark`
    Returns EV100. Source: ISO 2720 with K = 12.5: EV100 = log2(L x 100 / 12.5).
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
    """Exposure during adaptation toward a target.

    ev100, target : present and metered exposure value
    seconds       : elapsed time
    up, down      : speeds toward higher and lower values [stops/s]
    Returns EV100.
    """
    return min(max(target, ev100 - down * seconds), ev100 + up * seconds)
