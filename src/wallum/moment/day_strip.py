"""The day at a glance: colours of the sky by the hour, courses of sun and moon, events."""

from dataclasses import dataclass
from typing import Final

import numpy as np
from numpy.typing import NDArray

from wallum.document.lanes import EVENTS, SUNRISE_DEG, PegTime
from wallum.document.project import Project
from wallum.moment.at_moment import at_moment, day_of
from wallum.moment.base_light import find_base_light, places
from wallum.moment.moment import Moment
from wallum.physics.colour import luminance
from wallum.physics.tone import srgb_encode

__all__ = ["DayMark", "ElevationCurves", "course", "events_of_day", "moments_of_day", "strip_colours"]

# Luminance that is shown as bright as a strip gets, and how many stops below it are shown as
# one: day and night differ by more than twenty.
BRIGHTEST_CD_M2, SQUEEZED = 9000.0, 8.0
SHOWN_AT_MAX = 0.62


@dataclass(frozen=True)
class ElevationCurves:
    """Apparent elevation [deg] of sun and moon at hours (N,)."""

    hours: NDArray[np.float64]
    sun: NDArray[np.float64]
    moon: NDArray[np.float64]


def course(project: Project, steps: int = 96) -> ElevationCurves:
    """The courses of sun and moon through the day, lanes taken in."""
    hours = np.linspace(0.0, 24.0, steps + 1)
    pairs = [places(at_moment(project, Moment(h)), float(h % 24.0)) for h in hours]
    return ElevationCurves(
        hours, np.array([s.elevation for s, _ in pairs]), np.array([m.elevation for _, m in pairs])
    )


def _shown(rgb: NDArray[np.float64]) -> tuple[int, int, int]:
    bright = max(float(luminance(rgb)), 1e-6)
    value = SHOWN_AT_MAX * (bright / BRIGHTEST_CD_M2) ** (1.0 / SQUEEZED)
    linear = np.clip(rgb / bright * value**2.2, 0.0, 1.0)
    red, green, blue = np.round(srgb_encode(linear) * 255.0).astype(int)
    return int(red), int(green), int(blue)


def strip_colours(project: Project, moment: Moment) -> tuple[tuple[int, int, int], tuple[int, int, int]]:
    """8-bit sRGB of the zenith and of the horizon at a moment, squeezed so that night shows."""
    sky = find_base_light(at_moment(project, moment), moment).sky
    if sky is None:
        return (24, 24, 24), (24, 24, 24)
    zenith = sky.luminance[:6].mean(axis=(0, 1)).astype(np.float64)
    low = sky.luminance[-14:-5].mean(axis=(0, 1)).astype(np.float64)
    return _shown(zenith), _shown(low)


EVENT_WORDS: Final = ("dawn", "sunrise", "noon", "sunset", "dusk")


def events_of_day(project: Project) -> dict[str, float]:
    """Hours of the solar events that this day has."""
    day = day_of(project.setting)
    out = {}
    for word in EVENT_WORDS:
        tie, angle = EVENTS[word]
        if tie == "noon":
            out[word] = day.noon
        elif day.happens(angle):
            out[word] = day.crossing(angle, tie == "rising")
    return out


@dataclass(frozen=True)
class DayMark:
    """A mark of the sun's day: how it is called, when it is [h], and how a peg is tied to it."""

    words: str
    hour: float
    at: PegTime


# The three twilights end where the sun is this far down [deg].
TWILIGHTS: Final = ((-6.0, "civil"), (-12.0, "nautical"), (-18.0, "astronomical"))


def moments_of_day(project: Project) -> list[DayMark]:
    """Sunrise, noon, sunset and the three twilights at both ends, as far as this day has them."""
    day = day_of(project.setting)
    out = [DayMark("noon", day.noon, PegTime(tie="noon"))]
    angles = [(SUNRISE_DEG, "")] + [(angle, f"{word} ") for angle, word in TWILIGHTS]
    for angle, word in angles:
        if day.happens(angle):
            names = ("sunrise", "sunset") if not word else (f"{word}dawn", f"{word}dusk")
            out.append(DayMark(names[0], day.crossing(angle, True), PegTime(tie="rising", angle=angle)))
            out.append(DayMark(names[1], day.crossing(angle, False), PegTime(tie="setting", angle=angle)))
    return sorted(out, key=lambda item: item.hour)
