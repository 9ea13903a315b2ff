"""The look resolved: what a picture does with the light, as one value that both developers take."""

from dataclasses import dataclass

from wallum.physics.bloom import NO_BLOOM, Bloom
from wallum.physics.colour_table import TableOn
from wallum.physics.curves import OWN_CURVE, Curve
from wallum.physics.focus import Focus
from wallum.physics.grade import NEUTRAL_GRADE, Grade
from wallum.physics.vignette import NO_SHADE, EdgeShade

__all__ = ["NO_LENS", "Lens", "Metering", "ResolvedLook", "ResolvedTable"]


@dataclass(frozen=True)
class Metering:
    """How the exposure is found from the picture; see document.project.Look."""

    weighted: str
    compensation: float
    limits: tuple[float, float]
    clips: tuple[float, float]
    darker: tuple[float, ...] = ()


@dataclass(frozen=True)
class ResolvedTable:
    """A table of colours in a file. stamp : when that changed [ns]; on : which values it takes"""

    file: str
    stamp: int
    on: TableOn
    strength: float


@dataclass(frozen=True)
class Lens:
    """What depends on the place in the picture.

    fall_off : stops that the lens loses in the corners; shade : a vignette by hand
    fringe   : of colour [pixels at the corner of 1920 x 1080]
    grain    : exposure index of the film, 0 for none; seed : of its grain, for pictures of a film
    """

    fall_off: float = 0.0
    shade: EdgeShade = NO_SHADE
    fringe: float = 0.0
    grain: float = 0.0
    seed: int = 0

    @property
    def shaded(self) -> bool:
        """Whether it darkens or brightens any part of the picture."""
        return self.fall_off > 0.0 or self.shade.stops != 0.0


NO_LENS = Lens()


@dataclass(frozen=True)
class ResolvedLook:
    """Exposure and picture chain of one moment, in the order in which they are applied.

    ev100    : exposure by hand; where it is metered, about what will be found
    metering : None where exposed by hand
    focus    : what the lens leaves sharp; None: all of it
    bloom    : what of the light is spread over the picture
    lens     : what else of it depends on the place
    night_eye: strength of the look of the eye at night, 0 to 1
    white    : colour temperature [K] and tint of what shall look neutral; None: as it is
    grade    : of picture values
    curve    : from picture values to display values
    table    : after or in the place of the curve, by which values it takes
    """

    ev100: float
    metering: Metering | None = None
    focus: Focus | None = None
    bloom: Bloom = NO_BLOOM
    lens: Lens = NO_LENS
    night_eye: float = 0.0
    white: tuple[float, float] | None = None
    grade: Grade = NEUTRAL_GRADE
    curve: Curve = OWN_CURVE
    table: ResolvedTable | None = None
