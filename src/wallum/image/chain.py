"""From picture values to display values: white balance, grade, tone curve, table, in this order.
Twin of realtime/shaders/develop.frag.glsl; what depends on the place in the picture is not here."""

from pathlib import Path

import numpy as np
from numpy.typing import NDArray

from wallum.level.importers.images.cube_file import read_cube
from wallum.moment.resolved_look import ResolvedLook
from wallum.physics.arrays import Floats
from wallum.physics.colour_table import shaped
from wallum.physics.grade import NEUTRAL_GRADE, balance_matrix
from wallum.physics.tone import srgb_decode, srgb_encode

__all__ = ["displayed", "graded"]


def graded(values: Floats, look: ResolvedLook) -> NDArray[np.float64]:
    """(..., 3) picture values, balanced and graded [-]."""
    x = np.asarray(values, np.float64)
    if look.white is not None:
        x = np.maximum(x @ balance_matrix(*look.white).T, 0.0)
    return x if look.grade == NEUTRAL_GRADE else look.grade(x)


def displayed(values: Floats, look: ResolvedLook) -> NDArray[np.float64]:
    """(..., 3) picture values to display-linear ones, 0 to 1. Raises ValueProblem for a table's file."""
    x = graded(values, look)
    shown = look.curve(x)
    if look.table is None:
        return shown
    table, strength = read_cube(Path(look.table.file)), look.table.strength
    if look.table.on == "linear":
        return np.asarray(shown + (np.clip(table(shown), 0.0, 1.0) - shown) * strength)
    encoded = srgb_encode(shown)
    taken = table(shaped(x) if look.table.on == "log" else encoded)
    return np.asarray(srgb_decode(encoded + (np.clip(taken, 0.0, 1.0) - encoded) * strength))
