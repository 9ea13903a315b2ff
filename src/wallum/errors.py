"""Every error that Wallum raises on purpose.

WallumError                what went wrong, where, and what would be right
├── ValueProblem           a value out of its range, or of the wrong kind
│   └── QuantityProblem    text that is not a number with a known unit
├── ShapeProblem           an array of the wrong shape
├── PathProblem            a parameter path that leads nowhere
├── ProjectProblem         a project file that cannot be read or written
│   └── ChangedProblem     a file that another has written since it was read
├── LevelProblem           a level file that cannot be read
├── ExportProblem          a file that cannot be written in the asked format
├── RendererProblem        the real-time renderer failed or is missing
├── MissingProblem         something this machine lacks (exit status 3)
└── FaultProblem           a fault of Wallum's own (exit status 4)
"""

from typing import Final

BAD_INPUT: Final = 2
MISSING: Final = 3
FAULT: Final = 4


# What a person will read of one part of a sentence.
LONGEST_PART: Final = 600


def plain(text: str) -> str:
    """Text as any terminal and any file can hold it: on one line, halves of characters written out,
    and no longer than anyone reads."""
    if len(text) > LONGEST_PART:
        text = f"{text[: LONGEST_PART // 2]} ... {text[-LONGEST_PART // 2 :]}"
    return "".join(item if item.isprintable() else item.encode("unicode_escape").decode() for item in text)


class WallumError(Exception):
    """One clear sentence, kept in its parts: what is wrong, where, what was expected."""

    exit_status = BAD_INPUT

    def __init__(self, what: str, where: str = "", expected: str = "") -> None:
        self.what, self.where, self.expected = plain(what), plain(where), plain(expected)
        place = f"{self.where}: " if where else ""
        hint = f" (expected {self.expected})" if expected else ""
        super().__init__(f"{place}{self.what}{hint}")

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


class ChangedProblem(ProjectProblem):
    """A file that another has written since it was read."""


class LevelProblem(WallumError, ValueError):
    """A level file that cannot be read."""


class ExportProblem(WallumError, ValueError):
    """A file that cannot be written in the asked format."""


class RendererProblem(WallumError, RuntimeError):
    """The real-time renderer failed or is missing."""


class MissingProblem(WallumError, RuntimeError):
    """Something this machine lacks."""

    exit_status = MISSING


class FaultProblem(WallumError, RuntimeError):
    """A fault of Wallum's own; its trace is in the log."""

    exit_status = FAULT
