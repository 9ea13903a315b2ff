"""What is wrong with a look."""

from collections.abc import Iterator
from dataclasses import dataclass, replace
from pathlib import Path
from typing import Any, Final

import numpy as np
from numpy.typing import NDArray

from wallum.document.lanes import format_clock
from wallum.document.look import Look
from wallum.document.project import Project
from wallum.errors import ValueProblem
from wallum.image.chain import displayed
from wallum.judge.findings import Finding, Remedy
from wallum.level.cube_file import read_cube
from wallum.moment.at_moment import at_moment
from wallum.moment.moment import Moment
from wallum.moment.shown_look import ShownLook
from wallum.physics.arrays import Floats
from wallum.physics.curves import OWN_CURVE
from wallum.physics.grade import NEUTRAL_GRADE
from wallum.physics.tone import srgb_encode

__all__ = ["Exposed", "clipped", "crushed_blacks", "is_plain", "table_unread"]

# Of the 256 values a screen shows: at most so much is black, and a channel from here on is clipped.
BLACK: Final = 2.0 / 255.0
CLIPPED: Final = 254.5 / 255.0
# A shot may have so much black by the look alone.
MOST_CRUSHED: Final = 0.2


@dataclass(frozen=True)
class Exposed:
    """Picture values (P, 3) of what a shot shows at a moment, and the look that they are developed by."""

    shot: str
    moment: Moment
    values: Floats
    look: ShownLook


def table_unread(project: Project) -> Iterator[Finding]:
    """A table that is chosen but cannot be read: the picture is shown without it."""
    if project.look.table:
        try:
            read_cube(Path(project.look.table))
        except ValueProblem as problem:
            yield Finding("table not read", "look/table", "warning", f"{problem}: choose another, or none")


def is_plain(look: ShownLook) -> bool:
    """Whether a look does nothing to light but what every picture has done to it."""
    changed = look.white, look.table
    return changed == (None, None) and look.grade == NEUTRAL_GRADE and look.curve == OWN_CURVE


def clipped(values: Floats, look: ShownLook) -> NDArray[np.bool_]:
    """(P,) where some channel of picture values (P, 3) is at its end, and another is not: colour is lost."""
    shown = srgb_encode(displayed(values, look))
    return np.asarray((shown.max(axis=1) >= CLIPPED) & (shown.min(axis=1) < CLIPPED))


def crushed_blacks(project: Project, seen: Iterator[Exposed]) -> Iterator[Finding]:
    """Shots of which much is black by the look, that would not be without it."""
    worst: tuple[float, Exposed] | None = None
    for one in seen:
        plain = replace(one.look, white=None, grade=NEUTRAL_GRADE, curve=OWN_CURVE, table=None)
        black, before = (
            srgb_encode(displayed(one.values, look)).max(axis=1) <= BLACK for look in (one.look, plain)
        )
        share = float((black & ~before).mean()) if len(black) else 0.0
        if share > MOST_CRUSHED and (worst is None or share > worst[0]):
            worst = share, one
    if worst is not None:
        share, one = worst
        text = f"{share:.0%} of {one.shot} at {format_clock(one.moment.clock)} is black by the look alone"
        yield Finding("crushed blacks", "look", "warning", text, _lifted(project, one.moment))


def _lifted(project: Project, moment: Moment) -> Remedy:
    """Less of what takes the dark away, the strongest first."""
    look = at_moment(project, moment).look
    values: dict[str, Any] = {}
    if min(look.offset) < 0.0:
        values["look/offset"] = tuple(max(one, 0.0) for one in look.offset)
    elif max(look.power) > 1.0:
        values["look/power"] = tuple(min(one, 1.0) for one in look.power)
    elif look.contrast > 1.0:
        values["look/contrast"] = 1.0
    elif look.curve != "own" or look.toe < Look().toe:
        values |= {"look/curve": "own", "look/toe": Look().toe}
    named = " and ".join(path.removeprefix("look/") for path in values) or "the table's strength"
    return Remedy(f"take {named} back at {format_clock(moment.clock)}", values, moment)
