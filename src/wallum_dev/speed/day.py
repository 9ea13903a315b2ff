"""Speed of evaluating an hour."""

import time
from collections.abc import Iterator

import numpy as np

from wallum.document.lanes import Lane, Peg, PegTime
from wallum.document.project import Project, base_light
from wallum.document.sources import PointSource
from wallum.figures import Row, percentile
from wallum.moment.day_strip import course, moments_of_day, strip_colours
from wallum.moment.evaluate import evaluate
from wallum.moment.moment import Moment
from wallum.physics.atmosphere import atmosphere_dome
from wallum.physics.sky_air import CLEAR, SkyAir

__all__ = ["day_rows"]

LAMPS, LANES, HOURS = 1000, 50, 200
MOVES, AIRS, DATES, COLUMNS = 30, 5, 5, 96


def _big_day() -> Project:
    lamps = tuple(
        PointSource(id=f"p{i}", name=f"P{i}", position=(i % 40, 2.0, i // 40), kelvin=2500.0 + i)
        for i in range(LAMPS)
    )
    kinds = (("intensity", (10.0, 200.0, 50.0)), ("kelvin", (2700.0, 5000.0, 3000.0)))
    lanes = []
    for i in range(LANES):
        name, values = kinds[i % 2]
        pegs = tuple(
            Peg(at=PegTime(hours=h), value=v) for h, v in zip((3.0, 12.0, 20.0), values, strict=True)
        )
        lanes.append(Lane(owner=f"p{i * 7}", name=name, pegs=pegs))
    return Project(sources=(*base_light(), *lamps), lanes=tuple(lanes))


def day_rows() -> Iterator[Row]:
    """Evaluating an hour, the sky's tables, the ribbon's colours."""
    yield _hour_row()
    yield from _sky_rows()
    yield _ribbon_row()


def _sky_rows() -> Iterator[Row]:
    """The dome of a sun that moved, and all tables of an air that changed."""
    toward = np.array([0.0, 0.5, -0.866])
    atmosphere_dome(toward, 30.0, CLEAR)
    times = []
    for i in range(MOVES):
        start = time.perf_counter()
        atmosphere_dome(toward, 12.0 + 0.37 * i, CLEAR)
        times.append((time.perf_counter() - start) * 1e3)
    yield Row("the sky's tables after a sun move", percentile(times, 0.5), "ms", 15.0)
    times = []
    for i in range(AIRS):
        start = time.perf_counter()
        atmosphere_dome(toward, 30.0, SkyAir(haze=1.01 + 0.17 * i, ozone_du=310.0 + i))
        times.append((time.perf_counter() - start) * 1e3)
    yield Row("the sky's tables after a change of the air", percentile(times, 0.5), "ms", 120.0)


def _ribbon_row() -> Row:
    """All colours, courses and moments of a day ribbon, of a date not seen before."""
    project = Project(sources=base_light())
    times = []
    for i in range(DATES):
        day = project.revised(setting=project.setting.revised(date=f"2028-03-{i + 1:02d}"))
        start = time.perf_counter()
        course(day, 48)
        moments_of_day(day)
        for column in range(COLUMNS):
            strip_colours(day, Moment((column + 0.5) * 24.0 / COLUMNS))
        times.append((time.perf_counter() - start) * 1e3)
    return Row("the day ribbon of another date", percentile(times, 0.5), "ms", 300.0)


def _hour_row() -> Row:
    """Every hour is one that was not evaluated before."""
    project = _big_day()
    evaluate(project, Moment(0.0))
    times = []
    for i in range(HOURS):
        hour = (i * 24.0 / HOURS + 0.003) % 24.0
        start = time.perf_counter()
        evaluate(project, Moment(hour))
        times.append((time.perf_counter() - start) * 1e3)
    return Row(
        "evaluating an hour: 1,000 sources, 50 lanes",
        percentile(times, 0.5),
        "ms",
        5.0,
        details={"95th": round(percentile(times, 0.95), 1)},
    )
