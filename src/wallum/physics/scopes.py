"""What scopes show of a picture: its light in stops, its signal by columns, its colours about grey.

Luma and colour difference as in Rec. ITU-R BT.709; each count is of pixels.
"""

from typing import Final

import numpy as np
from numpy.typing import NDArray

from wallum.physics.arrays import Floats
from wallum.physics.colour import luminance
from wallum.physics.exposure import MID_GREY

__all__ = [
    "PER_STOP", "STOPS", "bin_of", "colour_difference", "parade", "stops_histogram", "stops_of", "vectors",
    "waveform",
]  # fmt: skip

# Stops about mid grey that a histogram spans, and how many bins each has.
STOPS: Final = (-12.0, 8.0)
PER_STOP: Final = 4
# Columns and rows of a waveform, and the side of the plane of colours.
COLUMNS: Final = 240
LEVELS: Final = 128
# ITU-R BT.709-6, table 3.
LUMA: Final = np.array([0.2126, 0.7152, 0.0722])
TO_BLUE, TO_RED = 1.0 / 1.8556, 1.0 / 1.5748


def stops_of(values: Floats) -> NDArray[np.float64]:
    """(...,) stops about mid grey of picture values (..., 3); what is black is at the lower end."""
    light = np.maximum(luminance(np.asarray(values, np.float64)), 1e-12)
    return np.clip(np.log2(light / MID_GREY), STOPS[0], STOPS[1] - 1e-6)


def bin_of(stops: Floats | float) -> NDArray[np.int64]:
    """(...,) number of the bin of stops about mid grey."""
    last = int((STOPS[1] - STOPS[0]) * PER_STOP) - 1
    result = np.floor((np.asarray(stops, np.float64) - STOPS[0]) * PER_STOP).astype(np.int64)
    return np.clip(result, 0, last)


def stops_histogram(values: Floats) -> NDArray[np.float64]:
    """(80,) share of pixels of picture values (..., 3) by quarters of a stop."""
    number = bin_of(stops_of(values)).ravel()
    counts = np.bincount(number, minlength=int((STOPS[1] - STOPS[0]) * PER_STOP))
    return np.asarray(counts / max(len(number), 1), np.float64)


def _by_columns(signal: NDArray[np.float64]) -> NDArray[np.int64]:
    width = signal.shape[1]
    column = np.arange(width) * COLUMNS // width
    level = np.clip((signal * LEVELS).astype(np.int64), 0, LEVELS - 1)
    number = level * COLUMNS + column[None, :]
    return np.bincount(number.ravel(), minlength=LEVELS * COLUMNS).reshape(LEVELS, COLUMNS)


def waveform(encoded: Floats) -> NDArray[np.int64]:
    """(128, 240) pixels of each luma, black first, in each column of an encoded picture (H, W, 3)."""
    return _by_columns(np.asarray(encoded, np.float64) @ LUMA)


def parade(encoded: Floats) -> NDArray[np.int64]:
    """(3, 128, 240) the same of red, green and blue."""
    return np.stack([_by_columns(np.asarray(encoded[..., k], np.float64)) for k in range(3)])


def colour_difference(encoded: Floats) -> NDArray[np.float64]:
    """(..., 2) toward blue and toward red, each -0.5 to 0.5, of encoded colours (..., 3)."""
    x = np.asarray(encoded, np.float64)
    luma = x @ LUMA
    return np.stack([(x[..., 2] - luma) * TO_BLUE, (x[..., 0] - luma) * TO_RED], axis=-1)


def vectors(encoded: Floats) -> NDArray[np.int64]:
    """(128, 128) pixels of each colour difference of an encoded picture (..., 3); red and blue are last."""
    at = np.clip(((colour_difference(encoded) + 0.5) * LEVELS).astype(np.int64), 0, LEVELS - 1).reshape(-1, 2)
    number = at[:, 1] * LEVELS + at[:, 0]
    return np.bincount(number, minlength=LEVELS * LEVELS).reshape(LEVELS, LEVELS)
