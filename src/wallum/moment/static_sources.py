"""Which sources of a project are baked."""

from wallum.document.project import Project
from wallum.document.sources import Lamp
from wallum.moment.bounce_gains import glow_of

__all__ = ["still_ids"]


def still_ids(project: Project) -> frozenset[str]:
    """Ids of the sources whose light is baked; glow with the lamp that it follows."""
    sources = project.resolved_sources
    still = {source.id for source in sources if source.baked == "still"}
    lamps = {source.id for source in sources if isinstance(source, Lamp)}
    return frozenset(still | {glow_of("")} | {glow_of(lamp) for lamp in still & lamps})
