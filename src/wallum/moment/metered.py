"""The exposure that a picture's own light asks for, by cells."""

from typing import Final

import numpy as np
from numpy.typing import NDArray

from wallum.moment.resolved_look import Metering
from wallum.physics.arrays import Floats
from wallum.physics.colour import luminance
from wallum.physics.exposure import metered_ev

__all__ = ["CELLS", "centre_weights", "metered_cells", "metered_picture"]

# Cells across and down that a picture is metered in.
CELLS: Final = (64, 36)
# Spread of the centre's weight, as a share of half the picture.
CENTRE_SPREAD = 0.45


def centre_weights() -> NDArray[np.float64]:
    """(36, 64) weights that fall off from the middle."""
    x = (np.arange(CELLS[0]) + 0.5) / CELLS[0] * 2.0 - 1.0
    y = (np.arange(CELLS[1]) + 0.5) / CELLS[1] * 2.0 - 1.0
    return np.exp(-0.5 * (x[None, :] ** 2 + y[:, None] ** 2) / CENTRE_SPREAD**2)


def metered_cells(
    cells: Floats, metering: Metering, heroes: Floats | None = None, lit_alone: bool = False
) -> float:
    """Exposure for the mean luminance of cells (36, 64), top row first [EV100].

    heroes    : (36, 64) how much of each cell is a hero; without any, the centre counts
    lit_alone : where a picture shows a part of its light, cells with none of it tell nothing
    """
    weights = centre_weights()
    if metering.weighted == "whole":
        weights = np.ones_like(weights)
    elif metering.weighted == "heroes" and heroes is not None and heroes.any():
        weights = heroes.astype(np.float64)
    if lit_alone and cells.max() > 0.0:
        weights = weights * (cells > 0.0)
    how = metering.compensation, metering.clips, metering.limits, metering.darker
    return metered_ev(cells.ravel(), weights.ravel(), *how)


def metered_picture(light: Floats, metering: Metering, heroes: Floats | None = None) -> float:
    """Exposure for a whole picture (H, W, 3) of light [EV100]; its cells are means of pixels."""
    bright = luminance(light)
    rows = (np.arange(bright.shape[0]) * CELLS[1]) // bright.shape[0]
    columns = (np.arange(bright.shape[1]) * CELLS[0]) // bright.shape[1]
    number = (rows[:, None] * CELLS[0] + columns[None, :]).ravel()
    count = np.bincount(number, minlength=CELLS[0] * CELLS[1])
    total = np.bincount(number, bright.ravel(), minlength=CELLS[0] * CELLS[1])
    mean = total / np.maximum(count, 1)
    mean[count == 0] = float(bright.mean())
    return metered_cells(mean.reshape(CELLS[1], CELLS[0]), metering, heroes)
