"""The look resolved: what a picture does with the light, as one value that both developers take."""

from dataclasses import dataclass

from wallum.physics.tone import DEFAULT_CURVE, ToneCurve

__all__ = ["Metering", "ShownLook"]


@dataclass(frozen=True)
class Metering:
    """How the exposure is found from the picture; see document.project.Look."""

    weighted: str
    compensation: float
    limits: tuple[float, float]
    clips: tuple[float, float]


@dataclass(frozen=True)
class ShownLook:
    """Exposure and picture chain of one moment, in the order in which they are applied.

    ev100    : exposure by hand; where it is metered, about what will be found
    metering : None where exposed by hand
    vignette : stops that the lens loses in the corners
    night_eye: strength of the look of the eye at night, 0 to 1
    curve    : from picture values to display values
    """

    ev100: float
    metering: Metering | None = None
    vignette: float = 0.0
    night_eye: float = 0.0
    curve: ToneCurve = DEFAULT_CURVE
