"""Strip to dark: everything that lights a level, and the project without it."""

from collections.abc import Iterable
from typing import Final

from wallum.document.project import Project
from wallum.document.sources import AmbientBoxSource, CardSource, PocketSource, Source, VeilSource, ZoneSource

__all__ = ["LEVEL_KEYS", "light_givers", "stripped"]

# What the level itself may bring of light, and the field of the project that keeps it.
LEVEL_KEYS: Final = {
    "glow": "glow",
    "unlit": "unlit",
    "vertex colours": "vertex_colours",
    "occlusion": "occlusion",
}
AIR_KEY: Final = "air"


def _dark(source: Source) -> bool:
    """Whether a source only shows the light of others."""
    dark = isinstance(source, PocketSource | VeilSource) and source.own_light <= 0.0
    dark |= isinstance(source, AmbientBoxSource) and source.ambient <= 0.0
    return dark or isinstance(source, CardSource | ZoneSource)


def light_givers(project: Project) -> list[str]:
    """Keys of what gives light at any hour: ids of sources that are on, the air, the level's own."""
    out = [source.id for source in project.sources if source.on and not _dark(source)]
    if project.air.on or project.mist.on:
        out.append(AIR_KEY)
    return out + [key for key, name in LEVEL_KEYS.items() if getattr(project.level_light, name)]


def stripped(project: Project, keys: Iterable[str]) -> Project:
    """The project without some of what lights it: sources are switched off and keep their values.

    Pegs that would switch them on again go too.
    """
    gone = set(keys)
    lit = gone | ({"mist", "screen_shafts"} if AIR_KEY in gone else set())
    sources = tuple(source.revised(on=False) if source.id in gone else source for source in project.sources)
    lanes = tuple(lane for lane in project.lanes if not (lane.name == "on" and lane.owner in lit))
    air, mist, shafts = project.air, project.mist, project.screen_shafts
    if AIR_KEY in gone:
        air, mist = air.revised(on=False), mist.revised(on=False)
        shafts = shafts.revised(on=False)
    left = {name: False for key, name in LEVEL_KEYS.items() if key in gone}
    return project.revised(
        sources=sources,
        lanes=lanes,
        air=air,
        mist=mist,
        screen_shafts=shafts,
        level_light=project.level_light.revised(**left),
    )
