"""The level's air: a general haze and a ground mist that add up, and what both have in common."""

from typing import Any, Literal, Self

from pydantic import model_validator

from wallum.document.coloured import LinearColour
from wallum.document.fields import Item, choice, declared, parameter

__all__ = ["Air", "AirValues", "Mist"]

MORE, STRAIGHT = "More", "Straight, a fake"


def _visibility(default: float) -> Any:
    return parameter(
        default,
        label="Visibility",
        help="Distance at base height at which 2 % of contrast is left, at 550 nm.",
        unit="m",
        low=5.0,
        high=500_000.0,
        step=100.0,
        scale="log",
    )


def _scale_height(default: float) -> Any:
    return parameter(
        default,
        label="Scale height",
        help="Climb in which the air thins to 37 %: small for ground mist, large for haze.",
        unit="m",
        low=0.5,
        high=20_000.0,
        step=5.0,
        scale="log",
    )


def _base_height() -> Any:
    return parameter(
        0.0,
        label="Base height",
        help="Height up to which the air is as thick as stated.",
        unit="m",
        low=-1000.0,
        high=9000.0,
        step=0.1,
    )


def _colour(first: bool) -> Any:
    return parameter(
        (0.96, 0.96, 0.96),
        label="Scattering colour",
        help="Share of light that is scattered and not swallowed, by channel.",
        kind="colour",
        first=first,
        heading="" if first else MORE,
    )


def _forwardness(default: float) -> Any:
    return parameter(
        default,
        label="Forwardness",
        help="How much light goes on the way it came: 0 all ways alike, 0.9 a strong glow about the sun.",
        low=-0.9,
        high=0.95,
        step=0.01,
    )


def _absorption() -> Any:
    return parameter(
        0.0,
        label="Absorption",
        help="What it swallows on top, as a share of what visibility says, by the channel of most.",
        low=0.0,
        high=10.0,
        step=0.05,
        first=False,
        heading=MORE,
    )


def _swallows() -> Any:
    return parameter(
        (1.0, 1.0, 1.0),
        label="Swallows",
        help="Hue of what it swallows on top: what is seen through smoke that swallows blue is brown.",
        kind="colour",
        first=False,
        heading=MORE,
    )


def _own_light() -> Any:
    return parameter(
        0.0,
        label="Own light",
        help="Luminance that it has by itself where it is too thick to see through; it lights surfaces, too.",
        unit="cd/m2",
        low=0.0,
        high=10_000.0,
        step=0.05,
        first=False,
        heading=MORE,
    )


def _own_colour() -> Any:
    return parameter(
        (1.0, 1.0, 1.0),
        label="Own light's colour",
        help="Hue of its own light.",
        kind="colour",
        first=False,
        heading=MORE,
    )


def _straight(
    default: float,
    label: str,
    help_text: str,
    low: float,
    high: float,
    scale: Literal["linear", "log"] = "log",
) -> Any:
    return parameter(
        default, label=label, help=help_text, unit="m", low=low, high=high, step=1.0, scale=scale,
        first=False, heading=STRAIGHT,
    )  # fmt: skip


class AirValues(Item):
    """One layer, as thick as stated up to its base height and thinning out above."""

    on: bool
    visibility: float
    scale_height: float
    base_height: float
    colour: LinearColour
    forwardness: float
    absorption: float
    swallows: LinearColour
    own_light: float
    own_colour: LinearColour

    def inactive(self) -> frozenset[str]:
        if not self.on:
            return frozenset(declared(self)) - {"on"}
        dark = frozenset({"own_colour"}) if self.own_light <= 0.0 else frozenset()
        return dark | (frozenset({"swallows"}) if self.absorption <= 0.0 else frozenset())


class Air(AirValues):
    """The haze that fills the level, and how all air is seen."""

    on: bool = parameter(False, label="On", help="Whether the air is seen.", kind="switch")
    model: Literal["true", "straight"] = choice(
        "true",
        label="Fog",
        help="True: by what is in the air. Straight: thicker evenly from a start to an end, a fake for games "
        "that have no other; it takes the place of haze, mist and pockets.",
    )
    visibility: float = _visibility(20_000.0)
    scale_height: float = _scale_height(600.0)
    base_height: float = _base_height()
    colour: LinearColour = _colour(first=False)
    forwardness: float = _forwardness(0.6)
    absorption: float = _absorption()
    swallows: LinearColour = _swallows()
    own_light: float = _own_light()
    own_colour: LinearColour = _own_colour()
    shafts: bool = parameter(
        True,
        label="True shafts",
        help="Whether the air near the camera is lit place by place, with shadows and by lamps.",
        kind="switch",
    )
    reach: float = parameter(
        60.0,
        label="Reach",
        help="How far from the camera true shafts are worked out; beyond, the air is lit alike.",
        unit="m",
        low=2.0,
        high=2000.0,
        step=1.0,
        scale="log",
    )
    clear_to: float = parameter(
        0.0,
        label="Clear to",
        help="Distance from the camera up to which there is no air. A fake: no real air does it.",
        unit="m",
        low=0.0,
        high=5000.0,
        step=0.5,
        first=False,
        heading="By hand",
    )
    contrast_kept: float = parameter(
        0.0,
        label="Contrast kept",
        help="Share of contrast that is left however far away. A fake: no real air does it.",
        unit="%",
        low=0.0,
        high=100.0,
        step=1.0,
        first=False,
        heading="By hand",
    )

    straight_start: float = _straight(0.0, "Start", "Distance up to which there is none.", 0.0, 50_000.0)
    straight_end: float = _straight(300.0, "End", "Distance at which it is as strong as set.", 0.1, 100_000.0)
    straight_top: float = _straight(60.0, "Top", "Height that it reaches up to.", -1000.0, 9000.0, "linear")
    straight_fade: float = _straight(40.0, "Ends over", "Climb over its top in which it ends.", 0.1, 5000.0)
    straight_strength: float = parameter(
        1.0, label="Strength", help="Share of what lies behind that it hides at its end.",
        low=0.0, high=1.0, step=0.01, first=False, heading=STRAIGHT,
    )  # fmt: skip
    straight_colour: LinearColour = parameter(
        (1.0, 1.0, 1.0), label="Colour", help="What the sky's light that it shows is multiplied with.",
        kind="colour", first=False, heading=STRAIGHT,
    )  # fmt: skip

    def inactive(self) -> frozenset[str]:
        own = frozenset(name for name in declared(self) if name.startswith("straight_"))
        if self.model == "true" or not self.on:
            return super().inactive() | own
        return frozenset(declared(self)) - own - {"on", "model"}

    @model_validator(mode="after")
    def _end_lies_behind(self) -> Self:
        if self.straight_end <= self.straight_start:
            raise ValueError(
                f"straight fog ends at {self.straight_end:g} m, which must lie behind its start at "
                f"{self.straight_start:g} m"
            )
        return self


class Mist(AirValues):
    """A second layer, low over the ground."""

    on: bool = parameter(False, label="On", help="Whether there is mist over the ground.", kind="switch")
    visibility: float = _visibility(300.0)
    scale_height: float = _scale_height(4.0)
    base_height: float = _base_height()
    colour: LinearColour = _colour(first=True)
    forwardness: float = _forwardness(0.5)
    absorption: float = _absorption()
    swallows: LinearColour = _swallows()
    own_light: float = _own_light()
    own_colour: LinearColour = _own_colour()
