"""Lamps as rows: what points, spots and other small sources give at one moment."""

from dataclasses import dataclass
from functools import cached_property
from typing import Final

import numpy as np
from numpy.typing import NDArray

from wallum.memo import FieldsAlone

__all__ = ["LAMP_ROW", "NO_LAMPS", "LampRows", "Lamps"]

# One lamp, resolved; lengths in metres. All of one width, so that rows can be sent and compared as bytes.
#   emission  : RGB of what its kind is stated in: candela, or cd/m2 for a surface
#   range     : where its light is brought to nothing; 0 for no limit
#   radius    : of the glowing body
#   direction : unit; what it faces
#   cos_outer : cosine of the cone about `direction` that its light stays in; -1 all around, 0 half of all
#   cos_inner : of the cone that it fills evenly, for kinds that have one
#   point     : of its body that light is taken from in this picture; its middle until a picture settles
#   kind      : number in wallum.moment.kinds.KINDS
#   shadow    : 1 where things stand in its way
#   in_air    : how strongly air shows its light; 1 is true
#   air_shadow: 1 where its shadow counts there
#   gobo      : number of its pattern in wallum.physics.gobo.PATTERNS; 0 for none
#   gobo_open, gobo_soft : share of light that it leaves in the mean; width of its edges [repeats]
#   gobo_at   : by which it has drifted [repeats]
#   gobo_across : across the beam, level where it is not turned; as long as repeats lie in a tangent of 1
LAMP_ROW: Final = np.dtype(
    [
        ("position", "f4", 3),
        ("range", "f4"),
        ("emission", "f4", 3),
        ("radius", "f4"),
        ("direction", "f4", 3),
        ("cos_outer", "f4"),
        ("cos_inner", "f4"),
        ("point", "f4", 3),
        ("kind", "f4"),
        ("shadow", "f4"),
        ("in_air", "f4"),
        ("air_shadow", "f4"),
        ("gobo", "f4"),
        ("gobo_open", "f4"),
        ("gobo_soft", "f4"),
        ("gobo_at", "f4"),
        ("gobo_across", "f4", 3),
    ]
)
LampRows = NDArray[np.void]
# What moves no light about: neither between cells of a view nor within a shadow.
GOBO: Final = ("gobo", "gobo_open", "gobo_soft", "gobo_at", "gobo_across")
STRENGTH: Final = ("emission", *GOBO)
SHADOWLESS: Final = ("emission", "radius", "position", "in_air", "air_shadow", *GOBO)


def _without(rows: LampRows, names: tuple[str, ...]) -> LampRows:
    out = rows.copy()
    for name in names:
        out[name] = 0.0
    return out


@dataclass(frozen=True)
class Lamps(FieldsAlone):
    """Lamps that are on.

    ids  : N source ids
    rows : (N,) of LAMP_ROW
    """

    ids: tuple[str, ...]
    rows: LampRows

    def only(self, keep: NDArray[np.bool_]) -> "Lamps":
        """The lamps where `keep` is true."""
        return Lamps(tuple(i for i, k in zip(self.ids, keep, strict=True) if k), self.rows[keep])

    @cached_property
    def casting(self) -> NDArray[np.bool_]:
        """(N,) whether things stand in each one's way."""
        return np.asarray(self.rows["shadow"] > 0.5)

    def shape_key(self) -> bytes:
        """All but strength and colour: what cells of a view their light reaches follows from it."""
        return _without(self.rows, STRENGTH).tobytes()

    def shadow_keys(self) -> list[bytes]:
        """Of each lamp, what its shadow follows from."""
        rows = _without(self.rows, SHADOWLESS)
        return [row.tobytes() for row in rows]

    @property
    def numbers(self) -> NDArray[np.intp]:
        """(N,) numbers of their kinds."""
        return np.asarray(self.rows["kind"].astype(np.intp))


NO_LAMPS: Final = Lamps((), np.zeros(0, LAMP_ROW))
