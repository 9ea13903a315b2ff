"""Speed of evaluating an hour."""

import time
from collections.abc import Iterator

from wallum.document.lanes import Lane, Peg, PegTime
from wallum.document.project import Project, base_light
from wallum.document.sources import PointSource
from wallum.figures import Row, percentile
from wallum.moment.evaluate import evaluate

__all__ = ["day_rows"]

LAMPS, LANES, HOURS = 1000, 50, 200


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
    """Every hour is one that was not evaluated before."""
    project = _big_day()
    evaluate(project, 0.0)
    times = []
    for i in range(HOURS):
        hour = (i * 24.0 / HOURS + 0.003) % 24.0
        start = time.perf_counter()
        evaluate(project, hour)
        times.append((time.perf_counter() - start) * 1e3)
    yield Row(
        "evaluating an hour: 1,000 sources, 50 lanes",
        percentile(times, 0.5),
        "ms",
        5.0,
        details={"95th": round(percentile(times, 0.95), 1)},
    )
