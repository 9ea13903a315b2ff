"""When lamps are on: by hand, by the clock, or by the light of open ground.

Switching by light has a memory (on below one illuminance, off above a higher one), and
evaluation has none: so the whole day is solved once, around midnight, and looked up.
"""

from dataclasses import dataclass
from functools import lru_cache
from threading import Lock
from typing import Final

import numpy as np
from numpy.typing import NDArray

from wallum.document.project import Project
from wallum.document.sources import Lamp
from wallum.memo import Memo
from wallum.moment.at_moment import at_moment
from wallum.moment.base_light import open_ground_lux
from wallum.moment.moment import Moment

__all__ = ["day_lux", "is_on", "on_spans"]

# Every five minutes; crossings between are found on the straight line in stops.
SAMPLES: Final = 288
STEP_H: Final = 24.0 / SAMPLES
# Of a day without lanes every half hour first: light that no lamp switches by is known well enough
# from its ends, where it is this far off [stops].
FIRST: Final = 6
FAR_OFF: Final = 1.0
DARKEST_LX: Final = 1e-9
Spans = tuple[tuple[float, float], ...]


@dataclass(frozen=True, eq=False)
class LuxDay:
    """Illuminance of open ground [lx] every five minutes; equal only to itself."""

    lux: NDArray[np.float64]


# The day by the identity of where it was found last; and by what it depends on.
_LAST: Final = Memo[LuxDay](2)
_SOLVED: list[tuple[object, LuxDay]] = []
_SOLVING: Final = Lock()


def _lux_day(project: Project) -> LuxDay:
    return _LAST.get(lambda: _solved(project), project.sources, project.lanes, project.setting)


def day_lux(project: Project) -> NDArray[np.float64]:
    """(288,) illuminance of open ground through the day [lx], lanes taken in. Kept."""
    return _lux_day(project).lux


def _solved(project: Project) -> LuxDay:
    base = tuple(source for source in project.resolved_sources if not isinstance(source, Lamp))
    lanes = tuple(lane for lane in project.lanes if any(lane.owner == b.id for b in base))
    moved = any(lane.name in ("on_below", "off_above") for lane in project.lanes)
    limits = None if lanes or moved else _limits(project)
    place = project.setting.revised(clock=0.0, day_length=120.0)
    key = (base, lanes, place, limits)
    with _SOLVING:
        for item, day in _SOLVED:
            if item == key:
                return day
    bare = project.revised(sources=base, lanes=lanes, marks=())
    day = LuxDay(_lux(bare, limits))
    with _SOLVING:
        _SOLVED.insert(0, (key, day))
        del _SOLVED[4:]
    return day


def _limits(project: Project) -> tuple[float, ...]:
    """What lamps switch by, in stops."""
    lamps = (
        source
        for source in project.resolved_sources
        if isinstance(source, Lamp) and source.switched == "by light"
    )
    lux = {limit for lamp in lamps for limit in (lamp.on_below, lamp.off_above)}
    return tuple(sorted(float(np.log2(max(limit, DARKEST_LX))) for limit in lux))


def _lux(bare: Project, limits: tuple[float, ...] | None) -> NDArray[np.float64]:
    """(288,) the day's light on open ground [lx]; only near the limits [stops] at every step, where
    there are limits."""

    def stops(sample: int) -> float:
        moment = Moment(sample % SAMPLES * STEP_H)
        return float(np.log2(max(open_ground_lux(at_moment(bare, moment), moment), DARKEST_LX)))

    if limits is None:
        return np.asarray(2.0 ** np.array([stops(i) for i in range(SAMPLES)]))
    known = [stops(i) for i in range(0, SAMPLES, FIRST)]
    out = np.empty(SAMPLES)
    for number, (here, after) in enumerate(zip(known, [*known[1:], known[0]])):
        first = number * FIRST
        out[first : first + FIRST] = np.linspace(here, after, FIRST, endpoint=False)
        low, high = min(here, after) - FAR_OFF, max(here, after) + FAR_OFF
        if any(low <= limit <= high for limit in limits):
            out[first + 1 : first + FIRST] = [stops(i) for i in range(first + 1, first + FIRST)]
    return np.asarray(2.0**out)


@lru_cache(maxsize=256)
def _spans(day: LuxDay, on_below: float, off_above: float) -> Spans:
    """Hours from and to which a lamp is on; a span may run over midnight."""
    values = np.log2(np.maximum(day.lux, DARKEST_LX))
    low, high = np.log2(max(on_below, DARKEST_LX)), np.log2(max(off_above, DARKEST_LX))
    if (values < low).all():
        return ((0.0, 24.0),)
    state = False
    changes: list[tuple[float, bool]] = []
    # The first time around finds the state at midnight, the second the switching itself.
    for turn in range(2):
        for i in range(SAMPLES):
            here, after = values[i], values[(i + 1) % SAMPLES]
            limit = high if state else low
            crosses = (after > limit) if state else (after < limit)
            if crosses:
                state = not state
                share = np.clip((limit - here) / (after - here), 0.0, 1.0) if after != here else 0.0
                if turn == 1:
                    changes.append((float((i + share) * STEP_H % 24.0), state))
    if not changes:
        return ((0.0, 24.0),) if state else ()
    starts = [hour for hour, on in changes if on]
    ends = [hour for hour, on in changes if not on]
    return tuple((start, min(ends, key=lambda end: (end - start) % 24.0)) for start in starts)


def _within(hour: float, start: float, end: float) -> bool:
    return (hour - start) % 24.0 < ((end - start) % 24.0 or 24.0)


def on_spans(project: Project, lamp: Lamp) -> Spans:
    """Hours from and to which a lamp's switching lets it be on."""
    if lamp.switched == "by clock":
        return ((lamp.on_at % 24.0, lamp.off_at % 24.0),) if lamp.on_at % 24.0 != lamp.off_at % 24.0 else ()
    if lamp.switched == "by light":
        return _spans(_lux_day(project), lamp.on_below, lamp.off_above)
    return ((0.0, 24.0),)


def is_on(project: Project, lamp: Lamp, moment: Moment) -> bool:
    """Whether a lamp's own switch and its switching both let it be on at a moment."""
    if not lamp.on or lamp.switched == "by hand":
        return lamp.on
    return any(_within(moment.clock, start, end) for start, end in on_spans(project, lamp))
