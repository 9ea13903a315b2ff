"""Rooms of one's own as they are at a moment."""

import math

import numpy as np

from wallum.document.project import Balance
from wallum.document.sources import GROUPS, RoomSource, Source
from wallum.moment.ambient_box_light import MOST_ROOMS, RoomLight

__all__ = ["rooms_of"]


def _room(source: RoomSource, balance: Balance) -> RoomLight:
    stops = source.trim + getattr(balance, GROUPS[source.role])
    red, green, blue = (np.array(source.luminous_rgb()) * source.ambient * 2.0**stops).tolist()
    x, y, z = (0.5 * part for part in source.size)
    turn = math.radians(source.turn)
    return RoomLight(
        source.id, source.position, (x, y, z), turn, source.fade, (red, green, blue), source.mirrored
    )


def rooms_of(sources: tuple[Source, ...], balance: Balance) -> tuple[RoomLight, ...]:
    """Those that are on, and no mere boxes of probes."""
    rooms = (source for source in sources if isinstance(source, RoomSource) and source.on)
    on = [room for room in rooms if room.ambient > 0.0 or room.mirrored]
    return tuple(_room(item, balance) for item in on[:MOST_ROOMS])
