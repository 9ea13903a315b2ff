"""Every error that Wallum raises on purpose.

WallumError                what went wrong, where, and what would be right
├── ValueProblem           a value out of its range, or of the wrong kind
│   └── QuantityProblem    text that is not a number with a known unit
├── ShapeProblem           an array of the wrong shape
├── PathProblem            a parameter path that leads nowhere
├── ProjectProblem         a project file that cannot be read or written
├── LevelProblem           a level file that cannot be read
├── ExportProblem          a file that cannot be written in the asked format
├── RendererProblem        the real-time renderer failed or is missing
└── MissingProblem         something this machine lacks (exit status 3)
"""

from typing import Final

BAD_INPUT: Final = 2
MISSING: Final = 3


class WallumError(Exception):
    """One clear sentence, kept in its parts: what is wrong, where, what was expected."""

    exit_status = BAD_INPUT

    def __init__(self, what: str, where: str = "", expected: str = "") -> None:
        self.what = what
        self.where = where
        self.expected = expected
        place = f"{where}: " if where else ""
        hint = f" (expected {expected})" if expected else ""
        super().__init__(f"{place}{what}{hint}")

    def as_json(self) -> dict[str, str]:
        """The three parts, as the command line's --json shows them."""
        return {"what": self.what, "where": self.where, "expected": self.expected}


class ValueProblem(WallumError, ValueError):
    """A value out of its range, or of the wrong kind."""


class QuantityProblem(ValueProblem):
    """Text that is not a number with a known unit."""


class ShapeProblem(WallumError, ValueError):
    """An array of the wrong shape."""


class PathProblem(WallumError, KeyError):
    """A parameter path that leads nowhere."""

    def __str__(self) -> str:
        return str(self.args[0])


class ProjectProblem(WallumError, ValueError):
    """A project file that cannot be read or written."""


class LevelProblem(WallumError, ValueError):
    """A level file that cannot be read."""


class ExportProblem(WallumError, ValueError):
    """A file that cannot be written in the asked format."""


class RendererProblem(WallumError, RuntimeError):
    """The real-time renderer failed or is missing."""


class MissingProblem(WallumError, RuntimeError):
    """Something this machine lacks."""

    exit_status = MISSING
