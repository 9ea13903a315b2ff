"""Far lights: sun and moon."""

from typing import Literal

from wallum.document.coloured import COLOUR_FIELDS, Coloured, Role, kelvin_field, trim_field
from wallum.document.fields import choice, parameter

__all__ = ["FarLight", "MoonSource", "SunSource"]


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

    def inactive(self) -> frozenset[str]:
        aimed = frozenset() if self.stands == "where set" else PLACE_FIELDS
        own = super().inactive() if self.light == "own" else (COLOUR_FIELDS | {"illuminance"}) - {"tint"}
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

    def inactive(self) -> frozenset[str]:
        colour = COLOUR_FIELDS - {"tint"}
        colour = colour | ({"phase"} if self.phase_by == "the date" else frozenset())
        return colour if self.stands == "where set" else colour | PLACE_FIELDS
