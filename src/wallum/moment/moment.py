"""A moment: all that the light of a project depends on beside the project itself."""

from dataclasses import dataclass, replace
from typing import TYPE_CHECKING, NamedTuple

if TYPE_CHECKING:
    from wallum.document.project import Project

__all__ = ["FiredCue", "Moment", "own_moment"]


class FiredCue(NamedTuple):
    """A cue that has been fired: its id, and the seconds of play at which it was."""

    cue: str
    at_s: float


@dataclass(frozen=True)
class Moment:
    """When the light is looked at. Nothing that is evaluated at a moment remembers another.

    clock  : local time of the day [h], 0 to 24
    play_s : seconds since play began
    cues   : those fired since then, in their order
    tier   : quality level of the delivered lighting
    """

    clock: float
    play_s: float = 0.0
    cues: tuple[FiredCue, ...] = ()
    tier: str = "high"

    def at(self, clock: float) -> "Moment":
        """The same at another time of the day."""
        return replace(self, clock=clock)


def own_moment(project: "Project") -> Moment:
    """The moment that a project stands at."""
    return Moment(project.setting.clock)
