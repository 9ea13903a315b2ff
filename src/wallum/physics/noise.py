"""Noise that repeats without a seam, made at start from a seed.

Source: spectral synthesis, Saupe 1988, "Algorithms for random fractals"."""

from functools import lru_cache

import numpy as np
from numpy.typing import NDArray

from wallum.physics.arrays import Floats

__all__ = ["bilinear", "cloud_noise"]


@lru_cache(maxsize=8)
def cloud_noise(
    size: int = 512, falling: float = 1.55, drawn_out: float = 2.2, seed: int = 11
) -> NDArray[np.float32]:
    """(size, size) values spread evenly over 0 to 1, so that a threshold is a coverage.

    falling   : by which power of the frequency its amplitude falls
    drawn_out : how much longer its shapes are across than down
    Made of waves of random phase, so that it repeats at its edges.
    """
    rng = np.random.default_rng(seed)
    fx, fy = np.meshgrid(np.fft.fftfreq(size) * size, np.fft.fftfreq(size) * size)
    frequency = np.hypot(fx * drawn_out**0.5, fy / drawn_out**0.5)
    frequency[0, 0] = 1.0
    amplitude = frequency**-falling * (frequency >= 2.5)
    waves = amplitude * np.exp(2j * np.pi * rng.random((size, size)))
    values = np.real(np.fft.ifft2(waves))
    # Drawn into strands by a slower noise of its own.
    slow = np.real(np.fft.ifft2(waves * (frequency < 14.0)))
    slow = slow / np.abs(slow).max()
    rows, columns = np.meshgrid(np.arange(size), np.arange(size), indexing="ij")
    values = values[(rows + np.round(slow * 22.0).astype(int)) % size, columns]
    order = np.argsort(values, axis=None)
    out = np.empty(size * size, np.float32)
    out[order] = (np.arange(size * size, dtype=np.float32) + 0.5) / (size * size)
    return out.reshape(size, size)


def bilinear(table: Floats, u: Floats, v: Floats) -> NDArray[np.float64]:
    """(N,) values of a table (H, W) that repeats, at places (N,), (N,) [-]; 0 to 1 is once over it,
    as a texture is read."""
    height, width = table.shape
    x, y = np.asarray(u) * width - 0.5, np.asarray(v) * height - 0.5
    left, top = np.floor(x), np.floor(y)
    a, b = x - left, y - top
    x0, y0 = left.astype(np.int64) % width, top.astype(np.int64) % height
    x1, y1 = (x0 + 1) % width, (y0 + 1) % height
    flat = np.asarray(table).ravel()
    above, under = y0 * width, y1 * width
    upper = flat.take(above + x0) * (1.0 - a) + flat.take(above + x1) * a
    lower = flat.take(under + x0) * (1.0 - a) + flat.take(under + x1) * a
    return np.asarray(upper * (1.0 - b) + lower * b)
