"""What all lamps share: sources that stand somewhere in the level."""

from typing import Any, ClassVar, Literal, Self

from pydantic import model_validator

from wallum.document.fields import Vector, choice, parameter
from wallum.document.sources.placed import Placed

__all__ = ["Lamp", "luminance_field"]


def luminance_field(default: float) -> float:
    """The strength of kinds that are lit surfaces [cd/m2]."""
    return parameter(
        default,
        label="Luminance",
        help="Of the lit surface. Lumens can be typed: 800 lm.",
        unit="cd/m2",
        low=0.0,
        high=1e9,
        step=10.0,
        scale="log",
        after="position",
    )


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


class Lamp(Placed):
    """What all lamps share.

    AIMED : whether it faces somewhere: it then has a `direction`
    """

    AIMED: ClassVar[bool] = False

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

    def inactive(self) -> frozenset[str]:
        used = {"by light": {"on_below", "off_above"}, "by clock": {"on_at", "off_at"}}.get(
            self.switched, set()
        )
        return super().inactive() | ({"on_below", "off_above", "on_at", "off_at"} - used)

    @property
    def axis(self) -> Vector | None:
        """Where it faces; None where it shines all around."""
        direction: Vector | None = getattr(self, "direction", None)
        return direction if self.AIMED else None

    def with_strength(self, value: float, **more: Any) -> Self:
        """The same at another strength, and other values changed, validated."""
        return self.revised(**{self.STRENGTH: value}, **more)

    def lumens(self) -> float:
        """Flux [lm]."""
        raise NotImplementedError

    def strength_for(self, flux_lm: float) -> float:
        """The strength that gives a flux [lm]."""
        raise NotImplementedError

    def strength_toward(self, intensity_cd: float) -> float:
        """The strength that gives a luminous intensity on the axis [cd]."""
        raise NotImplementedError
