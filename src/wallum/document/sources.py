"""Sources: everything that gives light and that the artist can set."""

import math
from typing import Annotated, Final, Literal, Self

from pydantic import Field, model_validator

from wallum.document.coloured import (
    COLOUR_FIELDS,
    Coloured,
    Direction,
    Place,
    Role,
    kelvin_field,
    new_id,
    trim_field,
)
from wallum.document.fields import choice, parameter
from wallum.document.sky import SkySource
from wallum.physics.photometry import point_candela, point_lumens, spot_candela, spot_lumens

__all__ = [
    "GROUPS",
    "Coloured",
    "FarLight",
    "Lamp",
    "MoonSource",
    "PointSource",
    "SkySource",
    "Source",
    "SpotSource",
    "SunSource",
    "new_id",
]

# Groups of the balance, by what a source is for.
GROUPS: Final[dict[str, str]] = {
    "base": "base", "lamp": "lamps", "key": "accents", "fill": "accents", "rim": "accents",
    "accent": "accents",
}  # fmt: skip


class FarLight(Coloured):
    """What sun and moon share: a body that stands somewhere on the sky."""

    role: Role = choice("base", label="Role", help="What the source is for.", first=False)
    stands: Literal["by the clock", "where set"] = choice(
        "by the clock",
        label="Stands",
        help="By the clock: where it is for place, date and hour. Where set: by azimuth and elevation.",
    )
    trim: float = trim_field("Stops more or less light than it truly gives.")
    azimuth: float = parameter(
        140.0,
        label="Azimuth",
        help="Direction over ground, clockwise from north (-Z); where it stands where set.",
        unit="deg",
        low=-360.0,
        high=360.0,
        step=1.0,
    )
    elevation: float = parameter(
        38.0,
        label="Elevation",
        help="Height above the horizon, where it stands where set. Once it is down it gives no light.",
        unit="deg",
        low=-90.0,
        high=90.0,
        step=0.5,
    )
    disc: float = parameter(
        0.53,
        label="Disc",
        help="Width of the disc as seen from the ground; wider means softer shadows.",
        unit="deg",
        low=0.0,
        high=20.0,
        step=0.05,
        first=False,
        heading="Shadow",
    )
    shadow: bool = parameter(
        True,
        label="Casts shadows",
        help="Whether things stand in its way.",
        kind="switch",
        first=False,
        heading="Shadow",
    )
    shadow_reach: float = parameter(
        150.0,
        label="Reach",
        help="How deep into the view its shadows are delivered. Farther leaves fewer texels near the camera.",
        unit="m",
        low=5.0,
        high=2000.0,
        step=5.0,
        scale="log",
        first=False,
        heading="Shadow",
    )
    shadow_texels: Literal["512", "1024", "2048"] = choice(
        "1024",
        label="Resolution",
        help="Texels across each of its maps. Twice as many cost four times the memory.",
        first=False,
        heading="Shadow",
    )
    shadow_cascades: Literal["1", "2", "3"] = choice(
        "3",
        label="Cascades",
        help="Maps that share its reach, the nearest the finest. Each is drawn on its own.",
        first=False,
        heading="Shadow",
    )


PLACE_FIELDS = frozenset({"azimuth", "elevation"})


class SunSource(FarLight):
    """The sun: a far light, true for its height in clear air or of a strength of its own."""

    kind: Literal["sun"] = "sun"
    light: Literal["through the air", "own"] = choice(
        "through the air",
        label="Light",
        help="Through the air: strength and colour by its height. Own: strength and colour as set.",
    )
    kelvin: float = kelvin_field(
        5400.0, "Correlated colour temperature, where its light is its own.", heading="Own light"
    )
    illuminance: float = parameter(
        80000.0,
        label="Strength",
        help="Illuminance of a surface that faces the sun, where its light is its own.",
        unit="lx",
        low=0.0,
        high=150000.0,
        step=500.0,
        scale="log",
        first=False,
        heading="Own light",
    )

    def idle(self) -> frozenset[str]:
        aimed = frozenset() if self.stands == "where set" else PLACE_FIELDS
        own = super().idle() if self.light == "own" else (COLOUR_FIELDS | {"illuminance"}) - {"tint"}
        return aimed | own


class MoonSource(FarLight):
    """The moon: takes over where the sun gives no light any more."""

    kind: Literal["moon"] = "moon"
    kelvin: float = kelvin_field(
        4100.0, "Shown as its colour; its light is the sun's, through the air.", heading="Colour"
    )

    phase_by: Literal["the date", "choice"] = choice(
        "the date",
        label="Phase by",
        help="The date: as lit as it truly is. Choice: by the phase set.",
        first=False,
        heading="Phase",
    )
    phase: float = parameter(
        0.0,
        label="Phase",
        help="Angle between sun and eye as seen from the moon: 0 full, 90 half, 180 new.",
        unit="deg",
        low=0.0,
        high=180.0,
        step=1.0,
        first=False,
        heading="Phase",
    )

    def idle(self) -> frozenset[str]:
        colour = COLOUR_FIELDS - {"tint"}
        colour = colour | ({"phase"} if self.phase_by == "the date" else frozenset())
        return colour if self.stands == "where set" else colour | PLACE_FIELDS


def _switching(default: float, label: str, help_text: str, unit: str) -> float:
    return parameter(
        default,
        label=label,
        help=help_text,
        unit=unit,
        low=0.0,
        high=24.0 if unit == "clock" else 200_000.0,
        step=0.25 if unit == "clock" else 1.0,
        scale="linear" if unit == "clock" else "log",
        first=False,
        heading="Switching",
    )


class Lamp(Coloured):
    """What point and spot share."""

    position: Place = parameter(
        (0.0, 2.0, 0.0),
        label="Place",
        help="Where the source is.",
        unit="m",
        kind="vector",
        step=0.05,
    )
    intensity: float = parameter(
        80.0,
        label="Intensity",
        help="Luminous intensity; on the axis for a spot. Lumens can be typed: 800 lm.",
        unit="cd",
        low=0.0,
        high=1e7,
        step=1.0,
        scale="log",
    )
    trim: float = trim_field(first=False)
    range: float = parameter(
        0.0,
        label="Range",
        help="Distance at which its light is brought to nothing; 0 is no limit. A short range is cheap.",
        unit="m",
        low=0.0,
        high=10000.0,
        step=0.1,
    )
    radius: float = parameter(
        0.05,
        label="Radius",
        help="Size of the glowing body: bounds the near field and softens shadows.",
        unit="m",
        low=0.0,
        high=10.0,
        step=0.01,
        first=False,
        heading="Shadow",
    )
    shadow: bool = parameter(
        False, label="Casts shadows", help="Whether things stand in its way.", kind="switch"
    )
    hidden: bool = parameter(
        False,
        label="Mark hidden",
        help="Its mark is left out of the picture; its light stays.",
        kind="switch",
        first=False,
        heading="Description",
    )
    switched: Literal["by hand", "by light", "by clock"] = choice(
        "by hand",
        label="Switched",
        help="By light: on when open ground is darker than On below, off above Off above. "
        "By clock: from On at to Off at. By hand: by its switch alone.",
        first=False,
        heading="Switching",
    )
    on_below: float = _switching(10.0, "On below", "Light of open, level ground at which it goes on.", "lx")
    off_above: float = _switching(
        30.0, "Off above", "Light of open, level ground at which it goes off.", "lx"
    )
    on_at: float = _switching(18.0, "On at", "Clock time at which it goes on.", "clock")
    off_at: float = _switching(
        6.0, "Off at", "Clock time at which it goes off; may be the next morning.", "clock"
    )

    @model_validator(mode="after")
    def _goes_off_above(self) -> Self:
        if self.off_above < self.on_below:
            raise ValueError(
                f"it goes off above {self.off_above:g} lx, which must be no less than "
                f"the {self.on_below:g} lx that it goes on below"
            )
        return self

    def idle(self) -> frozenset[str]:
        used = {"by light": {"on_below", "off_above"}, "by clock": {"on_at", "off_at"}}.get(
            self.switched, set()
        )
        return super().idle() | ({"on_below", "off_above", "on_at", "off_at"} - used)

    def lumens(self) -> float:
        """Flux [lm]."""
        raise NotImplementedError

    def candela_for(self, flux_lm: float) -> float:
        """Intensity that gives a flux [cd]."""
        raise NotImplementedError


class PointSource(Lamp):
    """A small source that shines alike in all directions."""

    kind: Literal["point"] = "point"

    def lumens(self) -> float:
        return point_lumens(self.intensity)

    def candela_for(self, flux_lm: float) -> float:
        return point_candela(flux_lm)


class SpotSource(Lamp):
    """A small source that shines into a cone."""

    kind: Literal["spot"] = "spot"
    direction: Direction = parameter(
        (0.0, -1.0, 0.0),
        label="Direction",
        help="Where the axis points; kept at length 1.",
        kind="vector",
        step=0.02,
        first=False,
        heading="Aim",
    )
    inner: float = parameter(
        20.0,
        label="Inner cone",
        help="Half angle within which it shines in full.",
        unit="deg",
        low=0.0,
        high=89.9,
        step=0.5,
    )
    outer: float = parameter(
        35.0,
        label="Outer cone",
        help="Half angle beyond which it gives nothing.",
        unit="deg",
        low=0.1,
        high=90.0,
        step=0.5,
    )

    @model_validator(mode="after")
    def _cones_in_order(self) -> Self:
        if self.inner >= self.outer:
            raise ValueError(
                f"the inner cone ({self.inner:g} deg) must be narrower than "
                f"the outer cone ({self.outer:g} deg)"
            )
        return self

    def lumens(self) -> float:
        return spot_lumens(self.intensity, *self._cones_rad())

    def candela_for(self, flux_lm: float) -> float:
        return spot_candela(flux_lm, *self._cones_rad())

    def _cones_rad(self) -> tuple[float, float]:
        return math.radians(self.inner), math.radians(self.outer)


Source = Annotated[SunSource | MoonSource | SkySource | PointSource | SpotSource, Field(discriminator="kind")]
