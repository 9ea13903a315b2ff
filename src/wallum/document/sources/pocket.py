"""Pockets of other air: fog, dust, smoke or lit air in a box or an ellipsoid."""

from typing import ClassVar, Literal, Self

from pydantic import model_validator

from wallum.document.coloured import LinearColour, Place, Role
from wallum.document.fields import choice, parameter
from wallum.document.sources.drifting import Drifting
from wallum.document.sources.placed import checked_size, size_field, turn_field

__all__ = ["PocketSource"]


class PocketSource(Drifting):
    """A pocket of other air."""

    STRENGTH: ClassVar[str] = "own_light"

    kind: Literal["pocket"] = "pocket"
    role: Role = choice("accent", label="Role", help="What the source is for.", first=False)
    shape: Literal["ellipsoid", "box"] = choice(
        "ellipsoid", label="Shape", help="Ellipsoid: round on all sides. Box: with its six sides."
    )
    size: Place = size_field((4.0, 3.0, 4.0))
    turn: float = turn_field()
    visibility: float = parameter(
        25.0,
        label="Visibility",
        help="Distance at which 2 % of contrast would be left in its midst.",
        unit="m",
        low=0.2,
        high=10_000.0,
        step=1.0,
        scale="log",
    )
    edge: float = parameter(
        0.5,
        label="Soft edge",
        help="Share of its half size over which it fades out.",
        low=0.0,
        high=1.0,
        step=0.05,
    )
    scattering: LinearColour = parameter(
        (0.95, 0.95, 0.95),
        label="Scattering colour",
        help="Share of light that is scattered and not swallowed, by channel: low is smoke.",
        kind="colour",
    )
    forwardness: float = parameter(
        0.5,
        label="Forwardness",
        help="How much light goes on the way it came: 0 all ways alike.",
        low=-0.9,
        high=0.95,
        step=0.01,
        first=False,
    )
    own_light: float = parameter(
        0.0,
        label="Own light",
        help="Luminance that it has by itself where it is too thick to see through, in its colour.",
        unit="cd/m2",
        low=0.0,
        high=100_000.0,
        step=0.5,
        scale="log",
    )

    @model_validator(mode="after")
    def _has_size(self) -> Self:
        checked_size(self.size)
        return self

    def inactive(self) -> frozenset[str]:
        shares = frozenset({"in_air", "air_shadow", "baked"})
        dark = frozenset({"kelvin", "tint", "colour", "colour_by"}) if self.own_light <= 0.0 else frozenset()
        return super().inactive() | shares | dark
