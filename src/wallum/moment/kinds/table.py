"""The table of kinds, and rows made with it."""

from collections.abc import Iterator
from struct import Struct
from typing import TYPE_CHECKING, Final

import numpy as np
from numpy.typing import NDArray

from wallum.moment.kinds.beam import Beam
from wallum.moment.kinds.kind import Kind
from wallum.moment.kinds.panel import Panel
from wallum.moment.kinds.punctual import Point, Spot
from wallum.moment.kinds.tube import Tube
from wallum.moment.lamps import LAMP_ROW, LampRows, Lamps

if TYPE_CHECKING:  # the renderer's process starts faster without the document
    from wallum.document.sources import Lamp

__all__ = ["KINDS", "SHADERS", "by_kind", "kind_of", "parts_of", "row_of", "shader_numbers", "tiles_of"]

# A row's `kind` is the place of its entry here. New ones go to the end.
KINDS: Final[tuple[Kind, ...]] = (Point(), Spot(), Panel(), Tube(), Beam())
# Their shaders, each once; lamps that share one are listed together.
SHADERS: Final = tuple(dict.fromkeys(kind.shader for kind in KINDS))
_NAMES: Final = tuple(LAMP_ROW.names or ())
_PACKED: Final = Struct(f"={LAMP_ROW.itemsize // 4}f")
_NUMBERS: Final = {kind.name: number for number, kind in enumerate(KINDS)}
# What a row holds of features that its lamp does not have.
_DEFAULTS: Final = {
    "gobo": 0.0, "gobo_open": 1.0, "gobo_soft": 0.0, "gobo_at": 0.0, "gobo_across": (0.0,) * 3,
    "side": (0.0,) * 3, "size": (0.0, 0.0), "soft": 0.0,
}  # fmt: skip


def shader_numbers(rows: LampRows) -> NDArray[np.intp]:
    """(N,) the place of each row's shader in SHADERS."""
    of = np.array([SHADERS.index(kind.shader) for kind in KINDS], dtype=np.intp)
    return of[rows["kind"].astype(np.intp)]


def tiles_of(lamps: Lamps) -> NDArray[np.intp]:
    """(N,) shadow tiles that each lamp takes, where it casts."""
    return np.array([kind.tiles for kind in KINDS], dtype=np.intp)[lamps.numbers]


def kind_of(row: np.void) -> Kind:
    """The entry of one row."""
    return KINDS[int(row["kind"])]


def parts_of(lamps: Lamps) -> Iterator[tuple[Kind, LampRows]]:
    """Each kind that is there, with its rows."""
    for kind, numbers in by_kind(lamps.rows):
        yield kind, lamps.rows[numbers]


def by_kind(rows: LampRows) -> Iterator[tuple[Kind, NDArray[np.intp]]]:
    """Each kind that is there, and the numbers of its rows."""
    numbers = rows["kind"].astype(np.intp)
    for number, kind in enumerate(KINDS):
        own = np.flatnonzero(numbers == number)
        if len(own):
            yield kind, own


def row_of(lamp: "Lamp") -> bytes:
    """A lamp of the document, as it is set, as the bytes of a row of LAMP_ROW: made for each lamp of a
    lane at each moment, and several times as fast as by the fields of an array."""
    strength = lamp.strength * 2.0**lamp.trim
    number = _NUMBERS[lamp.word]
    values = {
        "position": lamp.position,
        "range": lamp.range,
        "emission": tuple(part * strength for part in lamp.luminous_rgb()),
        "radius": lamp.radius,
        "point": lamp.position,
        "kind": number,
        "shadow": lamp.shadow,
        "in_air": lamp.in_air,
        "air_shadow": lamp.air_shadow,
        **_DEFAULTS,
        **KINDS[number].own_values(lamp),
    }
    flat: list[float] = []
    for name in _NAMES:
        value = values[name]
        if isinstance(value, tuple):
            flat.extend(value)
        else:
            flat.append(value)
    return _PACKED.pack(*flat)
