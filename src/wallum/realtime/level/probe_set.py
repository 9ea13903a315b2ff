"""Probes as the renderer takes them: where they lie, and light that each source of strength 1 gives them."""

from dataclasses import dataclass
from typing import TYPE_CHECKING

import numpy as np
from numpy.typing import NDArray

if TYPE_CHECKING:  # the renderer's process starts faster without rays
    from wallum.transport.field.bounce import Field, Unit

__all__ = ["MOST_IMAGES", "MirrorPlaces", "ProbeSet", "Units", "probe_set", "units_of"]

# By source id, (N, 3) light for a strength of 1, see moment.bounce_gains.
Units = dict[str, NDArray[np.float16]]


# Images of a level, those of the artist's rooms among them: what four bits can number, beside none.
MOST_IMAGES = 15


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
class ProbeSet:
    """N probes: see transport.field.probes. sky : (N, 4) mean way to what is seen of the sky, its share

    of_room : (N,) the number, from 1 on, of that of `mirrors` that each sees best; 0: none
    """

    low: tuple[float, float, float]
    step: float
    cells: NDArray[np.uint32]
    planes: NDArray[np.float32]
    links: NDArray[np.int32]
    sky: NDArray[np.float32]
    places: NDArray[np.float32]
    goes_on: NDArray[np.bool_]
    of_room: NDArray[np.uint8]
    mirrors: MirrorPlaces
    of: int = 0  # tells sets apart within one process


def probe_set(made: "Field") -> ProbeSet:
    """The probes of a field."""
    probes, seen = made.probes, made.seen
    x, y, z = (float(v) for v in probes.low)
    share = seen.sky.sum(axis=1, keepdims=True)
    sky = made.smooth @ np.concatenate([seen.toward, share], axis=1)
    shown = (probes.cells, probes.planes, probes.links, sky.astype(np.float32), probes.places, probes.goes_on)
    rooms = made.rooms
    mirrors = MirrorPlaces(rooms.eyes, rooms.low, rooms.high, rooms.roofed)
    return ProbeSet((x, y, z), probes.step, *shown, rooms.of, mirrors, id(made))


def units_of(units: "dict[str, Unit]") -> Units:
    """Light by source in half the precision, each about its own greatest."""
    return {key: np.minimum(one.light, 60_000.0).astype(np.float16) for key, one in units.items()}
