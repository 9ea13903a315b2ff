"""Probes as the renderer takes them: where they lie, and light that each source of strength 1 gives them."""

from dataclasses import dataclass
from typing import TYPE_CHECKING

import numpy as np
from numpy.typing import NDArray

from wallum.physics.arrays import as_half

if TYPE_CHECKING:  # the renderer's process starts faster without rays
    from wallum.transport.field.bounce import Field, UnitResponse

__all__ = [
    "MAX_IMAGES",
    "MAX_LIGHT",
    "AirPlaces",
    "MirrorPlaces",
    "ProbeSet",
    "UnitResponses",
    "probe_set",
    "units_of",
]

# By source id, (N + 2 A, 3) light of probes, of what the air sees, and whence that comes, for a strength of
# 1: see moment.bounce_gains, and transport.field.bounce.UnitResponse.
UnitResponses = dict[str, NDArray[np.float16]]


# Half floats end a little later.
MAX_LIGHT = 60_000.0
# Images of a level, those of the artist's rooms among them: what four bits can number, beside none.
MAX_IMAGES = 15


@dataclass(frozen=True)
class MirrorPlaces:
    """M places that mirror images are taken at: see transport.field.rooms."""

    eyes: NDArray[np.float32]
    low: NDArray[np.float32]
    high: NDArray[np.float32]
    roofed: NDArray[np.bool_]

    def __len__(self) -> int:
        return len(self.eyes)


@dataclass(frozen=True)
class AirPlaces:
    """What the air about A places of a grid sees: see transport.field.air."""

    values: NDArray[np.float16]
    sky: NDArray[np.float16]
    low: tuple[float, float, float]
    step: tuple[float, float, float]
    there: NDArray[np.bool_]
    parted: NDArray[np.int32]


@dataclass(frozen=True)
class ProbeSet:
    """N probes: see transport.field.probes.

    sky      : (N, 4) mean way to what is seen of the sky, its share
    sky_seen : (N, P) how much of each of its parts, see transport.field.sky_parts
    of_room  : (N,) the number, from 1 on, of that of `mirrors` that each sees best; 0: none
    """

    low: tuple[float, float, float]
    step: float
    cells: NDArray[np.uint32]
    parts: NDArray[np.uint32]
    planes: NDArray[np.float32]
    links: NDArray[np.int32]
    sky: NDArray[np.float32]
    places: NDArray[np.float32]
    goes_on: NDArray[np.bool_]
    of_room: NDArray[np.uint8]
    mirrors: MirrorPlaces
    sky_seen: NDArray[np.float16]
    air: AirPlaces | None = None
    of: int = 0  # tells sets apart within one process


def probe_set(made: "Field") -> ProbeSet:
    """The probes of a field."""
    probes, seen = made.probes, made.seen
    x, y, z = (float(v) for v in probes.low)
    sky_seen = np.asarray(made.smooth @ seen.sky, np.float16)
    sky = np.concatenate([made.smooth @ seen.toward, sky_seen.sum(axis=1, keepdims=True)], axis=1)
    cells = probes.cells, probes.parts, probes.planes, probes.links
    shown = sky.astype(np.float32), probes.places, probes.goes_on
    rooms = made.rooms
    mirrors = MirrorPlaces(rooms.eyes, rooms.low, rooms.high, rooms.roofed)
    air = None
    if made.air is not None:
        (a, b, c), (d, e, f) = made.air.low.tolist(), made.air.step.tolist()
        air = AirPlaces(made.air.values, made.air.sky, (a, b, c), (d, e, f), made.air.there, made.air.parted)
    return ProbeSet((x, y, z), probes.step, *cells, *shown, rooms.of, mirrors, sky_seen, air, id(made))


def units_of(units: "dict[str, UnitResponse]") -> UnitResponses:
    """Light by source in half the precision, each about its own greatest."""
    rows = {key: np.concatenate([unit.light, unit.air, unit.ways]) for key, unit in units.items()}
    return {key: as_half(np.clip(row, -MAX_LIGHT, MAX_LIGHT)) for key, row in rows.items()}
