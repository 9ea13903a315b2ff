"""Whole days kept as files, and applied in part: sun, moon, sky, air and look with their lanes.

A day says nothing of lamps, place or date: it is of the light from outside, and its pegs that are
tied to the sun go with the sun of wherever it is applied.
"""

import json
from pathlib import Path
from typing import Any, Final

from pydantic import Field, ValidationError

from wallum.document.air import Air, Mist
from wallum.document.fields import Item, declared
from wallum.document.lanes import Lane
from wallum.document.look import AS_METERED, Look
from wallum.document.owners import PEGGED, title_of
from wallum.document.paths import refusal
from wallum.document.project import Project
from wallum.document.screen_shafts import ScreenShafts
from wallum.document.sources import MoonSource, SkySource, Source, SunSource
from wallum.document.storage import refuse_constant
from wallum.errors import ProjectProblem
from wallum.faults import reading, said
from wallum.files import read_limited, write_whole
from wallum.limits import DAY_BYTES

__all__ = [
    "DAY_SUFFIX",
    "PARTS",
    "DayPlan",
    "applied_day",
    "day_of_project",
    "load_day",
    "parse_day",
    "save_day",
]

DAY_SUFFIX = ".wallum-day"
DAY_SCHEMA = 2
# What a day has, and how it is called.
PARTS: Final = {"sun": "Sun", "moon": "Moon", "sky": "Sky", **{item: title_of(item) for item in PEGGED}}
KINDS: Final = (SunSource, MoonSource, SkySource)
# What a source keeps of its own when a day is applied to it.
OWN: Final = ("id", "name", "locked", "role", "picture")


class DayPlan(Item):
    """A day of light. Owners of its lanes are the words of PARTS."""

    schema_version: int = DAY_SCHEMA
    name: str = Field(min_length=1, max_length=200)
    note: str = ""
    sun: SunSource | None = None
    moon: MoonSource | None = None
    sky: SkySource | None = None
    air: Air | None = None
    mist: Mist | None = None
    screen_shafts: ScreenShafts | None = None
    look: Look | None = None
    lanes: tuple[Lane, ...] = ()

    @property
    def parts(self) -> tuple[str, ...]:
        """Which parts it has."""
        return tuple(part for part in PARTS if getattr(self, part) is not None)


def _outside(project: Project) -> dict[str, Source]:
    return {source.kind: source for source in project.sources if isinstance(source, KINDS)}


def day_of_project(project: Project, name: str) -> DayPlan:
    """The day of a project, to be kept under a name."""
    there = _outside(project)
    words = {item.id: kind for kind, item in there.items()} | {item: item for item in PEGGED}
    lanes = [lane.revised(owner=words[lane.owner]) for lane in project.lanes if lane.owner in words]
    groups = {item: getattr(project, item) for item in PEGGED}
    return DayPlan(name=name, lanes=tuple(lanes), **groups, **there)  # type: ignore[arg-type]


def applied_day(project: Project, day: DayPlan, parts: tuple[str, ...] = tuple(PARTS)) -> Project:
    """The project with the chosen parts of a day: their values, and their lanes for the lanes that
    were there. A part that the day has not changes nothing."""
    there = _outside(project)
    wanted = [part for part in day.parts if part in parts]
    owners: dict[str, str] = {}
    for part in wanted:
        of_day = getattr(day, part)
        if part in PEGGED:
            project = project.revised(**{part: of_day})
            owners[part] = part
            continue
        own = there.get(part)
        selected = {name: getattr(own, name) for name in OWN if own is not None and hasattr(own, name)}
        project = project.with_source(of_day.revised(**selected))
        owners[part] = own.id if own is not None else of_day.id
    stays = [lane for lane in project.lanes if lane.owner not in owners.values()]
    comes = [lane.revised(owner=owners[lane.owner]) for lane in day.lanes if lane.owner in owners]
    return project.revised(lanes=(*stays, *comes))


def save_day(day: DayPlan, path: Path) -> None:
    """Write a day's file, whole or not at all. Raises ProjectProblem."""
    text = json.dumps(day.model_dump(mode="json", exclude_none=True), indent=1, ensure_ascii=False)
    if path.suffix.lower() != DAY_SUFFIX:
        raise ProjectProblem("not a day's name", str(path), f"a name that ends in {DAY_SUFFIX}")
    try:
        write_whole(path, (text + "\n").encode())
    except OSError as error:
        raise ProjectProblem(f"cannot be written: {said(error)}", str(path)) from None


def load_day(path: Path) -> DayPlan:
    """Read a day's file. Raises ProjectProblem."""
    return parse_day(read_limited(path, DAY_BYTES, ProjectProblem), str(path))


def parse_day(content: bytes, source: str) -> DayPlan:
    """A day from a file's content; `source` names it in errors. Raises ProjectProblem."""
    with reading(ProjectProblem, "not a day's file", source, "JSON text"):
        data: Any = json.loads(content.decode("utf-8"), parse_constant=refuse_constant)
    if not isinstance(data, dict) or "lanes" not in data or "name" not in data:
        raise ProjectProblem("not a day's file", source, "an object with a name and lanes")
    if data.get("schema_version") == 1:  # metered to mid grey in any light
        look = data.get("look")
        data = {**data, "schema_version": 2, "look": AS_METERED | look if isinstance(look, dict) else look}
    if data.get("schema_version") != DAY_SCHEMA:
        raise ProjectProblem(f"its schema is {data.get('schema_version')!r}", source, f"schema {DAY_SCHEMA}")
    with reading(ProjectProblem, "not a day's file", source):
        try:
            day = DayPlan.model_validate(data)
            _check_lanes(day)
        except ValidationError as error:
            messages = refusal(error, "")
            raise ProjectProblem(messages.what, f"{source}: {messages.where}", messages.expected) from None
    return day


def _check_lanes(day: DayPlan) -> None:
    for lane in day.lanes:
        part = getattr(day, lane.owner, None) if lane.owner in PARTS else None
        if part is None or lane.name not in declared(part):
            raise ProjectProblem(f"a lane is for {lane.owner}/{lane.name}, which it has not", day.name)
    # A project checks every peg against its field.
    applied_day(Project(), day)
