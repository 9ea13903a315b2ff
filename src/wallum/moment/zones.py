"""Zones as a camera stands in them: how far each counts, and what the picture has of them."""

import math
from dataclasses import dataclass
from functools import lru_cache
from typing import Any, Final

import numpy as np
from numpy.typing import NDArray

from wallum.document.air import AirValues
from wallum.document.fields import declared, unchecked
from wallum.document.look import Look
from wallum.document.picture_values import EFFECTS, PictureValues
from wallum.document.project import Project
from wallum.document.sources import SkySource, Source, ZoneSource
from wallum.physics.arrays import Floats
from wallum.physics.frames import along_sides

__all__ = ["ActiveZone", "in_force", "share_of", "zoned"]

NEUTRAL: Final = Look()


@dataclass(frozen=True)
class ActiveZone:
    """A zone that counts where a camera stands. share : 0 to 1"""

    zone: ZoneSource
    share: float


def share_of(zone: ZoneSource, points: Floats) -> NDArray[np.float64]:
    """(N,) how far a zone counts at places (N, 3): 1 within, 0 from its blend distance outside on."""
    places = np.asarray(points, np.float64).reshape(-1, 3)
    if zone.shape == "everywhere":
        return np.ones(len(places))
    local = along_sides(places, np.array(zone.position), math.radians(zone.turn))
    half = 0.5 * np.array(zone.size)
    if zone.shape == "box":
        outside = np.linalg.norm(np.maximum(np.abs(local) - half, 0.0), axis=1)
    else:
        # Along the ray from its middle: what lies beyond its surface.
        times = np.linalg.norm(local / half, axis=1)
        outside = np.linalg.norm(local, axis=1) * np.maximum(1.0 - 1.0 / np.maximum(times, 1e-9), 0.0)
    t = np.clip(1.0 - outside / max(zone.blend, 1e-6), 0.0, 1.0)
    return np.asarray(t * t * (3.0 - 2.0 * t))


def in_force(sources: tuple[Source, ...], eye: Floats) -> tuple[ActiveZone, ...]:
    """The zones that count for a camera at a place (3,), the one with the last word last."""
    zones = [source for source in sources if isinstance(source, ZoneSource) and source.on]
    shares = ((zone, float(share_of(zone, eye)[0])) for zone in sorted(zones, key=lambda item: item.rank))
    return tuple(ActiveZone(zone, share) for zone, share in shares if share > 0.0)


@lru_cache(maxsize=4)
def _by_factor() -> frozenset[str]:
    """Values that go from one to another by a factor."""
    return frozenset(name for name, info in declared(PictureValues).items() if info.scale == "log")


def _between(name: str, a: Any, b: Any, share: float) -> Any:
    if isinstance(a, tuple):
        return tuple(item + (other - item) * share for item, other in zip(a, b, strict=True))
    if name in _by_factor():
        return float(a * (b / a) ** share)
    return a + (b - a) * share


def _look(look: Look, zones: tuple[ActiveZone, ...]) -> Look:
    """The look with what the zones have of their own."""
    changes: dict[str, Any] = {}
    for zone in zones:
        for switch in zone.zone.effects:
            off = not changes.get(switch, getattr(look, switch))
            changes[switch] = True
            for name in EFFECTS[switch]:
                before = changes.get(name, getattr(NEUTRAL if off else look, name))
                changes[name] = _between(name, before, getattr(zone.zone, name), zone.share)
    stops = _stops("exposure", zones)
    if stops:
        changes |= {"compensation": look.compensation + stops, "ev100": look.ev100 - stops}
    return unchecked(look, changes) if changes else look


def _stops(name: str, zones: tuple[ActiveZone, ...]) -> float:
    """What of it the zones ask for; one that asks for nothing has no say."""
    out = 0.0
    for zone in zones:
        asked = float(getattr(zone.zone, name))
        out += (asked - out) * zone.share if asked else 0.0
    return out


def _thicker(layer: Any, stops: float) -> Any:
    assert isinstance(layer, AirValues)
    return unchecked(layer, {"visibility": layer.visibility * 2.0**-stops})


def zoned(now: Project, eye: Floats) -> Project:
    """A project as it is at a moment, as a camera at a place (3,) has it by the zones that it stands in."""
    zones = in_force(now.sources, eye)
    if not zones:
        return now
    changes: dict[str, Any] = {"look": _look(now.look, zones)}
    air, sky = _stops("air", zones), _stops("sky", zones)
    if air:
        changes |= {"air": _thicker(now.air, air), "mist": _thicker(now.mist, air)}
    if sky:
        changes["sources"] = tuple(
            unchecked(source, {"trim": source.trim + sky}) if isinstance(source, SkySource) else source
            for source in now.sources
        )
    return unchecked(now, changes)
