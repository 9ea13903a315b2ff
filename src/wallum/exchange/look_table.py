"""A whole look as one table of colours, for programs that take no more."""

from pathlib import Path
from typing import Final

import numpy as np

from wallum.image.chain import displayed
from wallum.level.importers.images.cube_file import write_cube
from wallum.moment.resolved_look import ResolvedLook
from wallum.physics.arrays import Floats
from wallum.physics.colour_table import STOPS_ABOVE, STOPS_BELOW, ColourTable, shaped, unshaped
from wallum.physics.exposure import MID_GREY
from wallum.physics.tone import srgb_encode

__all__ = ["SIZES", "look_table", "write_look"]

SIZES: Final = (17, 33, 65)
# Colours between entries that the table is held against the chain at.
HELD_AGAINST: Final = 100_000


def look_table(look: ResolvedLook, size: int) -> tuple[ColourTable, float, float]:
    """White balance, grade, curve and table of a look as a cube that takes light by stops and gives sRGB; and
    how far from them it is at most, and in the mean, over colours of every kind [8-bit steps]: most where a
    strong colour leaves what a screen can show. Raises ValueProblem for a table's file."""
    share = np.linspace(0.0, 1.0, size)
    grid = np.stack(np.meshgrid(share, share, share, indexing="ij"), axis=-1)
    table = ColourTable(_encoded(unshaped(grid), look).astype(np.float32))
    values = unshaped(np.random.default_rng(1).random((HELD_AGAINST, 3)))
    off = np.abs(table(shaped(values)) - _encoded(values, look)).max(axis=1) * 255.0
    return table, float(off.max()), float(off.mean())


def _encoded(values: Floats, look: ResolvedLook) -> Floats:
    return srgb_encode(displayed(values, look))


def write_look(path: Path, look: ResolvedLook, size: int, name: str) -> tuple[float, float]:
    """Write a look as a .cube file; returns its errors, as `look_table`. Raises ExportProblem, and
    ValueProblem for a table's file."""
    table, largest, mean = look_table(look, size)
    takes = (
        f"Takes picture values by stops: (log2(value / {MID_GREY:g}) + {STOPS_BELOW:g}) / "
        f"{STOPS_BELOW + STOPS_ABOVE:g}, each channel of linear sRGB"
    )
    left = "Gives sRGB, encoded. Left out: exposure, bloom, lens, grain, the eye at night, dither"
    off = f"Off the look by {mean:.2f} of 255 in the mean over all colours, at most {largest:.1f}"
    write_cube(path, table, name.replace('"', "'"), [takes, left, off])
    return largest, mean
