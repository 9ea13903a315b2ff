"""Sheets that stand for lit air: cards for shafts, veils for near fog. Both are fakes, and cheap ones."""

from typing import Any, ClassVar, Literal, Self

from pydantic import Field, model_validator

from wallum.document.coloured import Direction, LinearColour, Place, Role, kelvin_field
from wallum.document.fields import Vector, choice, parameter
from wallum.document.sources.drifting import Drifting, contrast_field

__all__ = ["CardSource", "Sheets", "VeilSource"]

MAX_SHEETS = 16


def _folded(default: float, label: str, help_text: str, high: float) -> Any:
    return parameter(
        default, label=label, help=help_text, unit="m", low=0.0, high=high, step=0.05, first=False,
        heading="Fades",
    )  # fmt: skip


def _count(default: int) -> Any:
    return parameter(
        default,
        label="Sheets",
        help="How many lie over each other: more are softer, and each costs its pixels again.",
        low=1,
        high=MAX_SHEETS,
        step=1.0,
    )


class Sheets(Drifting):
    """What cards and veils share."""

    role: Role = choice("accent", label="Role", help="What the source is for.", first=False)
    kelvin: float = kelvin_field(
        3000.0, "Correlated colour temperature: low is warm, high is cool.", heading="Colour"
    )
    surface_fade: float = _folded(
        0.4, "Before surfaces", "Distance before a surface over which it fades.", 50.0
    )
    camera_fade: float = _folded(
        1.0, "Near the camera", "Distance from the camera within which it fades.", 100.0
    )

    def inactive(self) -> frozenset[str]:
        return super().inactive() | {"in_air", "air_shadow", "baked"}


class CardSource(Sheets):
    """Soft sheets that stand for a shaft of light: about the axis of a lamp, or through an opening."""

    STRENGTH: ClassVar[str] = "gain"

    kind: Literal["card"] = "card"
    shape: Literal["beam", "opening"] = choice(
        "beam",
        label="Shape",
        help="Beam: about the axis of a lamp. Opening: from a window or a door on, as sun or moon shine.",
        first=False,
        heading="Shape",
    )
    of: str = Field(
        default="", max_length=200
    )  # id of the source that it follows; empty: it stands by itself
    gain: float = parameter(
        1.0,
        label="Strength",
        help="Over what true shafts would show in air of its visibility: 1 is as near to that as can be.",
        low=0.0,
        high=100.0,
        step=0.05,
        scale="log",
        after="position",
    )
    visibility: float = parameter(
        60.0,
        label="As in air of",
        help="Visibility of the air that it stands for.",
        unit="m",
        low=0.2,
        high=100_000.0,
        step=1.0,
        scale="log",
    )
    length: float = parameter(
        6.0,
        label="Length",
        help="How long the shaft is.",
        unit="m",
        low=0.1,
        high=1000.0,
        step=0.1,
        scale="log",
    )
    sheets: int = _count(6)
    width: float = parameter(
        1.0, label="Width", help="Of the opening, or of a free beam where it begins.", unit="m",
        low=0.01, high=200.0, step=0.05, first=False, heading="Shape",
    )  # fmt: skip
    height: float = parameter(
        1.5, label="Height", help="Of the opening.", unit="m", low=0.01, high=200.0, step=0.05, first=False,
        heading="Shape",
    )  # fmt: skip
    spread: float = parameter(
        12.0, label="Spread", help="Half the angle by which a free beam widens.", unit="deg",
        low=0.0, high=80.0, step=1.0, first=False, heading="Shape",
    )  # fmt: skip
    direction: Direction = parameter(
        (0.0, -1.0, 0.0), label="Direction", help="Of a free beam; of an opening, what it faces.",
        kind="vector", step=0.02, first=False, heading="Shape",
    )  # fmt: skip
    intensity: float = parameter(
        800.0, label="Intensity", help="Of a lamp that a free beam stands for.", unit="cd",
        low=0.0, high=1e9, step=10.0, scale="log", first=False, heading="Shape",
    )  # fmt: skip
    softness: float = parameter(
        0.6, label="Soft edge", help="Share of half its height over which an opening's shaft fades.",
        low=0.0, high=1.0, step=0.05, first=False, heading="Fades",
    )  # fmt: skip
    forwardness: float = parameter(
        0.5,
        label="Forwardness",
        help="How much brighter it is toward its source: 0 from all sides alike.",
        low=-0.9,
        high=0.95,
        step=0.01,
        first=False,
    )

    @property
    def axis(self) -> Vector | None:
        return None if self.of else self.direction

    def inactive(self) -> frozenset[str]:
        out = super().inactive()
        if self.of:
            out |= {"kelvin", "tint", "colour", "colour_by", "intensity", "spread"}
            if self.shape == "beam":
                out |= {"position", "direction", "width"}
        if self.shape == "beam":
            return out | {"height", "softness"}
        return out | {"spread", "intensity"}


class VeilSource(Sheets):
    """Drifting sheets that stand for fog near by."""

    STRENGTH: ClassVar[str] = "own_light"

    kind: Literal["veil"] = "veil"
    hides: float = parameter(
        0.35,
        label="Hides",
        help="Share of what lies behind that it hides in its midst.",
        low=0.0,
        high=1.0,
        step=0.02,
        after="position",
    )
    size: Place = parameter(
        (6.0, 2.5, 1.5),
        label="Size",
        help="Across, up, and from its first sheet to its last.",
        unit="m",
        kind="vector",
        step=0.1,
    )
    turn: float = parameter(
        0.0, label="Turn", help="Clockwise, seen from above; at 0 it faces south.", unit="deg",
        low=-360.0, high=360.0, step=5.0,
    )  # fmt: skip
    scattering: LinearColour = parameter(
        (0.95, 0.95, 0.95), label="Scattering colour",
        help="Share of light that is scattered and not swallowed.", kind="colour",
    )  # fmt: skip
    lit: float = parameter(
        1.0,
        label="Lit",
        help="Share of the light of sun and sky that comes to it: less where roofs and walls stand about.",
        low=0.0,
        high=4.0,
        step=0.05,
    )
    own_light: float = parameter(
        0.0, label="Own light", help="Luminance that it has by itself where it hides all, in its colour.",
        unit="cd/m2", low=0.0, high=100_000.0, step=0.5, scale="log", first=False,
    )  # fmt: skip
    sheets: int = _count(3)
    noise: float = contrast_field(0.8)

    def inactive(self) -> frozenset[str]:
        dark = frozenset({"kelvin", "tint", "colour", "colour_by"}) if self.own_light <= 0.0 else frozenset()
        return super().inactive() | dark

    @model_validator(mode="after")
    def _has_size(self) -> Self:
        if min(self.size[:2]) < 0.05 or self.size[2] < 0.0:
            raise ValueError(
                f"a veil is 0.05 m or more across and up, and 0 m or more deep, got {self.size[0]:g} x "
                f"{self.size[1]:g} x {self.size[2]:g} m"
            )
        return self
