"""Which sources of a project are baked."""

from wallum.document.project import Project
from wallum.document.sources import Lamp
from wallum.moment.bounce_gains import glow_of

__all__ = ["still_ids"]


def still_ids(project: Project) -> frozenset[str]:
    """Ids of the sources whose light is baked; glow with the lamp that it follows."""
    sources = project.resolved_sources
    still = {one.id for one in sources if one.baked == "still"}
    lamps = {one.id for one in sources if isinstance(one, Lamp)}
    return frozenset(still | {glow_of("")} | {glow_of(one) for one in still & lamps})
