"""Pockets of other air as they are at a moment."""

import math

import numpy as np

from wallum.document.project import Balance
from wallum.document.sources import GROUPS, PocketSource, Source
from wallum.document.sources.drifting import Drifting
from wallum.moment.moment import Moment
from wallum.physics.medium import extinction_for
from wallum.physics.pocket import MAX_POCKETS, Pocket

__all__ = ["drifted", "pockets_of"]


def drifted(source: Drifting, moment: Moment) -> tuple[float, float, float]:
    """By which its noise has moved on since midnight [m]."""
    gone, toward = source.drift * moment.clock * 3600.0, math.radians(source.drifts_to)
    return gone * math.sin(toward), 0.0, -gone * math.cos(toward)


def _pocket(source: PocketSource, moment: Moment, balance: Balance) -> Pocket:
    stops = source.trim + getattr(balance, GROUPS[source.role])
    own = np.array(source.luminous_rgb()) * source.own_light * 2.0**stops
    red, green, blue = own.tolist()
    x, y, z = (0.5 * part for part in source.size)
    return Pocket(
        id=source.id,
        centre=source.position,
        half=(x, y, z),
        turn_rad=math.radians(source.turn),
        box=source.shape == "box",
        extinction=extinction_for(source.visibility),
        albedo=source.scattering,
        forwardness=source.forwardness,
        own=(red, green, blue),
        edge=source.edge,
        contrast=source.noise,
        grain_m=source.noise_size,
        drifted=drifted(source, moment),
    )


def pockets_of(sources: tuple[Source, ...], moment: Moment, balance: Balance) -> tuple[Pocket, ...]:
    """The pockets that are on."""
    on = [source for source in sources if isinstance(source, PocketSource) and source.on]
    return tuple(_pocket(item, moment, balance) for item in on[:MAX_POCKETS])
