"""Sources: everything that gives light and that the artist can set."""

import math
from typing import Annotated, Final, Literal, Self
from uuid import uuid4

from pydantic import AfterValidator, Field, model_validator

from wallum.document.fields import Item, Vector, choice, parameter
from wallum.physics.colour import MAX_CCT_K, MIN_CCT_K, light_colour
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

Role = Literal["key", "fill", "rim", "lamp", "accent", "base"]
# Groups of the balance, by what a source is for.
GROUPS: Final[dict[str, str]] = {
    "base": "base", "lamp": "lamps", "key": "accents", "fill": "accents", "rim": "accents",
    "accent": "accents",
}  # fmt: skip


def new_id(prefix: str) -> str:
    """A stable id, unique without asking anyone."""
    return f"{prefix}-{uuid4().hex[:10]}"


def _finite(value: Vector) -> Vector:
    if not all(math.isfinite(part) for part in value):
        raise ValueError("every part must be a finite number")
    return value


def _unit(value: Vector) -> Vector:
    length = math.sqrt(sum(part * part for part in _finite(value)))
    if length < 1e-9:
        raise ValueError("a direction cannot be of length zero")
    if abs(length - 1.0) < 1e-6:
        return value
    return (value[0] / length, value[1] / length, value[2] / length)


def _fraction(value: Vector) -> Vector:
    if not all(0.0 <= part <= 1.0 for part in _finite(value)) or max(value) <= 0.0:
        raise ValueError("each part must lie between 0 and 1, and not all be 0")
    return value


Place = Annotated[Vector, AfterValidator(_finite)]
Direction = Annotated[Vector, AfterValidator(_unit)]
LinearColour = Annotated[Vector, AfterValidator(_fraction)]


def _kelvin(default: float, help_text: str, heading: str = "", step: float = 50.0) -> float:
    """A colour temperature; under a heading it is folded."""
    return parameter(
        default,
        label="Temperature",
        help=help_text,
        unit="K",
        low=MIN_CCT_K,
        high=MAX_CCT_K,
        step=step,
        scale="log",
        first=not heading,
        heading=heading,
    )


class Coloured(Item):
    """What every source shares: name, switch, role and the colour of its light."""

    id: str
    name: str = Field(min_length=1, max_length=200)
    on: bool = parameter(True, label="On", help="Whether this source gives light.", kind="switch")
    role: Role = choice(
        "lamp",
        label="Role",
        help="What the source is for. Groups it; changes no light.",
        first=False,
        heading="Description",
    )
    locked: bool = parameter(
        False,
        label="Locked",
        help="Its values are kept as they are until it is unlocked; its switch and name are free.",
        kind="switch",
        first=False,
        heading="Description",
    )
    colour_by: Literal["kelvin", "colour"] = choice(
        "kelvin",
        label="Colour by",
        help="Give the colour as a temperature with a tint, or as a colour of its own.",
        first=False,
        heading="Colour",
    )
    kelvin: float = _kelvin(3000.0, "Correlated colour temperature: low is warm, high is cool.")
    tint: float = parameter(
        0.0,
        label="Tint",
        help="Distance from white light's locus (Duv): above 0 greener, below 0 pinker.",
        low=-0.05,
        high=0.05,
        step=0.001,
        first=False,
        heading="Colour",
    )
    colour: LinearColour = parameter(
        (1.0, 1.0, 1.0),
        label="Own colour",
        help="Linear sRGB; only its hue and saturation count, strength is set elsewhere.",
        kind="colour",
        first=False,
        heading="Colour",
    )

    def idle(self) -> frozenset[str]:
        return frozenset({"colour"} if self.colour_by == "kelvin" else {"kelvin", "tint"})

    def luminous_rgb(self) -> Vector:
        """Linear sRGB of luminance 1 for this source's light."""
        if self.colour_by == "kelvin":
            red, green, blue = light_colour(self.kelvin, self.tint)
            return (float(red), float(green), float(blue))
        red, green, blue = self.colour
        weight = 0.2126 * red + 0.7152 * green + 0.0722 * blue
        return (red / weight, green / weight, blue / weight)


def _trim(
    help_text: str = "Stops more or less than stated: the balance's fader.", first: bool = True
) -> float:
    return parameter(
        0.0,
        label="Trim",
        help=help_text,
        unit="stops",
        low=-12.0,
        high=12.0,
        step=0.1,
        first=first,
        heading="" if first else "Balance",
    )


class FarLight(Coloured):
    """What sun and moon share: a body that stands somewhere on the sky."""

    role: Role = choice("base", label="Role", help="What the source is for.", first=False)
    stands: Literal["by the clock", "where set"] = choice(
        "by the clock",
        label="Stands",
        help="By the clock: where it is for place, date and hour. Where set: by azimuth and elevation.",
    )
    trim: float = _trim("Stops more or less light than it truly gives.")
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


PLACE_FIELDS = frozenset({"azimuth", "elevation"})
COLOUR_FIELDS = frozenset({"colour_by", "kelvin", "tint", "colour"})


class SunSource(FarLight):
    """The sun: a far light, true for its height in clear air or of a strength of its own."""

    kind: Literal["sun"] = "sun"
    light: Literal["through the air", "own"] = choice(
        "through the air",
        label="Light",
        help="Through the air: strength and colour by its height. Own: strength and colour as set.",
    )
    kelvin: float = _kelvin(
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
        own = super().idle() if self.light == "own" else COLOUR_FIELDS | {"illuminance"}
        return aimed | own


class MoonSource(FarLight):
    """The moon: takes over where the sun gives no light any more."""

    kind: Literal["moon"] = "moon"
    kelvin: float = _kelvin(
        4100.0, "Shown as its colour; its light is the sun's, through the air.", heading="Colour"
    )

    def idle(self) -> frozenset[str]:
        return COLOUR_FIELDS if self.stands == "where set" else COLOUR_FIELDS | PLACE_FIELDS


class SkySource(Coloured):
    """The sky: a clear one that sun, moon and night light, or a plain dome."""

    kind: Literal["sky"] = "sky"
    role: Role = choice("base", label="Role", help="What the source is for.", first=False)
    model: Literal["clear", "plain"] = choice(
        "clear",
        label="Sky",
        help="Clear: true for the hour, from noon to night. Plain: a dome of a strength of its own.",
    )
    trim: float = _trim("Stops more or less light than the sky truly gives.")
    kelvin: float = _kelvin(
        9500.0, "Correlated colour temperature of a plain dome's light.", heading="Plain dome", step=100.0
    )
    illuminance: float = parameter(
        12000.0,
        label="Strength",
        help="Illuminance of open, level ground by a plain dome alone.",
        unit="lx",
        low=0.0,
        high=60000.0,
        step=100.0,
        scale="log",
        first=False,
        heading="Plain dome",
    )
    stars: float = parameter(
        1.0,
        label="Stars",
        help="Strength of the stars; 1 is true. They drown in the light of day by themselves.",
        low=0.0,
        high=100.0,
        step=0.1,
    )
    ground: float = parameter(
        0.2,
        label="Ground reflects",
        help="Share of light that far ground sends back up.",
        low=0.0,
        high=0.95,
        step=0.01,
    )

    def idle(self) -> frozenset[str]:
        return COLOUR_FIELDS | {"illuminance"} if self.model == "clear" else super().idle() | {"stars"}


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
    trim: float = _trim(first=False)
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
