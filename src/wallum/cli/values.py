"""Kinds of values that commands take, and what they share."""

import datetime as dt
import json
import math
from pathlib import Path
from typing import Any

import click

__all__ = [
    "FiniteRange",
    "Size",
    "Triple",
    "chosen_view",
    "moved_to",
    "note_level_choice",
    "open_reference",
    "parameter_path",
    "print_json",
    "refuse_as_output",
    "setting_changes",
    "with_changes",
]

# Parts a parameter's path from a peg's time.
PEG_MARK = "@"
FARTHEST_M = 1e6


class Triple(click.ParamType[tuple[float, float, float]]):
    """X,Y,Z in metres."""

    name = "X,Y,Z"

    def convert(self, value: Any, param: Any, ctx: Any) -> tuple[float, float, float]:
        if isinstance(value, tuple):
            return value
        parts = str(value).split(",")
        try:
            x, y, z = (float(part) for part in parts)
        except ValueError:
            self.fail(f"cannot read {value!r} (expected three numbers X,Y,Z)", param, ctx)
        # Farther than any level reaches, numbers are not exact enough to draw with.
        if not all(abs(part) <= FARTHEST_M for part in (x, y, z)):
            self.fail(f"{value!r} is no place (expected numbers up to {FARTHEST_M:,.0f})", param, ctx)
        return x, y, z


class FiniteRange(click.FloatRange):
    """A number within limits: nan, which is neither above nor below any, is none."""

    def convert(self, value: Any, param: Any, ctx: Any) -> float:
        result = float(super().convert(value, param, ctx))
        if not math.isfinite(result):
            self.fail(f"{value!r} is not a number", param, ctx)
        return result


class Size(click.ParamType[tuple[int, int]]):
    """WxH in pixels."""

    name = "WxH"

    def convert(self, value: Any, param: Any, ctx: Any) -> tuple[int, int]:
        if isinstance(value, tuple):
            return value
        width, _, height = str(value).lower().partition("x")
        if not (width.isdigit() and height.isdigit() and 0 < int(width) <= 8192 and 0 < int(height) <= 8192):
            self.fail(f"cannot read {value!r} (expected WxH such as 1280x720, up to 8192)", param, ctx)
        return int(width), int(height)


def print_json(value: Any) -> None:
    """One JSON document on standard output."""

    def plain(item: Any) -> Any:
        """A part of a project, as its file would hold it."""
        if hasattr(item, "model_dump"):
            return item.model_dump(mode="json")
        raise TypeError(f"{type(item).__name__} is no JSON")

    click.echo(json.dumps(value, indent=1, ensure_ascii=False, default=plain))


def open_reference(reference: str) -> tuple[Any, Path | None]:
    """A project by its file or demo name, and its file."""
    from wallum.level.opening import open_project

    return open_project(reference)


def refuse_as_output(out: Path, project: Any, file: Path | None, level: Any) -> None:
    """Raises ExportProblem where a file to be written is one that is read for it."""
    from wallum.errors import ExportProblem
    from wallum.files import refuse_inputs
    from wallum.level.opening import project_inputs

    refuse_inputs(out, [*project_inputs(project, file), *level.files], ExportProblem)


def note_level_choice(project: Any, file: Path | None, changes: tuple[str, ...]) -> None:
    """A level that was named by hand on the command line may lie anywhere."""
    from wallum.level.opening import choose_level

    if any(parameter_path(change) == "level" for change in changes):
        choose_level(project, file)


def moved_to(project: Any, before: Path | None, after: Path) -> Any:
    """A project as it names its files from another place."""
    from wallum.level.opening import choose_level, may_read_level, moved_beside

    moved = moved_beside(project, before, after)
    if may_read_level(project, before):
        choose_level(moved, after)
    return moved


def chosen_view(project: Any, text: str) -> tuple[str, Any]:
    """A view by its name (spaces or dashes), and the project: with one source alone for one:SLUG."""
    from wallum.document.paths import find_slug
    from wallum.errors import ValueProblem
    from wallum.frame.views import VIEWS

    kind, _, slug = text.partition(":")
    if kind == "one" and slug:
        alone = find_slug(project, "sources", slug)
        others = tuple(
            source if source is alone else source.revised(on=False) for source in project.resolved_sources
        )
        return "final", project.revised(sources=others)
    name = text.replace("-", " ")
    if name not in VIEWS:
        raise ValueProblem(f"there is no view {text!r}", "--view", f"{', '.join(VIEWS)} or one:SOURCE")
    return name, project


def parameter_path(change: str) -> str:
    """The path of the parameter that PATH=VALUE or PATH@TIME=VALUE is about."""
    path = change.partition("=")[0]
    where, mark, _ = path.partition(PEG_MARK)
    return (where if mark and not where.endswith("/") else path).strip()


def with_changes(project: Any, changes: tuple[str, ...]) -> Any:
    """The project with PATH=VALUE changes, which hold at its hour; PATH@TIME=VALUE sets a peg."""
    from wallum.document.pegging import pegged_text
    from wallum.errors import ValueProblem
    from wallum.moment.at_moment import typed_now

    for change in changes:
        path, equals, text = change.partition("=")
        if not equals:
            raise ValueProblem(f"cannot read {change!r}", "", "PATH=VALUE, or PATH@TIME=VALUE for a peg")
        where, at, when = path.partition(PEG_MARK)
        if at and not where.endswith("/"):
            project = pegged_text(project, where.strip(), when, text)
        else:
            project = typed_now(project, path.strip(), text)
    return project


def setting_changes(
    place: str | None = None,
    date: str | None = None,
    utc_offset: float | None = None,
    clock: str | None = None,
) -> tuple[str, ...]:
    """Options of place and time as changes. Raises ValueProblem."""
    from wallum.document.lanes import parse_clock
    from wallum.errors import ValueProblem

    out = []  # in the words of `set`
    if place is not None:
        latitude, comma, longitude = place.partition(",")
        if not comma:
            raise ValueProblem(f"cannot read {place!r}", "--place", "LAT,LON in degrees")
        out += [f"setting/latitude={latitude}", f"setting/longitude={longitude}"]
    if date is not None:
        try:
            dt.date.fromisoformat(date)
        except ValueError:
            raise ValueProblem(f"cannot read {date!r}", "--date", "YYYY-MM-DD") from None
        out.append(f"setting/date={date}")
    if utc_offset is not None:
        out.append(f"setting/utc_offset={utc_offset}")
    if clock is not None:
        out.append(f"setting/clock={parse_clock(clock)}")
    return tuple(out)
