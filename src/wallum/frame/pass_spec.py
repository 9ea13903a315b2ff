"""What is said of a pass."""

from collections.abc import Callable
from dataclasses import dataclass

from wallum.frame.pass_work import PassCounts, PassWork

__all__ = ["PassSpec"]


def _nothing(asked: PassWork) -> None:
    return None


@dataclass(frozen=True)
class PassSpec:
    """One pass of a frame.

    name   : also of its times and of a profile's coefficients
    counts : what its time is a sum of; empty for a pass whose time is left out of what is foretold
    count  : how much of each a picture asks for; None where it is not drawn
    """

    name: str
    counts: tuple[str, ...] = ()
    count: Callable[[PassWork], PassCounts | None] = _nothing
