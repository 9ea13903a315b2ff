"""Panels: lit surfaces that face one way, as strong as their luminance says."""

import math
from typing import ClassVar, Literal

from wallum.document.coloured import Direction
from wallum.document.fields import parameter
from wallum.document.sources.lamp import Lamp, luminance_field
from wallum.physics.disc import disc_lumens

__all__ = ["PanelSource"]


class PanelSource(Lamp):
    """A lit disc. It faces one way, and shines evenly."""

    STRENGTH: ClassVar[str] = "luminance"
    AIMED: ClassVar[bool] = True

    kind: Literal["panel"] = "panel"
    luminance: float = luminance_field(4000.0)
    direction: Direction = parameter(
        (0.0, -1.0, 0.0),
        label="Direction",
        help="Where it faces; kept at length 1.",
        kind="vector",
        step=0.02,
        first=False,
        heading="Aim",
    )
    radius: float = parameter(
        0.3,
        label="Radius",
        help="Of the lit disc. A wider one gives more light, and softer shadows.",
        unit="m",
        low=0.01,
        high=20.0,
        step=0.05,
    )

    def lumens(self) -> float:
        return disc_lumens(self.luminance, self.radius)

    def strength_for(self, flux_lm: float) -> float:
        return flux_lm / disc_lumens(1.0, self.radius)

    def strength_toward(self, intensity_cd: float) -> float:
        return intensity_cd / (math.pi * self.radius**2)
