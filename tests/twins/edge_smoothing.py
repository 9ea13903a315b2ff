"""Edges of a finished picture made smooth: of each step of a slanted edge what the neighbour covers.

Where two neighbours differ, the edge between them is followed along its line to both ends. The nearer end
says whether the edge steps toward this pixel there; half a pixel is covered at the step, and less toward the
middle of the line (after the idea of Reshetov 2009, "Morphological Antialiasing"). What differs little from
all its neighbours stays bit for bit. Twin of realtime/shaders/edges.frag.glsl.
"""

from typing import Final

import numpy as np
from numpy.typing import NDArray

__all__ = ["smoothed"]

LUMA: Final = np.array([0.2126, 0.7152, 0.0722])
# Least difference of encoded luma, 0 to 1, that is an edge; how far one is followed [pixels].
MINIMUM: Final = 0.06
REACH: Final = 10


def _moved(values: NDArray[np.float64], rows: int, columns: int) -> NDArray[np.float64]:
    """Values of the pixel so many rows and columns on; the picture's edge goes on."""
    height, width = values.shape[:2]
    y = np.clip(np.arange(height) + rows, 0, height - 1)
    x = np.clip(np.arange(width) + columns, 0, width - 1)
    return values[y][:, x]


def smoothed(rgb: NDArray[np.uint8]) -> NDArray[np.uint8]:
    """(H, W, 3) an encoded picture with smooth edges."""
    picture = rgb.astype(np.float64) / 255.0
    luma = picture @ LUMA
    north, south, west, east = (_moved(luma, *item) for item in ((-1, 0), (1, 0), (0, -1), (0, 1)))
    across = np.maximum(np.abs(north - luma), np.abs(south - luma))
    along = np.maximum(np.abs(west - luma), np.abs(east - luma))
    edge, flat = np.maximum(across, along) >= MINIMUM, _runs_level(luma)
    out = picture.copy()
    for level in (True, False):
        before, after = (north, south) if level else (west, east)
        later = np.abs(after - luma) >= np.abs(before - luma)
        for forward in (True, False):
            side = (1 if forward else -1) if level else 0, 0 if level else (1 if forward else -1)
            chosen = edge & (flat == level) & (later == forward)
            share = _covered(luma, side, (0, 1) if level else (1, 0))
            mixed = picture + (_moved(picture, *side) - picture) * share[..., None]
            out[chosen] = mixed[chosen]
    return np.round(out * 255.0).astype(np.uint8)


def _runs_level(luma: NDArray[np.float64]) -> NDArray[np.bool_]:
    """(H, W) whether an edge runs along the rows: what bends more across them, with the lines beside."""

    def bent(over: tuple[int, int], beside: tuple[int, int]) -> NDArray[np.float64]:
        out = np.zeros(luma.shape)
        for step, weight in ((-1, 0.5), (0, 1.0), (1, 0.5)):
            y, x = step * beside[0], step * beside[1]
            ends = _moved(luma, y - over[0], x - over[1]) + _moved(luma, y + over[0], x + over[1])
            out += weight * np.abs(ends - 2.0 * _moved(luma, y, x))
        return out

    return bent((1, 0), (0, 1)) >= bent((0, 1), (1, 0))


def _covered(luma: NDArray[np.float64], side: tuple[int, int], line: tuple[int, int]) -> NDArray[np.float64]:
    """(H, W) how much of each pixel the neighbour at a side covers, for edges along a line."""
    other = _moved(luma, *side)
    step = other - luma
    lengths, toward = [], []
    for direction in (-1, 1):
        length = np.full(luma.shape, REACH, np.float64)
        invaded = np.zeros(luma.shape, bool)
        going = np.ones(luma.shape, bool)
        for k in range(1, REACH + 1):
            at = direction * k * line[0], direction * k * line[1]
            own, beside = _moved(luma, *at), _moved(luma, at[0] + side[0], at[1] + side[1])
            ends = going & ((beside - own) * np.sign(step) < 0.5 * np.abs(step))
            middle = 0.5 * (own + beside)
            invaded |= ends & (np.abs(middle - other) < np.abs(middle - luma))
            length = np.where(ends, float(k), length)
            going &= ~ends
        lengths.append(length)
        toward.append(invaded)
    nearest = np.minimum(*lengths)
    invaded = np.where(lengths[0] <= lengths[1], *toward)
    covered = 0.5 - (nearest - 0.5) / np.maximum(lengths[0] + lengths[1] - 1.0, 1.0)
    return np.where(invaded, np.maximum(covered, 0.0), 0.0)
