"""What each kind of lamp becomes as a light of KHR_lights_punctual: a line of the table each."""

import math
from collections.abc import Callable
from dataclasses import dataclass
from typing import Any, Final

from wallum.document.sources import Lamp

__all__ = ["WRITERS", "Writer"]

Json = dict[str, Any]


@dataclass(frozen=True)
class Writer:
    """How one kind of lamp is written.

    type    : the standard's word for it
    candela : luminous intensity on its axis [cd]
    more    : what else the standard takes of it
    """

    type: str
    candela: Callable[[Any], float]
    more: Callable[[Any], Json] = lambda lamp: {}


def _cone(lamp: Any) -> Json:
    return {"spot": {"innerConeAngle": math.radians(lamp.inner), "outerConeAngle": math.radians(lamp.outer)}}


def _stated(lamp: Lamp) -> float:
    return lamp.strength


WRITERS: Final[dict[str, Writer]] = {
    "point": Writer("point", _stated),
    "spot": Writer("spot", _stated, _cone),
}
