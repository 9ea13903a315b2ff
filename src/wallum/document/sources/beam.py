"""Beams: parallel light in a box, as strong as its illuminance says."""

from typing import ClassVar, Literal

from wallum.document.coloured import Direction
from wallum.document.fields import parameter
from wallum.document.sources.lamp import Lamp
from wallum.document.sources.placed import turn_field

__all__ = ["BeamSource"]

# Distance at which a beam is as strong as a lamp of a stated intensity, where one is put [m].
LIKE_LAMP_M = 2.0


class BeamSource(Lamp):
    """Parallel light that begins at a rectangle and goes straight on: moonlight through one window."""

    STRENGTH: ClassVar[str] = "illuminance"
    AIMED: ClassVar[bool] = True

    kind: Literal["beam"] = "beam"
    illuminance: float = parameter(
        100.0,
        label="Illuminance",
        help="Of a surface that faces the beam. Lumens can be typed: 800 lm.",
        unit="lx",
        low=0.0,
        high=1e7,
        step=1.0,
        scale="log",
        after="position",
    )
    direction: Direction = parameter(
        (0.0, -1.0, 0.0),
        label="Direction",
        help="Where the light goes; kept at length 1.",
        kind="vector",
        step=0.02,
        first=False,
        heading="Aim",
    )
    turn: float = turn_field()
    width: float = parameter(
        1.0,
        label="Width",
        help="From side to side, at turn 0 level.",
        unit="m",
        low=0.02,
        high=200.0,
        step=0.05,
    )
    height: float = parameter(
        1.0, label="Height", help="Across the width.", unit="m", low=0.02, high=200.0, step=0.05
    )
    soft: float = parameter(
        0.05,
        label="Soft edge",
        help="Width over which the sides fade, inside the box; half of the smaller side at most.",
        unit="m",
        low=0.0,
        high=50.0,
        step=0.01,
    )

    def _area(self) -> float:
        """Lit area [m2]: soft edges count by half."""
        soft = min(self.soft, 0.5 * self.width, 0.5 * self.height)
        return (self.width - soft) * (self.height - soft)

    def inactive(self) -> frozenset[str]:
        return super().inactive() | {"radius"}

    def lumens(self) -> float:
        return self.illuminance * self._area()

    def strength_for(self, flux_lm: float) -> float:
        return flux_lm / self._area()

    def strength_toward(self, intensity_cd: float) -> float:
        return intensity_cd / LIKE_LAMP_M**2
