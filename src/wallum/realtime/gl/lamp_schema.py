"""Layout of a lamp in the buffers that shaders read: one table, for the packing and for the names in GLSL.

A lamp is ROWS vectors of four floats, which shaders read by `lamp_row(lamp, NAME)`. They are no struct: a
driver
names each member of each lamp of a block, which takes longer than all else that it does to a program.
"""

from collections.abc import Callable
from dataclasses import dataclass
from typing import TYPE_CHECKING, Final

import numpy as np
from numpy.typing import NDArray

from wallum.moment.lamps import LampRows
from wallum.physics.arrays import Floats

if TYPE_CHECKING:
    from wallum.realtime.passes.shadows.lamp_shadows import Tile

__all__ = ["LAMP_WORDS", "PACKED", "PackedRow", "glsl_constants", "pack_lamps"]

NO_TILE: Final = -1.0


@dataclass(frozen=True)
class Packing:
    """What the packing takes beside the rows.

    exposure : factor of the emission
    tiles    : shadow tiles of each lamp, or None for a lamp without
    """

    exposure: float
    tiles: "list[Tile | None]"


@dataclass(frozen=True)
class PackedRow:
    """Four floats of a lamp: the name of their row in GLSL, and the parts that fill them in order.

    Each part makes (N,) or (N, k) values of the rows; all parts together have four columns at most.
    """

    name: str
    help: str
    parts: tuple[Callable[[LampRows, Packing], Floats], ...]


def _field(name: str) -> Callable[[LampRows, Packing], Floats]:
    return lambda rows, _: rows[name]


def _inverse_range_squared(rows: LampRows, _: Packing) -> Floats:
    reach = rows["range"].astype(np.float64)
    return np.where(reach > 0.0, 1.0 / np.maximum(reach, 1e-6) ** 2, 0.0).astype(np.float32)


def _ramp_scale(rows: LampRows) -> Floats:
    return 1.0 / np.maximum(rows["cos_inner"] - rows["cos_outer"], 1e-4)


def _ramp_offset(rows: LampRows, _: Packing) -> Floats:
    return np.where(rows["cos_outer"] > -1.0, -rows["cos_outer"] * _ramp_scale(rows), 1.0)


def _ramp(rows: LampRows, _: Packing) -> Floats:
    return np.where(rows["cos_outer"] > -1.0, _ramp_scale(rows), 0.0)


def _first_tile(_: LampRows, packing: Packing) -> Floats:
    return np.array([NO_TILE if tile is None else tile.first for tile in packing.tiles], np.float32)


def _single_tile(_: LampRows, packing: Packing) -> Floats:
    return np.array([tile is not None and tile.count == 1 for tile in packing.tiles], np.float32)


def _texel(_: LampRows, packing: Packing) -> Floats:
    return np.array([0.0 if tile is None else tile.texel for tile in packing.tiles], np.float32)


def _in_air(rows: LampRows, _: Packing) -> Floats:
    return np.where(rows["air_shadow"] > 0.5, rows["in_air"], -rows["in_air"])


PACKED: Final = (
    PackedRow(
        "LAMP_POSITION_RADIUS2",
        "middle of the body [m]; its radius squared [m2]",
        (_field("position"), lambda rows, _: np.maximum(rows["radius"] ** 2, 1e-6)),
    ),
    PackedRow(
        "LAMP_EMISSION_RANGE",
        "pre-exposed RGB in the unit of the kind; 1 / range^2, 0 for no limit",
        (lambda rows, packing: rows["emission"] * packing.exposure, _inverse_range_squared),
    ),
    PackedRow(
        "LAMP_DIRECTION_OFFSET",
        "unit direction; offset of the cone's ramp",
        (_field("direction"), _ramp_offset),
    ),
    PackedRow(
        "LAMP_CONE",
        "scale of the ramp; first shadow tile or -1; 1 for a single tile; width of a texel at 1 m",
        (_ramp, _first_tile, _single_tile, _texel),
    ),
    PackedRow(
        "LAMP_POINT",
        "point of the body that this picture takes light from; strength in air, below 0 without a "
        "shadow there",
        (_field("point"), _in_air),
    ),
    PackedRow(
        "LAMP_GOBO",
        "pattern, 0 for none; mean share that it lets through; width of its edges [repeats]; width of "
        "soft edges [m]",
        (_field("gobo"), _field("gobo_open"), _field("gobo_soft"), _field("soft")),
    ),
    PackedRow(
        "LAMP_GOBO_ACROSS",
        "across the beam, as long as repeats lie in a tangent of 1; drift [repeats]",
        (_field("gobo_across"), _field("gobo_at")),
    ),
    PackedRow("LAMP_SIDE_WIDTH", "unit, across the direction; width or length [m]",
        (_field("side"), lambda rows, _: rows["size"][:, 0])),
    PackedRow("LAMP_HEIGHT", "height [m]", (lambda rows, _: rows["size"][:, 1],)),
)  # fmt: skip
ROW_WORDS: Final = 4
# Floats of one lamp.
LAMP_WORDS: Final = ROW_WORDS * len(PACKED)


def glsl_constants() -> dict[str, str]:
    """Names of the rows in GLSL, and how many there are, by what they stand for."""
    rows = {row.name: f"{number}u" for number, row in enumerate(PACKED)}
    return {**rows, "LAMP_ROWS": f"{len(PACKED)}u"}


def pack_lamps(rows: LampRows, exposure: float, tiles: "list[Tile | None]") -> NDArray[np.float32]:
    """(N, LAMP_WORDS) rows of lamps as the shaders read them; one row of zeros where there are none."""
    out = np.zeros((max(len(rows), 1), LAMP_WORDS), np.float32)
    if not len(rows):
        return out
    packing = Packing(exposure, tiles)
    for number, row in enumerate(PACKED):
        column = ROW_WORDS * number
        for part in row.parts:
            values = part(rows, packing)
            width = values.shape[1] if values.ndim > 1 else 1
            out[:, column : column + width] = values.reshape(len(rows), width)
            column += width
    return out
