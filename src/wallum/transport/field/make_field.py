"""The field of a level, made in small steps."""

from collections.abc import Iterator
from dataclasses import replace

import numpy as np
from numpy.typing import NDArray

from wallum.level.model.model import Level
from wallum.moment.probe_boxes import ProbeBox
from wallum.transport.field.bounce import Field, smoothing
from wallum.transport.field.cast import FEW_RAYS, cast
from wallum.transport.field.open_air import look_about
from wallum.transport.field.placing import place_probes
from wallum.transport.field.probes import Probes
from wallum.transport.field.rooms import find_rooms, no_rooms
from wallum.transport.scene.rays import RayScene
from wallum.transport.scene.surface_tables import SurfaceTables

__all__ = ["make_field"]

# Of the work, where placing ends, and where all rays but those of the air are cast.
PLACED, CAST = 0.2, 0.9
# A probe that sees more backs than this lies inside a body after all.
INSIDE = 0.25


def make_field(
    rays: RayScene, level: Level, bounds: NDArray[np.float64], boxes: tuple[ProbeBox, ...] = ()
) -> Iterator[float | Field]:
    """Place probes and find what they see: gives the share that is done, a field of few rays as soon as it
    can, and in the end the one to keep; none where nothing of a level can be lit.

    boxes : where the artist wants probes closer, or none
    """
    placed: Probes | None = None
    tables = SurfaceTables(level, rays.triangles)
    for number, probe in enumerate(place_probes(rays, tables, bounds, boxes)):
        placed = probe
        yield PLACED * min(number / 10.0, 1.0)
    if placed is None:
        return
    for few in cast(rays, tables, placed, FEW_RAYS):
        if not isinstance(few, float):
            probes = placed.without(few.dark > INSIDE)
            yield Field(probes, few, smoothing(probes), no_rooms(probes))
    for seen in cast(rays, tables, placed):
        if isinstance(seen, float):
            yield PLACED + (CAST - PLACED) * seen
            continue
        probes = placed.without(seen.dark > INSIDE)
        built = Field(probes, seen, smoothing(probes), find_rooms(rays, probes, seen))
        for air in look_about(rays, probes, bounds):
            if isinstance(air, float):
                yield CAST + (1.0 - CAST) * air
            else:
                yield replace(built, air=air)
