"""The day plan: lanes of pegs, one lane a parameter.

A peg stands at a clock time or at a solar event, so that it keeps its sense when the date
or the place changes.
"""

import re
from typing import Annotated, Final, Literal, Self

from pydantic import AfterValidator, Field, model_validator

from wallum.document.fields import Item, Vector
from wallum.errors import ValueProblem

__all__ = ["EVENTS", "SUNRISE_DEG", "Lane", "Peg", "PegTime", "format_clock", "parse_clock", "parse_peg_time"]

# Middle of the disc when its upper rim touches the horizon: 16' of disc, 34' of refraction.
SUNRISE_DEG = -0.8333
Tie = Literal["clock", "noon", "midnight", "rising", "setting"]
Easing = Literal["even", "soft", "late", "early", "step"]
Value = bool | float | Vector | str

# Words for solar events: how it is tied, and the sun's geometric elevation.
EVENTS: Final[dict[str, tuple[Tie, float]]] = {
    "sunrise": ("rising", SUNRISE_DEG), "sunset": ("setting", SUNRISE_DEG),
    "dawn": ("rising", -6.0), "dusk": ("setting", -6.0),
    "noon": ("noon", 0.0), "midnight": ("midnight", 0.0),
}  # fmt: skip


def _finite_value(value: Value) -> Value:
    numbers = value if isinstance(value, tuple) else (value,)
    if any(
        isinstance(number, float) and (number != number or abs(number) == float("inf")) for number in numbers
    ):
        raise ValueError("every part must be a finite number")
    return value


class PegTime(Item):
    """When a peg is: `hours` is the clock, or the way from the solar event.

    angle : geometric elevation of the sun [deg], for rising and setting
    """

    tie: Tie = "clock"
    hours: float = Field(default=0.0, ge=-24.0, le=24.0, allow_inf_nan=False)
    angle: float = Field(default=0.0, ge=-90.0, le=90.0, allow_inf_nan=False)

    def text(self) -> str:
        """As it is typed."""
        if self.tie == "clock":
            return format_clock(self.hours)
        known = {(tie, angle): word for word, (tie, angle) in EVENTS.items()}
        name = known.get((self.tie, self.angle), f"{self.tie} {self.angle:g}")
        if self.tie in ("noon", "midnight"):
            name = self.tie
        sign = "-" if self.hours < 0.0 else "+"
        return name if self.hours == 0.0 else f"{name} {sign}{format_clock(abs(self.hours))}"


class Peg(Item):
    """A value at a time, and how it goes on to the next: evenly, softly at both ends, late,
    early, or staying until then."""

    at: PegTime
    value: Annotated[Value, AfterValidator(_finite_value)]
    easing: Easing = "soft"


class Lane(Item):
    """The pegs of one parameter. `owner` is a source's id, or look, air or setting."""

    owner: str
    name: str
    pegs: tuple[Peg, ...] = Field(min_length=1)

    @model_validator(mode="after")
    def _pegs_are_alike(self) -> Self:
        if len({type(peg.value) for peg in self.pegs}) > 1:
            raise ValueError(f"the pegs of {self.name} must all hold the same kind of value")
        return self


CLOCK = re.compile(r"^(\d{1,2}):(\d{2})(?::(\d{2}))?$")
EVENT = re.compile(
    r"^(?P<word>[a-z]+)\s*(?P<angle>-?\d+(?:\.\d+)?)?\s*(?:(?P<sign>[+-])\s*(?P<off>\d{1,2}:\d{2}))?$"
)


def parse_clock(text: str) -> float:
    """Hours of HH:MM or HH:MM:SS, to 24:00. Raises ValueProblem."""
    result = CLOCK.match(text.strip())
    if result:
        hours = int(result[1]) + int(result[2]) / 60.0 + int(result[3] or 0) / 3600.0
        if int(result[2]) < 60 and int(result[3] or 0) < 60 and hours <= 24.0:
            return hours
    raise ValueProblem(f"cannot read the clock {text.strip()!r}", "", "HH:MM or HH:MM:SS, to 24:00")


def format_clock(hours: float) -> str:
    """HH:MM of hours, with seconds where there are any."""
    seconds = round(hours * 3600.0)
    text = f"{seconds // 3600:02d}:{seconds // 60 % 60:02d}"
    return f"{text}:{seconds % 60:02d}" if seconds % 60 else text


def parse_peg_time(text: str) -> PegTime:
    """18:30, sunset, sunrise +0:20, setting -6, noon -1:00. Raises ValueProblem."""
    plain = text.strip().lower()
    if CLOCK.match(plain):
        return PegTime(hours=parse_clock(plain))
    result = EVENT.match(plain)
    words = {**EVENTS, "rising": ("rising", 0.0), "setting": ("setting", 0.0)}
    # An angle belongs to rising and setting; the named events have theirs.
    if result is None or result["word"] not in words or (result["angle"] and result["word"] in EVENTS):
        known = ", ".join(EVENTS)
        raise ValueProblem(
            f"cannot read the time {text.strip()!r}", "", f"18:30, {known}, setting -6, or sunset +0:20"
        )
    tie, angle = words[result["word"]]
    if result["angle"] is not None:
        angle = float(result["angle"])
    hours = parse_clock(result["off"].rjust(5, "0")) if result["off"] else 0.0
    return PegTime(tie=tie, hours=-hours if result["sign"] == "-" else hours, angle=angle)
