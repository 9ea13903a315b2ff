"""Zones: where the camera stands in one, the picture has a look, an exposure, air and a sky of its own."""

from typing import ClassVar, Final, Literal, Self

from pydantic import model_validator

from wallum.document.coloured import LinearColour, Place, Role
from wallum.document.fields import choice, parameter
from wallum.document.picture_values import EFFECT_WORDS, EFFECTS, PictureValues
from wallum.document.sources.placed import Placed, checked_size, size_field, turn_field

__all__ = ["ZONE_EFFECTS", "ZoneSource"]

# What gives light has these; a zone does not.
LIGHT: Final = frozenset({"colour_by", "kelvin", "tint", "colour"})
# Effects that a zone can have of its own.
ZONE_EFFECTS = tuple(effect for effect in EFFECTS if effect not in ("with_focus", "with_curve", "with_table"))


def _stops(label: str, help_text: str) -> float:
    return parameter(0.0, label=label, help=help_text, unit="stops", low=-8.0, high=8.0, step=0.1)


def _own(switch: str) -> bool:
    return parameter(
        False, label=EFFECT_WORDS[switch], help="Whether the zone has a say in it, by the values below.",
        kind="switch", first=False, heading="Own look",
    )  # fmt: skip


class ZoneSource(Placed, PictureValues):
    """A part of the level in which the picture is seen otherwise; it gives no light."""

    STRENGTH: ClassVar[str] = "exposure"
    FIRST: ClassVar[tuple[str, ...]] = ("on", "shape", "size", "blend", "rank", "exposure", "air", "sky")

    kind: Literal["zone"] = "zone"
    role: Role = choice("fill", label="Role", help="What the source is for.", first=False)
    shape: Literal["box", "ellipsoid", "everywhere"] = choice(
        "box", label="Shape", help="Box, ellipsoid, or everywhere: then only its rank counts."
    )
    size: Place = size_field((6.0, 3.0, 6.0))
    turn: float = turn_field()
    blend: float = parameter(
        2.0,
        label="Blend",
        help="How far outside its sides it comes up: a walk into it has no jump.",
        unit="m",
        low=0.0,
        high=100.0,
        step=0.1,
    )
    rank: float = parameter(
        1.0,
        label="Rank",
        help="Where zones overlap, the higher one has the last word.",
        low=0.0,
        high=100.0,
        step=1.0,
    )
    exposure: float = _stops("Exposure", "Stops brighter where the camera is in it, metered or by hand.")
    air: float = _stops("Air", "Stops thicker that the level's air is, seen from in it. A fake.")
    sky: float = _stops("Sky", "Stops brighter that the sky is, seen from in it. A fake.")

    with_night_eye: bool = _own("with_night_eye")
    with_white: bool = _own("with_white")
    with_grade: bool = _own("with_grade")
    with_ranges: bool = _own("with_ranges")
    with_bloom: bool = _own("with_bloom")
    with_lens: bool = _own("with_lens")
    with_grain: bool = _own("with_grain")

    # Of what gives light: a zone has none of these to set.
    colour_by: Literal["kelvin", "colour"] = "kelvin"
    kelvin: float = 6500.0
    tint: float = 0.0
    colour: LinearColour = (1.0, 1.0, 1.0)
    in_air: float = 1.0
    air_shadow: bool = True
    baked: Literal["still", "live"] = "still"
    trim: float = 0.0

    @model_validator(mode="after")
    def _is_sound(self) -> Self:
        checked_size(self.size)
        self.check_grades()
        return self

    @property
    def effects(self) -> tuple[str, ...]:
        """Switches of the effects in which it has a say."""
        return tuple(effect for effect in ZONE_EFFECTS if getattr(self, effect))

    def inactive(self) -> frozenset[str]:
        place = (
            frozenset({"position", "size", "turn", "blend"}) if self.shape == "everywhere" else frozenset()
        )
        return place | self.switched_off() | super(PictureValues, self).inactive() | LIGHT
