"""The project as it is at an hour: lanes have their say."""

import datetime as dt
from functools import lru_cache
from typing import Any

from wallum.document.fields import declared, unchecked
from wallum.document.lanes import Lane
from wallum.document.project import Project, Setting
from wallum.document.sources import Source
from wallum.moment.curves import Knots, value_at
from wallum.moment.solar_day import SolarDay, solar_day
from wallum.physics.ephemeris import Observer

__all__ = ["at_hour", "day_of", "knots_of", "lane_values", "observer_of"]


def observer_of(setting: Setting) -> Observer:
    """The place of a setting."""
    return Observer(setting.latitude, setting.longitude, setting.utc_offset)


def day_of(setting: Setting) -> SolarDay:
    """The solar day of a setting's place and date."""
    return solar_day(observer_of(setting), dt.date.fromisoformat(setting.date))


@lru_cache(maxsize=4096)
def knots_of(lane: Lane, day: SolarDay) -> Knots:
    """The pegs of a lane on a day, in order of their hours."""
    knots = [(day.hour_of(peg.at), peg.value, peg.easing) for peg in lane.pegs]
    return tuple(sorted(knots, key=lambda knot: knot[0]))


# Lanes by identity: their hash would walk through every peg at each evaluation.
_KNOTS: dict[int, tuple[Lane, SolarDay, Knots]] = {}


def _knots(lane: Lane, day: SolarDay) -> Knots:
    kept = _KNOTS.get(id(lane))
    if kept is not None and kept[0] is lane and kept[1] is day:
        return kept[2]
    if len(_KNOTS) > 4096:
        _KNOTS.clear()
    knots = knots_of(lane, day)
    _KNOTS[id(lane)] = (lane, day, knots)
    return knots


def lane_values(project: Project, hour: float) -> dict[str, dict[str, Any]]:
    """Values that the lanes give at an hour, by owner and name."""
    out: dict[str, dict[str, Any]] = {}
    if not project.lanes:
        return out
    day = day_of(project.setting)
    for lane in project.lanes:
        item = project.owner(lane.owner)
        assert item is not None, "the project has checked its lanes"
        value = value_at(_knots(lane, day), hour, declared(item)[lane.name])
        out.setdefault(lane.owner, {})[lane.name] = value
    return out


def at_hour(project: Project, hour: float) -> Project:
    """The project with every lane's value at an hour in its place."""
    values = lane_values(project, hour)
    if not values:
        return project

    def changed(source: Source) -> Source:
        mine = values.get(source.id)
        return unchecked(source, mine) if mine else source

    return unchecked(
        project,
        {
            "sources": tuple(changed(one) for one in project.sources),
            "look": unchecked(project.look, values.get("look", {})),
            "air": unchecked(project.air, values.get("air", {})),
        },
    )
