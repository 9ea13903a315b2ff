"""Rooms of one's own: a box with a light of its own from all around, and an image that is mirrored in it."""

from typing import ClassVar, Literal, Self

from pydantic import model_validator

from wallum.document.coloured import Place, Role
from wallum.document.fields import choice, parameter
from wallum.document.sources.placed import Placed, checked_size, size_field, turn_field

__all__ = ["AmbientBoxSource"]

Probing = Literal["placed", "closer", "closest", "none"]


class AmbientBoxSource(Placed):
    """A box in which light from all around is the artist's."""

    STRENGTH: ClassVar[str] = "ambient"

    kind: Literal["room"] = "room"
    role: Role = choice("fill", label="Role", help="What the source is for.", first=False)
    size: Place = size_field((4.0, 3.0, 4.0))
    turn: float = turn_field()
    ambient: float = parameter(
        20.0,
        label="Own light",
        help="From all around, alike within it, beside what is there. A fake: nothing sends it.",
        unit="lx",
        low=0.0,
        high=100_000.0,
        step=1.0,
        scale="log",
    )
    fade: float = parameter(
        0.5,
        label="Fade",
        help="How far within its sides its own light comes up.",
        unit="m",
        low=0.0,
        high=50.0,
        step=0.1,
    )
    mirrored: bool = parameter(
        False,
        label="Own image",
        help="Smooth surfaces in it mirror an image taken in its middle, on its sides.",
        kind="switch",
    )

    probes: Probing = choice(
        "placed",
        label="Probes",
        help="Those in it: as they are placed, twice or four times as close, or none. Without, what is there "
        "takes its light from those about the box. All are made anew, behind the window.",
    )

    @model_validator(mode="after")
    def _has_size(self) -> Self:
        checked_size(self.size)
        return self

    def inactive(self) -> frozenset[str]:
        air = frozenset({"in_air", "air_shadow", "baked"})
        dark = (
            frozenset({"kelvin", "tint", "colour", "colour_by", "fade"})
            if self.ambient <= 0.0
            else frozenset()
        )
        return super().inactive() | air | dark
