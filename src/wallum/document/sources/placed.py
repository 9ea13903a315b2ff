"""Sources that stand somewhere in the level."""

from typing import ClassVar

from wallum.document.coloured import Coloured, Place, trim_field
from wallum.document.fields import Vector, parameter

__all__ = ["Placed"]


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
