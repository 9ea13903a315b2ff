"""How light that comes back from surfaces, and the sky's, is shown: chosen, or as far as a tier goes."""

from wallum.document.look import INDIRECT, Indirect
from wallum.document.paths import put
from wallum.document.project import Project

__all__ = ["at_most", "with_indirect"]


def with_indirect(project: Project, way: Indirect) -> Project:
    """The project with light from all around shown a way."""
    return put(project, "look/indirect", way)


def at_most(project: Project, way: str) -> Project:
    """The same, unless it is shown by less than that already; baked light costs any tier little."""
    if project.look.indirect == "lightmaps" and way != "none":
        return project
    fits = [item for item in INDIRECT if item == way]
    return with_indirect(project, max(project.look.indirect, *fits, key=INDIRECT.index))
