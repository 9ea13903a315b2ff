"""Tubes: thin cylinders that shine from their side, as strong as their luminance says."""

from typing import ClassVar, Literal

from wallum.document.coloured import Direction
from wallum.document.fields import parameter
from wallum.document.sources.lamp import Lamp, luminance_field
from wallum.physics.line import tube_lumens

__all__ = ["TubeSource"]


class TubeSource(Lamp):
    """A line with a radius. Its ends are dark."""

    STRENGTH: ClassVar[str] = "luminance"

    kind: Literal["tube"] = "tube"
    luminance: float = luminance_field(8000.0)
    direction: Direction = parameter(
        (1.0, 0.0, 0.0),
        label="Axis",
        help="Direction of the tube's axis; kept at length 1.",
        kind="vector",
        step=0.02,
        first=False,
        heading="Aim",
    )
    length: float = parameter(
        1.2,
        label="Length",
        help="Length of the lit tube. A longer tube gives more light.",
        unit="m",
        low=0.02,
        high=50.0,
        step=0.05,
    )
    radius: float = parameter(
        0.02,
        label="Radius",
        help="Of the lit tube. A thicker tube gives more light.",
        unit="m",
        low=0.001,
        high=1.0,
        step=0.005,
    )

    def lumens(self) -> float:
        return tube_lumens(self.luminance, self.length, self.radius)

    def strength_for(self, flux_lm: float) -> float:
        return flux_lm / tube_lumens(1.0, self.length, self.radius)

    def strength_toward(self, intensity_cd: float) -> float:
        return intensity_cd / (2.0 * self.radius * self.length)
