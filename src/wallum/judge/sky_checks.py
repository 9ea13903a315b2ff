"""Checks of the light from outside: a night to be read, a sky that goes with the sun, no jumps."""

from collections.abc import Callable, Iterator
from typing import Final

import numpy as np

from wallum.document.lanes import format_clock
from wallum.document.paths import slug_of
from wallum.document.project import Project
from wallum.document.sources import SkySource, SunSource
from wallum.judge.findings import Finding, Remedy
from wallum.moment.at_moment import at_moment
from wallum.moment.base_light import body_now, find_base_light, open_ground_lux
from wallum.moment.evaluate import evaluate
from wallum.moment.moment import Moment, own_moment
from wallum.moment.picture_sun import sun_apart, sun_to_picture
from wallum.physics.colour import luminance
from wallum.physics.dome import dome_illuminance

__all__ = ["ambient_follows", "dark_night", "exposure_jump", "suns_apart"]

NIGHT_LX: Final = 2.0
# A night can be read where no more than this share of a shot is this far under mid grey [stops].
UNREADABLE, MAX_UNREADABLE, MAX_ADDED = -7.0, 0.6, 6.0
# A sky that stays as bright while the sun goes by this factor does not follow it.
SKY_STAYS, SUN_GOES = 1.5, 50.0
APART_DEG: Final = 3.0
# More than this within a minute is seen as a jump [stops].
JUMP_STOPS: Final = 1.0
COARSE_MIN, FINE_MIN = 10, 1


def _sky(project: Project) -> SkySource | None:
    return next(
        (source for source in project.resolved_sources if isinstance(source, SkySource) and source.on), None
    )


def dark_night(
    project: Project, looks: Iterator[tuple[str, Moment, Callable[[], np.ndarray]]]
) -> Iterator[Finding]:
    """Shots whose night cannot be read: most of them lies in black, as exposed.

    looks : of each shot at each hour its name, the moment, and what gives its stops over mid grey
    """
    sky = _sky(project)
    for shot, moment, stops_of in looks:
        if sky is None or open_ground_lux(at_moment(project, moment), moment) > NIGHT_LX:
            continue
        stops = stops_of()
        share = float((stops < UNREADABLE).mean()) if len(stops) else 0.0
        if share <= MAX_UNREADABLE:
            continue
        lacking = UNREADABLE - float(np.quantile(stops, MAX_UNREADABLE))
        now = at_moment(project, moment)
        present = next(source.diffuse for source in now.resolved_sources if isinstance(source, SkySource))
        more = round(min(present + lacking + 0.5, MAX_ADDED), 1)
        at = f"{shot} at {format_clock(moment.clock)}"
        remedy = None
        if more > present:
            clock = format_clock(moment.clock)
            text = f"let the sky give surfaces {more - present:.1f} stops more at {clock}"
            remedy = Remedy(text, {f"sources/@{sky.id}/diffuse": more}, moment)
        text = f"{share:.0%} of {at} lies in black: nothing lights what the lamps do not reach"
        yield Finding("night without readable ambient", at, "warning", text, remedy)


def ambient_follows(project: Project) -> Iterator[Finding]:
    """A sky that stays as it is while the sun goes from day to night."""
    sky = _sky(project)
    sun = next(
        (source for source in project.resolved_sources if isinstance(source, SunSource) and source.on), None
    )
    if sky is None or sun is None:
        return
    by_sky, by_sun = [], []
    for moment in map(Moment, (0.0, 6.0, 9.0, 12.0, 15.0, 18.0, 21.0)):
        now = at_moment(project, moment)
        base = find_base_light(now, moment)
        by_sky.append(float(luminance(dome_illuminance(base.sky.luminance))) if base.sky is not None else 0.0)
        by_sun.append(float(luminance(body_now(now, moment.clock, sun)[1])))
    goes = max(by_sun) > SUN_GOES * max(min(by_sun), 1e-6)
    stays = max(by_sky) < SKY_STAYS * max(min(by_sky), 1e-9)
    if goes and stays and max(by_sky) > 0.0:
        where = f"sources/{slug_of(project, 'sources', sky.id)}"
        text = f"{sky.name} is as bright by night as by day, while the sun goes"
        remedy = Remedy("let the air make the sky", {f"sources/@{sky.id}/model": "atmosphere"})
        yield Finding("ambient not following the sky", where, "warning", text, remedy)


def suns_apart(project: Project) -> Iterator[Finding]:
    """A sky's picture whose sun is not where the sun shines from."""
    sky = _sky(project)
    if sky is None or sky.model != "picture dome":
        return
    moment = own_moment(project)
    apart = sun_apart(project, moment)
    if apart is None or apart <= APART_DEG:
        return
    where = f"sources/{slug_of(project, 'sources', sky.id)}"
    text = f"the sun stands {apart:.0f} deg from the one in the sky's picture at {format_clock(moment.clock)}"
    remedy = Remedy("set the sun to the picture's", sun_to_picture(at_moment(project, moment)), moment)
    yield Finding("sun picture and sun apart", where, "warning", text, remedy)


def exposure_jump(project: Project, keep_going: Callable[[], bool] = lambda: True) -> Iterator[Finding]:
    """Minutes within which the exposure, or what it is foreseen to be, jumps."""
    selected: dict[int, float] = {}

    def ev(minute: int) -> float:
        if minute not in selected:
            selected[minute] = evaluate(project, Moment((minute % 1440) / 60.0)).look.ev100
        return selected[minute]

    for start in range(0, 1440, COARSE_MIN):
        if not keep_going():
            return
        if abs(ev(start + COARSE_MIN) - ev(start)) <= JUMP_STOPS:
            continue
        low, high = start, start + COARSE_MIN
        while high - low > FINE_MIN:
            middle = (low + high) // 2
            if abs(ev(middle) - ev(low)) >= abs(ev(high) - ev(middle)):
                high = middle
            else:
                low = middle
        jump = ev(high) - ev(low)
        if abs(jump) <= JUMP_STOPS:
            continue
        at = format_clock((low % 1440) / 60.0)
        text = f"the exposure jumps by {jump:+.1f} stops within a minute, at {at}"
        yield Finding(
            "exposure jump within a minute", at, "warning", text, _softer(project, Moment(low / 60.0))
        )


def _softer(project: Project, moment: Moment) -> Remedy | None:
    """For an exposure by hand, what lies between: metering finds its own way."""
    if at_moment(project, moment).look.exposed == "metered":
        return None
    return Remedy("let the picture be metered", {"look/exposed": "metered"}, moment)
