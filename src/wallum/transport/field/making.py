"""The field of a level, made in small steps."""

from collections.abc import Iterator

import numpy as np
from numpy.typing import NDArray

from wallum.level.model import Level
from wallum.transport.field.bounce import Field, smoothing
from wallum.transport.field.cast import cast
from wallum.transport.field.probes import Probes, place_probes
from wallum.transport.field.rooms import find_rooms
from wallum.transport.rays import RayScene
from wallum.transport.surface_tables import SurfaceTables

__all__ = ["make_field"]

# Of the work, what placing takes.
PLACING = 0.2
# A probe that sees more backs than this lies inside a body after all.
INSIDE = 0.25


def make_field(rays: RayScene, level: Level, bounds: NDArray[np.float64]) -> Iterator[float | Field]:
    """Place probes and find what they see: gives the share that is done, and in the end
    the field; none where nothing of a level can be lit."""
    probes: Probes | None = None
    for number, made in enumerate(place_probes(rays, SurfaceTables(level, rays.triangles), bounds)):
        probes = made
        yield PLACING * min(number / 10.0, 1.0)
    if probes is None:
        return
    for seen in cast(rays, probes):
        if isinstance(seen, float):
            yield PLACING + (1.0 - PLACING) * seen
        else:
            probes = probes.without(seen.dark > INSIDE)
            yield Field(probes, seen, smoothing(probes), find_rooms(rays, probes, seen))
