"""Lamps as rows: what points, spots and other small sources give at one moment."""

from dataclasses import dataclass
from functools import cached_property
from typing import Final

import numpy as np
from numpy.typing import NDArray

from wallum.memo import FieldsAlone

__all__ = ["LAMP_ROW", "NO_LAMPS", "SCHEMA", "LampRows", "Lamps", "RowField"]


@dataclass(frozen=True)
class RowField:
    """One field of a lamp's row.

    name  : of the field
    width : how many float32 it takes
    help  : what it holds, with its unit
    light : whether it changes only how much light there is where, so that lists of cells stay
    shape : whether it changes neither what a shadow map shows nor where it lies
    """

    name: str
    width: int
    help: str
    light: bool = False
    shape: bool = False


# The one schema of lamps: the NumPy row follows from it, and `realtime.gl.lamp_schema` packs it for the
# shaders.
# All fields are float32, so that rows can be sent and compared as bytes. Lengths are in metres.
SCHEMA: Final = (
    RowField("position", 3, "middle of the body", shape=True),
    RowField("range", 1, "distance at which its light is brought to nothing; 0 for no limit"),
    RowField("emission", 3, "linear RGB in the unit of its kind: cd, cd/m2 or lx", light=True, shape=True),
    RowField("radius", 1, "of the glowing body", shape=True),
    RowField("direction", 3, "unit: what it faces, or its axis"),
    RowField(
        "cos_outer",
        1,
        "cosine of the cone about `direction` that holds its light; -1 for none, 0 for a half space",
    ),
    RowField("cos_inner", 1, "cosine of the cone that it fills evenly, for kinds that have one"),
    RowField("point", 3, "point of its body that this picture takes its light from"),
    RowField("kind", 1, "number in moment.kinds.KINDS"),
    RowField("shadow", 1, "1 where it casts shadows"),
    RowField("in_air", 1, "how strongly air shows its light; 1 is true", shape=True),
    RowField("air_shadow", 1, "1 where its shadow counts in air", shape=True),
    RowField("gobo", 1, "number in physics.gobo.PATTERNS; 0 for none", light=True, shape=True),
    RowField("gobo_open", 1, "mean share of light that its gobo lets through", light=True, shape=True),
    RowField("gobo_soft", 1, "width of the gobo's edges [repeats]", light=True, shape=True),
    RowField("gobo_at", 1, "drift of the gobo [repeats]", light=True, shape=True),
    RowField(
        "gobo_across", 3, "across the beam, as long as repeats lie in a tangent of 1", light=True, shape=True
    ),
    RowField("side", 3, "unit, across `direction`, for bodies that have a width"),
    RowField("size", 2, "width and height of the body, or its length"),
    RowField("soft", 1, "width of soft edges", shape=True),
)
LAMP_ROW: Final = np.dtype(
    [(field.name, "f4", field.width) if field.width > 1 else (field.name, "f4") for field in SCHEMA]
)
LampRows = NDArray[np.void]
# Fields that move no light between the cells of a view, and fields that change no shadow.
STRENGTH: Final = tuple(field.name for field in SCHEMA if field.light)
SHADOWLESS: Final = tuple(field.name for field in SCHEMA if field.shape)


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
