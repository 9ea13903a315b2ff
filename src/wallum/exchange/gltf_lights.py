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


def _across(tube: Any) -> float:
    return float(tube.luminance * 2.0 * tube.radius * tube.length)


# Distance at which a beam's spot is as strong as the beam [m].
BEAM_AT_M: Final = 3.0


def _beam_axis(beam: Any) -> float:
    return float(beam.illuminance * BEAM_AT_M**2)


def _beam_cone(beam: Any) -> Json:
    """A cone as wide as the beam at that distance."""
    half = math.atan(0.5 * min(beam.width, beam.height) / BEAM_AT_M)
    return {"spot": {"innerConeAngle": 0.9 * half, "outerConeAngle": half}}


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
    "tube": Writer(
        "point", _across, loss="glTF has no tube; it is a point as strong across its axis, and has no length"
    ),
    "beam": Writer(
        "spot",
        _beam_axis,
        _beam_cone,
        f"glTF has no beam; it is a spot as strong {BEAM_AT_M:g} m away, whose light spreads",
    ),
}
