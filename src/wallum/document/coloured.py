"""What every source shares: name, switch, role, the colour of its light, and a trim."""

import math
from typing import Annotated, Literal
from uuid import uuid4

from pydantic import AfterValidator, Field

from wallum.document.fields import Item, Vector, choice, parameter
from wallum.physics.colour import MAX_CCT_K, MIN_CCT_K, light_colour, luminance_of

__all__ = [
    "COLOUR_FIELDS",
    "Coloured",
    "Direction",
    "LinearColour",
    "Place",
    "Role",
    "kelvin_field",
    "new_id",
    "trim_field",
]

Role = Literal["key", "fill", "rim", "lamp", "accent", "base"]


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


def kelvin_field(default: float, help_text: str, heading: str = "", step: float = 50.0) -> float:
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
    kelvin: float = kelvin_field(3000.0, "Correlated colour temperature: low is warm, high is cool.")
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

    in_air: float = parameter(
        1.0,
        label="Lights the air",
        help="How strongly air shows its light. 1 is true; anything else is a fake, and 0 is none.",
        low=0.0,
        high=20.0,
        step=0.05,
        first=False,
        heading="In the air",
    )
    air_shadow: bool = parameter(
        True,
        label="Shadows there",
        help="Whether its shadows stand in the air. Off is a fake, where it casts any on surfaces.",
        kind="switch",
        first=False,
        heading="In the air",
    )

    baked: Literal["still", "live"] = choice(
        "still",
        label="Baked",
        help="Still: its light is part of what is baked. Live: it is left out, and may move.",
        first=False,
        heading="Baking",
    )

    def inactive(self) -> frozenset[str]:
        return frozenset({"colour"} if self.colour_by == "kelvin" else {"kelvin", "tint"})

    def luminous_rgb(self) -> Vector:
        """Linear sRGB of luminance 1 for this source's light."""
        if self.colour_by == "kelvin":
            red, green, blue = light_colour(self.kelvin, self.tint)
            return (float(red), float(green), float(blue))
        red, green, blue = self.colour
        weight = luminance_of(red, green, blue)
        return (red / weight, green / weight, blue / weight)


def trim_field(
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


COLOUR_FIELDS = frozenset({"colour_by", "kelvin", "tint", "colour"})
