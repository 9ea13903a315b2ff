"""Surface patterns for generated levels: colour and normal maps from seeded noise."""

import numpy as np
from numpy.typing import NDArray

from wallum.level.model.model import Picture
from wallum.level.model.pictures import as_png
from wallum.physics.tone import srgb_encode

__all__ = ["brick_height", "colour_map", "noise", "normal_map", "tile_height"]

Map = NDArray[np.float64]


def noise(size: int, cells: int, octaves: int, seed: int) -> Map:
    """(size, size) noise in about 0..1 that repeats at its edges; each octave is half as strong."""
    rng = np.random.default_rng(seed)
    total, weight = np.zeros((size, size)), 0.0
    at = np.arange(size) / size
    for octave in range(octaves):
        count = cells * 2**octave
        lattice = rng.random((count, count))
        place = at * count
        low = place.astype(int) % count
        high = (low + 1) % count
        t = place - np.floor(place)
        t = t * t * (3.0 - 2.0 * t)
        rows = lattice[low] * (1 - t)[:, None] + lattice[high] * t[:, None]
        strength = 0.5**octave
        total += strength * (rows[:, low] * (1 - t) + rows[:, high] * t)
        weight += strength
    return total / weight


def brick_height(size: int, rows: int, columns: int, seed: int) -> tuple[Map, Map]:
    """Height of a brick wall in running bond, and a random number for each brick."""
    rng = np.random.default_rng(seed)
    v, u = np.mgrid[0:size, 0:size] / size
    row = np.floor(v * rows).astype(int)
    shifted = u * columns + 0.5 * (row % 2)
    column = np.floor(shifted).astype(int) % columns
    edge_u = np.minimum(shifted % 1.0, 1.0 - shifted % 1.0) / columns
    edge_v = np.minimum(v * rows % 1.0, 1.0 - v * rows % 1.0) / rows
    edge = np.minimum(edge_u, edge_v) * size
    worn = noise(size, 16, 3, seed + 1) * 2.5
    height = np.clip((edge - 1.2 - worn * 0.7) / 2.5, 0.0, 1.0)
    return height, rng.random((rows, columns))[row, column]


def tile_height(size: int, count: int) -> Map:
    """Height of square tiles with rounded rims."""
    v, u = np.mgrid[0:size, 0:size] / size * count % 1.0
    edge = np.minimum(np.minimum(u, 1 - u), np.minimum(v, 1 - v))
    return np.clip(edge / 0.06, 0.0, 1.0) ** 0.5


def colour_map(name: str, linear: Map) -> Picture:
    """A colour map from (H, W, 3) linear values."""
    return Picture(name, "image/png", as_png(np.round(srgb_encode(linear) * 255.0).astype(np.uint8)))


def normal_map(name: str, height: Map, depth: float) -> Picture:
    """A normal map from a repeating height, `depth` in texels, green up."""
    slope_u = (np.roll(height, -1, axis=1) - np.roll(height, 1, axis=1)) * 0.5 * depth
    slope_v = (np.roll(height, -1, axis=0) - np.roll(height, 1, axis=0)) * 0.5 * depth
    normal = np.stack([-slope_u, slope_v, np.ones_like(height)], axis=-1)
    normal /= np.linalg.norm(normal, axis=-1, keepdims=True)
    return Picture(name, "image/png", as_png(np.round((normal * 0.5 + 0.5) * 255.0).astype(np.uint8)))
