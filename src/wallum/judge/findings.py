"""What is wrong with a lit level, and what would help: a remedy that can be applied.

A remedy is a list of values by their paths and the moment they are meant for, so that all of it is
one step of undo on the desk, and a `set` or a `peg` on the command line.
"""

from dataclasses import dataclass, field
from typing import Any, Final

from wallum.document.project import Project
from wallum.level.model import model
from wallum.moment.at_moment import put_at
from wallum.moment.moment import Moment

__all__ = ["NOON", "Finding", "Remedy"]

NOON: Final = Moment(12.0)


@dataclass(frozen=True)
class Remedy:
    """What would help: in words, and as values by their paths at a moment."""

    text: str
    values: dict[str, Any] = field(default_factory=dict)
    moment: Moment = NOON

    def applied(self, project: Project) -> Project:
        """The project with the remedy: a value that has a lane gets a peg at the moment.

        Raises PathProblem or ValueProblem where the project has no such value any more.
        """
        for path, value in self.values.items():
            project = put_at(project, path, value, self.moment)
        return project


@dataclass(frozen=True)
class Finding(model.Finding):
    """What a check of the light noticed, and what would help."""

    remedy: Remedy | None = None

    def as_json(self) -> dict[str, Any]:
        """All of it, in a form that JSON can hold."""
        out = {"kind": self.kind, "where": self.where, "grade": self.grade, "text": self.text}
        if self.remedy is None:
            return {**out, "remedy": None}
        remedy = self.remedy
        return {**out, "remedy": {"text": remedy.text, "values": remedy.values, "hour": remedy.moment.clock}}
