"""Names of sources that no other source has."""

from wallum.document.project import Project

__all__ = ["free_name"]


def free_name(project: Project, name: str) -> str:
    """A name like another that no source has: `Gate Lamp` becomes Gate Lamp 2."""
    taken = {source.name for source in project.resolved_sources}
    head, _, tail = name.rpartition(" ")
    stem = head if head and tail.isdigit() else name
    number = 2
    while f"{stem} {number}" in taken:
        number += 1
    return f"{stem} {number}"
