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
    loss    : what the standard's light is not, in words after its name
    """

    type: str
    candela: Callable[[Any], float]
    more: Callable[[Any], Json] = lambda lamp: {}
    loss: str = ""


def _cone(lamp: Any) -> Json:
    return {"spot": {"innerConeAngle": math.radians(lamp.inner), "outerConeAngle": math.radians(lamp.outer)}}


def _on_axis(panel: Any) -> float:
    return float(panel.luminance * math.pi * panel.radius**2)


def _half_of_all(panel: Any) -> Json:
    """The nearest there is: a spot into all that the panel faces."""
    return {"spot": {"innerConeAngle": 0.0, "outerConeAngle": math.pi / 2.0}}


def _stated(lamp: Lamp) -> float:
    return lamp.strength


WRITERS: Final[dict[str, Writer]] = {
    "point": Writer("point", _stated),
    "spot": Writer("spot", _stated, _cone),
    "panel": Writer(
        "spot",
        _on_axis,
        _half_of_all,
        "glTF has no panel; it is a spot as strong on its axis, which falls off otherwise and has no size",
    ),
}
