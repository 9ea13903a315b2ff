"""Bloom: a share of the light that a lens spreads over its picture, by a pyramid of ever smaller pictures.

The picture becomes a mixture of itself and of its spread, so that no light comes from nowhere. Every step
of the pyramid keeps the mean, whatever the size: down into its first picture it takes the mean of what each
pixel covers; between the others, and up, it interpolates, with weights that are balanced (Sinkhorn 1964; by
Newton's method) until every pixel takes, and gives, its share. Where a side divides evenly that is bilinear
enlarging. The pyramid is that of Burt and Adelson 1983. Twin of realtime/passes/post/bloom.py with
shaders/bloom.frag.glsl, which read the weights from here.
"""

from collections.abc import Sequence
from dataclasses import dataclass
from functools import lru_cache
from itertools import pairwise
from typing import Final

import numpy as np
from numpy.typing import NDArray

from wallum.physics.arrays import Floats
from wallum.physics.colour import luminance

__all__ = [
    "FIRST",
    "NO_BLOOM",
    "Bloom",
    "above",
    "bloomed",
    "down_weights",
    "sizes_of",
    "spread",
    "up_weights",
]

Size = tuple[int, int]
# How much smaller the first picture of the pyramid is, along a side; each further one is half as large.
FIRST: Final = 4
MAX_STEPS: Final = 6
MIN_SIDE: Final = 4
BALANCINGS: Final = 12
# Share of a threshold over which what blooms comes up.
KNEE: Final = 0.5


@dataclass(frozen=True)
class Bloom:
    """amount    : share of each channel's light that is spread, 0 to 1
    reach     : 0 to 1, how much more of it goes to each wider step
    tint      : RGB, of the amount; its greatest is 1
    threshold : picture value from which light is spread at all; 0: all of it is, as by a lens
    """

    amount: float = 0.0
    reach: float = 0.6
    tint: tuple[float, float, float] = (1.0, 1.0, 1.0)
    threshold: float = 0.0

    @property
    def shares(self) -> NDArray[np.float64]:
        """(3,) of each channel's light that is spread."""
        tint = np.maximum(np.array(self.tint), 0.0)
        return np.asarray(self.amount * tint / max(float(tint.max()), 1e-9))


NO_BLOOM: Final = Bloom()


def sizes_of(size: Size) -> tuple[Size, ...]:
    """Width and height of each picture of the pyramid, below a picture of a size [pixels]."""
    out: list[Size] = []
    width, height, by = *size, FIRST
    while len(out) < MAX_STEPS and min(width, height) >= by * MIN_SIDE:
        width, height, by = -(-width // by), -(-height // by), 2
        out.append((width, height))
    return tuple(out)


@lru_cache(maxsize=64)
def down_weights(many: int, few: int, first: bool) -> NDArray[np.float64]:
    """(few, many) of a step down along one side, into the first picture or between two; not to be changed."""
    if not first:
        return up_weights(many, few).T * (few / many)
    edges = np.arange(few + 1) * (many / few)
    at = np.arange(many)
    over = np.minimum(edges[1:, None], at + 1.0) - np.maximum(edges[:-1, None], at)
    return np.maximum(over, 0.0) * (few / many)


@lru_cache(maxsize=64)
def up_weights(many: int, few: int) -> NDArray[np.float64]:
    """(many, few) of a step up along one side, two in each row; not to be changed."""
    at = np.clip((np.arange(many) + 0.5) * (few / many) - 0.5, 0.0, few - 1.0)
    out = np.maximum(1.0 - np.abs(at[:, None] - np.arange(few)), 0.0)
    out = out / out.sum(axis=1, keepdims=True)
    for _ in range(BALANCINGS):
        inputs = out.sum(axis=0)
        off = many / few - inputs
        if np.abs(off).max() < 1e-9:
            break
        # What a factor for each column, with rows made whole again, does to what the columns give.
        bent = np.diag(inputs) - out.T @ out
        out = out * np.exp(np.linalg.lstsq(bent, off, rcond=1e-9)[0])
        out /= out.sum(axis=1, keepdims=True)
    return out


def above(picture: Floats, threshold: float) -> NDArray[np.float64]:
    """(H, W, 3) what of each pixel is over a threshold of luminance; a fake: a lens spreads all light."""
    x = np.asarray(picture, np.float64)
    if threshold <= 0.0:
        return x
    light = luminance(x)[..., None]
    return x * np.clip((light - threshold) / (KNEE * threshold), 0.0, 1.0)


def _resampled(x: NDArray[np.float64], rows: Floats, columns: Floats) -> NDArray[np.float64]:
    return np.asarray(np.einsum("yh,hwc,xw->yxc", rows, x, columns, optimize=True))


def spread(picture: Floats, reach: float) -> NDArray[np.float64]:
    """(H, W, 3) a picture as it is once all its light is spread; its mean is the picture's."""
    x = np.asarray(picture, np.float64)
    size = (x.shape[1], x.shape[0])
    sizes = sizes_of(size)
    if not sizes:
        return x
    levels = _down(x, (size, *sizes))
    out = levels[-1]
    for (wide, high), own in zip(reversed(sizes[:-1]), reversed(levels[:-1]), strict=True):
        rows, columns = up_weights(high, out.shape[0]), up_weights(wide, out.shape[1])
        out = own + reach * (_resampled(out, rows, columns) - own)
    return _resampled(out, up_weights(size[1], out.shape[0]), up_weights(size[0], out.shape[1]))


def _down(x: NDArray[np.float64], sizes: Sequence[Size]) -> list[NDArray[np.float64]]:
    out = []
    for step, (before, after) in enumerate(pairwise(sizes)):
        rows = down_weights(before[1], after[1], step == 0)
        x = _resampled(x, rows, down_weights(before[0], after[0], step == 0))
        out.append(x)
    return out


def bloomed(picture: Floats, bloom: Bloom, drawn: NDArray[np.float64] | None = None) -> NDArray[np.float64]:
    """(H, W, 3) picture values with their bloom.

    drawn : the picture with what else the lens does to its details; what is spread does not see that
    """
    x = np.asarray(picture, np.float64)
    sharp = x if drawn is None else drawn
    if bloom.amount <= 0.0:
        return sharp
    spread_light = spread(above(x, bloom.threshold), bloom.reach)
    return np.maximum(sharp + bloom.shares * (spread_light - above(sharp, bloom.threshold)), 0.0)
