"""Points and spots: small lamps, as strong as their luminous intensity says."""

import math
from typing import Any, ClassVar, Final, Literal, Self

from pydantic import model_validator

from wallum.document.coloured import Direction
from wallum.document.fields import choice, parameter
from wallum.document.sources.lamp import Lamp
from wallum.physics.photometry import point_candela, point_lumens, spot_candela, spot_lumens

__all__ = ["GOBO_VALUES", "PointSource", "Punctual", "SpotSource"]

GOBO_VALUES: Final = frozenset({"gobo_size", "gobo_open", "gobo_soft", "gobo_turn", "gobo_drift"})


def _gobo(default: float, label: str, help_text: str, **more: Any) -> Any:
    return parameter(default, label=label, help=help_text, first=False, heading="Gobo", **more)


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
    gobo: Literal["none", "slats", "panes", "leaves"] = choice(
        "none",
        label="Gobo",
        help="A pattern before it, thrown on surfaces and through the air. Slats lie level while not turned.",
        first=False,
        heading="Gobo",
    )
    gobo_size: float = _gobo(
        0.15,
        "Size",
        "Of a slat with its gap, a pane or a leaf, over the width of the beam; it widens with that.",
        low=0.01,
        high=2.0,
        step=0.01,
        scale="log",
    )
    gobo_open: float = _gobo(
        0.5, "Open share", "Of its light that it lets past.", low=0.05, high=0.98, step=0.01
    )
    gobo_soft: float = _gobo(
        0.12, "Softness", "Width of its edges, over its size.", low=0.0, high=2.0, step=0.01
    )
    gobo_turn: float = _gobo(
        0.0, "Turn", "Clockwise, as seen along the beam.", unit="deg", low=-360.0, high=360.0, step=1.0
    )
    gobo_drift: float = _gobo(
        0.0, "Drift", "How many of its sizes go by in a second.", unit="Hz", low=-20.0, high=20.0, step=0.01
    )

    @model_validator(mode="after")
    def _cones_in_order(self) -> Self:
        if self.inner >= self.outer:
            raise ValueError(
                f"the inner cone ({self.inner:g} deg) must be narrower than "
                f"the outer cone ({self.outer:g} deg)"
            )
        return self

    def inactive(self) -> frozenset[str]:
        without = GOBO_VALUES if self.gobo == "none" else frozenset()
        return super().inactive() | without

    def lumens(self) -> float:
        return spot_lumens(self.intensity, *self._cones_rad())

    def strength_for(self, flux_lm: float) -> float:
        return spot_candela(flux_lm, *self._cones_rad())

    def _cones_rad(self) -> tuple[float, float]:
        return math.radians(self.inner), math.radians(self.outer)
