"""Sources that stand somewhere in the level."""

from typing import ClassVar

from wallum.document.coloured import Coloured, Place, trim_field
from wallum.document.fields import Vector, parameter

__all__ = ["Placed", "checked_size", "size_field", "turn_field"]

MIN_M = 0.05


def size_field(default: Vector) -> Vector:
    """How large a box or an ellipsoid is."""
    return parameter(
        default,
        label="Size",
        help="From side to side: across, up, along.",
        unit="m",
        kind="vector",
        step=0.1,
    )


def turn_field() -> float:
    """How such a thing stands."""
    return parameter(
        0.0,
        label="Turn",
        help="Clockwise, seen from above.",
        unit="deg",
        low=-360.0,
        high=360.0,
        step=5.0,
        first=False,
    )


def checked_size(size: Vector) -> None:
    """Raises ValueError where a side is next to nothing."""
    if min(size) < MIN_M:
        raise ValueError(f"each side must be {MIN_M:g} m or more, got {min(size):g} m")


class Placed(Coloured):
    """What all share that stand somewhere in the level.

    STRENGTH : name of the field that says how strong one is; its unit is there
    """

    STRENGTH: ClassVar[str]

    position: Place = parameter(
        (0.0, 2.0, 0.0),
        label="Place",
        help="Where the source is.",
        unit="m",
        kind="vector",
        step=0.05,
    )
    trim: float = trim_field(first=False)
    hidden: bool = parameter(
        False,
        label="Mark hidden",
        help="Its mark is left out of the picture; its light stays.",
        kind="switch",
        first=False,
        heading="Description",
    )

    @property
    def word(self) -> str:
        """The word of its kind."""
        word: str = self.__dict__["kind"]  # each kind declares it
        return word

    @property
    def axis(self) -> Vector | None:
        """Where it faces; None where it shines all around."""
        return None

    @property
    def strength(self) -> float:
        """How strong it is as set, in the unit of its kind."""
        return float(getattr(self, self.STRENGTH))
