"""What a picture has to do, counted: pixels, lights on pixels, triangles and texels of shadows.

Counted by the passes' own descriptions (wallum.frame), from the scene itself and a coarse look at what
the camera sees, so that the same counts stand for any device and any size of picture.
"""

from dataclasses import dataclass, field, replace

from wallum.frame.order import PASSES
from wallum.frame.pass_work import Counts, PassWork
from wallum.moment.baked import fixed_ids
from wallum.moment.scene import AIR_ID, SCREEN_ID
from wallum.transport.field.baked_light import BakedLight

__all__ = ["Work", "count_work", "with_baked"]


@dataclass
class Work:
    """Counts by pass; by source the pixels that it lights and what its shadow draws.

    lamps_per_pixel, shadowed_per_pixel : the most lamps that reach one pixel, and of those with shadow
    shadow_bytes : memory that all shadow maps take; baked_bytes : that baked light does
    """

    passes: dict[str, Counts]
    sources: dict[str, dict[str, Counts]] = field(default_factory=dict)
    lamps_per_pixel: int = 0
    shadowed_per_pixel: int = 0
    shadow_bytes: float = 0.0
    baked_bytes: float = 0.0


def with_baked(asked: PassWork, baked: BakedLight | None) -> PassWork:
    """The same of a picture that shows baked light, where its scene asks for that: what is baked with all its
    light is not drawn on surfaces any more."""
    scene = asked.scene
    if baked is None or scene.still is None:
        return asked
    ids = baked.ids & scene.still
    fixed = fixed_ids(scene, ids) if baked.straight else frozenset()
    share = baked.share_of(asked.seen.triangle)
    return replace(asked, scene=scene.without(fixed), baked=share, held_bytes=baked.held_bytes)


def count_work(asked: PassWork) -> Work:
    """What a picture of a scene has to do."""
    scene = asked.scene
    there = (*scene.lamps.ids, *(item.id for item in (scene.sky, scene.sun) if item is not None))
    if scene.air is not None:
        there = (*there, AIR_ID, *(pocket.id for pocket in scene.air.pockets))
    there = (
        *there,
        *(card.id for card in scene.cards),
        *(room.id for room in scene.rooms),
        *((SCREEN_ID,) if scene.screen is not None else ()),
    )
    work = Work({}, {source_id: {} for source_id in there}, baked_bytes=asked.held_bytes)
    for pass_ in PASSES:
        counted = pass_.count(asked)
        if counted is None:
            continue
        work.passes[pass_.name] = counted.whole
        work.shadow_bytes += counted.shadow_bytes
        for source_id, own in counted.sources.items():
            work.sources[source_id][pass_.name] = own
    if asked.reached.size:
        casting = scene.lamps.casting
        work.lamps_per_pixel = int(asked.reached.sum(axis=0).max())
        work.shadowed_per_pixel = int(asked.reached[casting].sum(axis=0).max()) if casting.any() else 0
    return work
