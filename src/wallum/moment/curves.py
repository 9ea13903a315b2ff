"""A lane's value at an hour: between its pegs, around midnight."""

import math
from bisect import bisect_right
from typing import Any

from wallum.document.fields import Parameter

__all__ = ["Knots", "eased", "value_at"]

# Hours in 0 to 24, ascending, each with its value and its easing to the next.
Knots = tuple[tuple[float, Any, str], ...]


def eased(share: float, easing: str) -> float:
    """How far a value has gone at a share of the way, both 0 to 1."""
    match easing:
        case "soft":
            return share * share * (3.0 - 2.0 * share)
        case "late":
            return share**3
        case "early":
            return 1.0 - (1.0 - share) ** 3
        case "step":
            return 0.0
    return share


def _between(a: float, b: float, share: float, scale: str) -> float:
    if scale == "log" and a > 0.0 and b > 0.0:
        out = math.exp((1.0 - share) * math.log(a) + share * math.log(b))
        return min(max(out, min(a, b)), max(a, b))  # rounding must not leave the range
    return a + (b - a) * share


def value_at(knots: Knots, hour: float, info: Parameter) -> Any:
    """The value at an hour of the day. Before the first knot the last one still goes on."""
    here = bisect_right(knots, hour % 24.0, key=lambda knot: knot[0]) - 1
    start, value, easing = knots[here]
    end, following, _ = knots[(here + 1) % len(knots)]
    if len(knots) == 1 or easing == "step" or isinstance(value, bool | str):
        return value
    span = (end - start) % 24.0
    share = eased(((hour - start) % 24.0) / span, easing) if span > 0.0 else 1.0
    if isinstance(value, tuple):
        return tuple(_between(a, b, share, "linear") for a, b in zip(value, following, strict=True))
    return _between(value, following, share, info.scale)
