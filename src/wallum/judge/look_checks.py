"""What is wrong with a look."""

from collections.abc import Iterator
from pathlib import Path

from wallum.document.project import Project
from wallum.errors import ValueProblem
from wallum.judge.findings import Finding
from wallum.level.cube_file import read_cube

__all__ = ["table_unread"]


def table_unread(project: Project) -> Iterator[Finding]:
    """A table that is chosen but cannot be read: the picture is shown without it."""
    if project.look.table:
        try:
            read_cube(Path(project.look.table))
        except ValueProblem as problem:
            yield Finding("table not read", "look/table", "warning", f"{problem}: choose another, or none")
