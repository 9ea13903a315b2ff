"""What is wrong with a look."""

from collections.abc import Iterator
from dataclasses import dataclass, replace
from pathlib import Path
from typing import Any, Final

import numpy as np
from numpy.typing import NDArray

from wallum.document.lanes import format_clock
from wallum.document.look import Look
from wallum.document.own_looks import effects_of
from wallum.document.picture_values import EFFECT_WORDS
from wallum.document.project import Project
from wallum.errors import ValueProblem
from wallum.image.apart import LookDifference, look_apart
from wallum.image.chain import displayed, graded
from wallum.judge.findings import Finding, Remedy
from wallum.level.importers.images.cube_file import read_cube
from wallum.moment.at_moment import at_moment
from wallum.moment.looks import shown_look
from wallum.moment.moment import Moment
from wallum.moment.resolved_look import NO_LENS, ResolvedLook
from wallum.physics.arrays import Floats
from wallum.physics.bloom import NO_BLOOM
from wallum.physics.colour import luminance
from wallum.physics.colour_table import STOPS_ABOVE
from wallum.physics.curves import OWN_CURVE
from wallum.physics.exposure import MID_GREY
from wallum.physics.grade import NEUTRAL_GRADE
from wallum.physics.tone import srgb_encode

__all__ = [
    "ExposedShot", "beyond_table", "clipped", "crushed_blacks", "is_plain", "louder", "steepened",
    "table_unread",
]  # fmt: skip

# Of the 256 values a screen shows: at most so much is black, and a channel from here on is clipped.
BLACK: Final = 2.0 / 255.0
CLIPPED: Final = 254.5 / 255.0
# A shot may have so much black by the look alone, and so much beyond a table's ends.
MAX_CRUSHED: Final = 0.2
MAX_BEYOND: Final = 0.02
GREYS: Final = MID_GREY * 2.0 ** np.linspace(-10.0, 7.0, 341)


@dataclass(frozen=True)
class ExposedShot:
    """Picture values (P, 3) of what a shot shows at a moment, and the look that they are developed by."""

    shot: str
    moment: Moment
    values: Floats
    look: ResolvedLook


def table_unread(project: Project) -> Iterator[Finding]:
    """A table that is chosen but cannot be read: the picture is shown without it."""
    if project.look.table:
        try:
            read_cube(Path(project.look.table))
        except ValueProblem as problem:
            yield Finding("table not read", "look/table", "warning", f"{problem}: choose another, or none")


def is_plain(look: ResolvedLook) -> bool:
    """Whether a look does nothing to light but what every picture has done to it."""
    changed = look.white, look.table
    return changed == (None, None) and look.grade == NEUTRAL_GRADE and look.curve == OWN_CURVE


def clipped(values: Floats, look: ResolvedLook) -> NDArray[np.bool_]:
    """(P,) where some channel of picture values (P, 3) is at its end, and another is not: colour is lost."""
    shown = srgb_encode(displayed(values, look))
    return np.asarray((shown.max(axis=1) >= CLIPPED) & (shown.min(axis=1) < CLIPPED))


def crushed_blacks(project: Project, seen: Iterator[ExposedShot]) -> Iterator[Finding]:
    """Shots of which much is black by the look, that would not be without it."""
    worst: tuple[float, ExposedShot] | None = None
    for item in seen:
        plain = replace(item.look, white=None, grade=NEUTRAL_GRADE, curve=OWN_CURVE, table=None)
        black, before = (
            srgb_encode(displayed(item.values, look)).max(axis=1) <= BLACK for look in (item.look, plain)
        )
        share = float((black & ~before).mean()) if len(black) else 0.0
        if share > MAX_CRUSHED and (worst is None or share > worst[0]):
            worst = share, item
    if worst is not None:
        share, item = worst
        text = f"{share:.0%} of {item.shot} at {format_clock(item.moment.clock)} is black by the look alone"
        yield Finding("crushed blacks", "look", "warning", text, _lifted(project, item.moment))


def _lifted(project: Project, moment: Moment) -> Remedy:
    """Less of what takes the dark away, the strongest first."""
    look = at_moment(project, moment).look
    values: dict[str, Any] = {}
    if min(look.offset) < 0.0:
        values["look/offset"] = tuple(max(item, 0.0) for item in look.offset)
    elif max(look.power) > 1.0:
        values["look/power"] = tuple(min(item, 1.0) for item in look.power)
    elif look.contrast > 1.0:
        values["look/contrast"] = 1.0
    elif look.curve != "own" or look.toe < Look().toe:
        values |= {"look/curve": "own", "look/toe": Look().toe}
    named = " and ".join(path.removeprefix("look/") for path in values) or "the table's strength"
    return Remedy(f"take {named} back at {format_clock(moment.clock)}", values, moment)


def _apart(exposed: ExposedShot, look: ResolvedLook) -> LookDifference:
    """How far a look moves what a shot shows, without what depends on the place in the picture."""
    return look_apart(exposed.values[None], replace(look, bloom=NO_BLOOM, lens=NO_LENS))


def louder(project: Project, seen: Iterator[ExposedShot]) -> Iterator[Finding]:
    """The shot that the look moves farthest, where that is louder than its limit."""
    worst: tuple[LookDifference, ExposedShot] | None = None
    for item in seen:
        result = _apart(item, item.look) if len(item.values) else None
        limit = at_moment(project, item.moment).look.limit
        if result is not None and result.loud(limit) and (worst is None or result.delta_e > worst[0].delta_e):
            worst = result, item
    if worst is None:
        return
    result, item = worst
    look = at_moment(project, item.moment).look
    message = " and ".join(result.loud(look.limit))
    where = f"{item.shot} at {format_clock(item.moment.clock)}"
    text = f"the look of {where} {message} (half of it by {result.delta_e:.0f})"
    yield Finding("loud look", "look", "note", text, _quieter(item, look))


def _quieter(exposed: ExposedShot, look: Look) -> Remedy | None:
    """Without the effect that moves it most."""
    effects = effects_of(look)
    if not effects:
        return None
    left = {
        effect: _apart(
            exposed, replace(shown_look(look.revised(**{effect: False})), ev100=exposed.look.ev100)
        ).delta_e
        for effect in effects
    }
    largest = min(left, key=left.__getitem__)
    clock = format_clock(exposed.moment.clock)
    text = f"without {EFFECT_WORDS[largest].lower()} it is {left[largest]:.0f} at {clock}"
    return Remedy(text, {f"look/{largest}": False}, exposed.moment)


def beyond_table(project: Project, seen: Iterator[ExposedShot]) -> Iterator[Finding]:
    """A shot of which much lies beyond the ends of the look's table: it is all shown as these are."""
    worst: tuple[float, float, ExposedShot] | None = None
    for item in seen:
        share, stops = _beyond(item.values, item.look)
        if share > MAX_BEYOND and (worst is None or share > worst[0]):
            worst = share, stops, item
    if worst is not None:
        share, stops, item = worst
        clock = format_clock(item.moment.clock)
        text = f"{share:.0%} of {item.shot} at {clock} lies beyond the ends of the look's table"
        yield Finding(
            "table outside its domain", "look/table", "warning", text, _darker(project, item, stops)
        )


def _beyond(values: Floats, look: ResolvedLook) -> tuple[float, float]:
    """Share of picture values (P, 3) that a table has no entries for, and by how many stops too bright."""
    if look.table is None or not len(values):
        return 0.0, 0.0
    if look.table.on == "log":
        over = np.log2(np.maximum(graded(values, look), 1e-9).max(axis=1) / MID_GREY) - STOPS_ABOVE
        return float((over > 0.0).mean()), float(np.quantile(over, 0.99))
    try:
        table = read_cube(Path(look.table.file))
    except ValueProblem:
        return 0.0, 0.0
    shown = look.curve(graded(values, look))
    taken = srgb_encode(shown) if look.table.on == "display" else shown
    beyond = (taken < np.array(table.low) - 1e-6) | (taken > np.array(table.high) + 1e-6)
    return float(beyond.any(axis=1).mean()), 0.0


def _darker(project: Project, exposed: ExposedShot, stops: float) -> Remedy | None:
    look = at_moment(project, exposed.moment).look
    if stops <= 0.0:
        words = "leave the table out, or take one with the domain of 0 to 1"
        return Remedy(words, {"look/with_table": False}, exposed.moment)
    if look.exposed == "metered":
        values = {"look/compensation": round(max(look.compensation - stops, -8.0), 2)}
    else:
        values = {"look/ev100": round(min(look.ev100 + stops, 20.0), 2)}
    return Remedy(f"{stops:.1f} stops darker, all of it has entries", values, exposed.moment)


def steepened(look: ResolvedLook, encoded: Floats) -> float:
    """How many times steeper a look is than none, in the mean where the screen shows some greys (N,) of 0
    to 1: so many times farther apart are the steps of what it is made from."""
    greys = np.repeat(GREYS[:, None], 3, axis=1)
    plain = ResolvedLook(look.ev100)
    own, without = (srgb_encode(luminance(displayed(greys, item))) for item in (look, plain))
    ratio = np.gradient(own) / np.maximum(np.gradient(without), 1e-6)
    rising = np.maximum.accumulate(own) + 1e-9 * np.arange(len(own))
    return float(np.mean(np.interp(np.asarray(encoded), rising, ratio)))
