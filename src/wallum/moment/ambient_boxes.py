"""Rooms of one's own as they are at a moment."""

import math

import numpy as np

from wallum.document.project import Balance
from wallum.document.sources import GROUPS, AmbientBoxSource, Source
from wallum.moment.ambient_box_light import MAX_ROOMS, AmbientBoxLight

__all__ = ["rooms_of"]


def _room(source: AmbientBoxSource, balance: Balance) -> AmbientBoxLight:
    stops = source.trim + getattr(balance, GROUPS[source.role])
    red, green, blue = (np.array(source.luminous_rgb()) * source.ambient * 2.0**stops).tolist()
    x, y, z = (0.5 * part for part in source.size)
    turn = math.radians(source.turn)
    return AmbientBoxLight(
        source.id, source.position, (x, y, z), turn, source.fade, (red, green, blue), source.mirrored
    )


def rooms_of(sources: tuple[Source, ...], balance: Balance) -> tuple[AmbientBoxLight, ...]:
    """Those that are on, and no mere boxes of probes."""
    rooms = (source for source in sources if isinstance(source, AmbientBoxSource) and source.on)
    on = [room for room in rooms if room.ambient > 0.0 or room.mirrored]
    return tuple(_room(item, balance) for item in on[:MAX_ROOMS])
