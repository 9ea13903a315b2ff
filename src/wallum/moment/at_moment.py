"""The project as it is at a moment: lanes have their say."""

import datetime as dt
from typing import Any, Final

from wallum.document.fields import Item, declared, unchecked
from wallum.document.lanes import Lane, PegTime
from wallum.document.owners import PEGGED
from wallum.document.paths import AXES, look_up, put, put_text
from wallum.document.pegging import lane_at, pegged
from wallum.document.project import Project, Setting
from wallum.document.sources import Source
from wallum.errors import PathProblem
from wallum.memo import Memo
from wallum.moment.curves import Knots, value_at
from wallum.moment.moment import Moment, own_moment
from wallum.moment.solar_day import SolarDay, solar_day
from wallum.physics.ephemeris import Observer

__all__ = [
    "LaneValues",
    "at_moment",
    "day_of",
    "knots_of",
    "lane_values",
    "observer_of",
    "put_at",
    "typed_now",
    "with_values",
]

# Values by owner and name.
LaneValues = dict[str, dict[str, Any]]
# A value put this near a peg is that peg's; farther off it makes a new one [h].
SAME_PEG_H = 0.25


def observer_of(setting: Setting) -> Observer:
    """The place of a setting."""
    return Observer(setting.latitude, setting.longitude, setting.utc_offset)


def day_of(setting: Setting) -> SolarDay:
    """The solar day of a setting's place and date."""
    return solar_day(observer_of(setting), dt.date.fromisoformat(setting.date))


# By identity: a lane's hash would walk through every peg at each evaluation.
_KNOTS: Final = Memo[Knots](4096)
_KINDS: Final = Memo[dict[str, type[Item]]](4)


def knots_of(lane: Lane, day: SolarDay) -> Knots:
    """The pegs of a lane on a day, in order of their hours."""

    def sorted_by_hour() -> Knots:
        unsorted = ((day.hour_of(peg.at), peg.value, peg.easing) for peg in lane.pegs)
        return tuple(sorted(unsorted, key=lambda knot: knot[0]))

    return _KNOTS.get(sorted_by_hour, lane, day)


def _kinds(sources: tuple[Source, ...]) -> dict[str, type[Item]]:
    """Kinds of sources that lanes can belong to, by id."""
    return _KINDS.get(lambda: {source.id: type(source) for source in sources}, sources)


def lane_values(project: Project, moment: Moment) -> LaneValues:
    """Values that the lanes give at a moment, by owner and name."""
    out: LaneValues = {}
    if not project.lanes:
        return out
    day = day_of(project.setting)
    kinds = _kinds(project.resolved_sources)
    for lane in project.lanes:
        info = declared(kinds.get(lane.owner) or type(getattr(project, lane.owner)))[lane.name]
        value = value_at(knots_of(lane, day), moment.clock, info)
        out.setdefault(lane.owner, {})[lane.name] = value
    return out


def with_values(project: Project, values: LaneValues) -> Project:
    """The project with values that lanes gave; owners that it has not are passed over."""
    if not values:
        return project

    def changed(source: Source) -> Source:
        mine = values.get(source.id)
        return unchecked(source, mine) if mine else source

    return unchecked(
        project,
        {
            "sources": tuple(changed(item) for item in project.resolved_sources),
            **{item: unchecked(getattr(project, item), values.get(item, {})) for item in PEGGED},
        },
    )


def at_moment(project: Project, moment: Moment) -> Project:
    """The project with every lane's value at a moment in its place."""
    return with_values(project, lane_values(project, moment))


def _lane(project: Project, path: str) -> Lane | None:
    """The lane of a value; None also where there can be none."""
    try:
        return lane_at(project, path)
    except PathProblem:
        return None


def _whole(path: str) -> str:
    """The path of the value that a path is of, or of a part of."""
    head, _, last = path.rpartition("/")
    return head if last in AXES else path


def put_at(project: Project, path: str, value: Any, moment: Moment) -> Project:
    """The project with a value by its path: in its lane, at a moment, where it has one.

    Raises PathProblem or ValueProblem where the path or the value is refused.
    """
    whole = _whole(path)
    lane = _lane(project, whole)
    if lane is None:
        return put(project, path, value)
    day, hour = day_of(project.setting), moment.clock

    def away(hours: float) -> float:
        return abs((hours - hour + 12.0) % 24.0 - 12.0)

    here = min(lane.pegs, key=lambda peg: away(day.hour_of(peg.at)))
    at = here.at if away(day.hour_of(here.at)) < SAME_PEG_H else PegTime(hours=hour)
    return pegged(project, whole, at, look_up(put(at_moment(project, moment), path, value), whole))


def typed_now(project: Project, path: str, text: str) -> Project:
    """The project with a value as typed, so that it holds at the project's own hour: where it has a
    lane, a peg of the lane says so too.

    Raises PathProblem or ValueProblem where the path or the value is refused.
    """
    moment, whole = own_moment(project), _whole(path)
    if _lane(project, whole) is None:
        return put_text(project, path, text)
    value = look_up(put_text(at_moment(project, moment), path, text), whole)
    return pegged(put(project, whole, value), whole, PegTime(hours=moment.clock), value)
