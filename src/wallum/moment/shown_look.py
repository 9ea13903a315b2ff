"""The look resolved: what a picture does with the light, as one value that both developers take."""

from dataclasses import dataclass

from wallum.physics.colour_table import TableOn
from wallum.physics.curves import OWN_CURVE, Curve
from wallum.physics.grade import NEUTRAL_GRADE, Grade

__all__ = ["Metering", "ShownLook", "ShownTable"]


@dataclass(frozen=True)
class Metering:
    """How the exposure is found from the picture; see document.project.Look."""

    weighted: str
    compensation: float
    limits: tuple[float, float]
    clips: tuple[float, float]
    darker: tuple[float, ...] = ()


@dataclass(frozen=True)
class ShownTable:
    """A table of colours in a file. stamp : when that changed [ns]; on : which values it takes"""

    file: str
    stamp: int
    on: TableOn
    strength: float


@dataclass(frozen=True)
class ShownLook:
    """Exposure and picture chain of one moment, in the order in which they are applied.

    ev100    : exposure by hand; where it is metered, about what will be found
    metering : None where exposed by hand
    vignette : stops that the lens loses in the corners
    night_eye: strength of the look of the eye at night, 0 to 1
    white    : colour temperature [K] and tint of what shall look neutral; None: as it is
    grade    : of picture values
    curve    : from picture values to display values
    table    : after or in the place of the curve, by which values it takes
    """

    ev100: float
    metering: Metering | None = None
    vignette: float = 0.0
    night_eye: float = 0.0
    white: tuple[float, float] | None = None
    grade: Grade = NEUTRAL_GRADE
    curve: Curve = OWN_CURVE
    table: ShownTable | None = None
