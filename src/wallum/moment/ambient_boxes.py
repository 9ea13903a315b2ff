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
    rooms = (one for one in sources if isinstance(one, RoomSource) and one.on)
    on = [one for one in rooms if one.ambient > 0.0 or one.mirrored]
    return tuple(_room(one, balance) for one in on[:MOST_ROOMS])
