"""Points and spots: small lamps, as strong as their luminous intensity says."""

import math
from typing import ClassVar, Literal, Self

from pydantic import model_validator

from wallum.document.coloured import Direction
from wallum.document.fields import parameter
from wallum.document.sources.lamp import Lamp
from wallum.physics.photometry import point_candela, point_lumens, spot_candela, spot_lumens

__all__ = ["PointSource", "Punctual", "SpotSource"]


class Punctual(Lamp):
    """What point and spot share."""

    STRENGTH: ClassVar[str] = "intensity"
    intensity: float = parameter(
        80.0,
        label="Intensity",
        help="Luminous intensity; on the axis for a spot. Lumens can be typed: 800 lm.",
        unit="cd",
        low=0.0,
        high=1e7,
        step=1.0,
        scale="log",
        after="position",
    )

    def strength_toward(self, intensity_cd: float) -> float:
        return intensity_cd


class PointSource(Punctual):
    """A small source that shines alike in all directions."""

    kind: Literal["point"] = "point"

    def lumens(self) -> float:
        return point_lumens(self.intensity)

    def strength_for(self, flux_lm: float) -> float:
        return point_candela(flux_lm)


class SpotSource(Punctual):
    """A small source that shines into a cone."""

    AIMED: ClassVar[bool] = True

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

    def strength_for(self, flux_lm: float) -> float:
        return spot_candela(flux_lm, *self._cones_rad())

    def _cones_rad(self) -> tuple[float, float]:
        return math.radians(self.inner), math.radians(self.outer)
