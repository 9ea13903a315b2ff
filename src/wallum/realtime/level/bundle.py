"""A level as the renderer takes it: sorted triangles in chunks, packed materials, pixels.

Plain data, so that the renderer's process needs nothing of the document to read it; made by
realtime.bundling.
"""

from dataclasses import dataclass

import numpy as np
from numpy.typing import NDArray

__all__ = [
    "GLOSSY",
    "GLOW_SCALE",
    "VEIL",
    "VERTEX",
    "Batch",
    "LevelBundle",
    "PackedMaterial",
    "TextureData",
]

# G-buffer glow is kept at this share of its luminance: 11-bit floats then reach 1e6 cd/m2.
GLOW_SCALE = 1.0 / 16.0
# Roughness from which on nothing is mirrored, see shaders/include/mirrors.glsl.
GLOSSY = 0.5
# The feature of what is seen through: it lies in the layers of a picture, not in its G-buffer.
VEIL = "VEIL"
VERTEX = np.dtype(
    [
        ("position", "<f4", 3),
        ("normal", "<f2", 4),
        ("tangent", "<f2", 4),
        ("uv", "<f4", 4),
        ("colour", "<f2", 4),
    ]
)


@dataclass(frozen=True)
class TextureData:
    """Pixels of one texture: (H, W, 4) uint8, whether they are sRGB, and the sampler."""

    pixels: NDArray[np.uint8]
    srgb: bool
    mag: int
    min: int
    wrap_s: int
    wrap_t: int


@dataclass(frozen=True)
class PackedMaterial:
    """One material, packed: shader features, uniform block, texture of each used slot."""

    features: frozenset[str]
    block: bytes
    textures: dict[str, int]
    double_sided: bool
    casts: bool = True


@dataclass(frozen=True)
class Batch:
    """A mesh in the bundle that stands at many places.

    chunks  : (K, 3) first triangle, number of triangles, material
    coarser : for each coarser copy the width of its cells in the mesh's own units and its (K, 3) chunks
    places  : (I, 3, 4) float32 from the mesh's space to the level's
    low, high : (I, 3) float32 corners of each place [m]
    scale   : (I,) the most that a place stretches the mesh
    """

    chunks: NDArray[np.int64]
    coarser: tuple[tuple[float, NDArray[np.int64]], ...]
    places: NDArray[np.float32]
    low: NDArray[np.float32]
    high: NDArray[np.float32]
    scale: NDArray[np.float32]

    @property
    def triangles(self) -> NDArray[np.int64]:
        """(I,) triangles of each place."""
        return np.full(len(self.places), int(self.chunks[:, 1].sum()))


@dataclass(frozen=True)
class LevelBundle:
    """Everything the renderer needs of a level.

    vertices : (V,) structured, see `VERTEX`; those of the coarser copies come later, batches last
    faces    : (T, 3) uint32, sorted by material and then in space; coarser copies later, batches last
    chunks   : (C, 3) int64: first triangle, number of triangles, material
    low, high: (C, 3) float32 corners of each chunk [m]
    followed : ids of the lamps that the glow of some parts follows, numbered from 1
    coarser  : for each coarser copy the width of its cells [m] and its (C, 3) chunks
    batches  : meshes that stand at many places, which no chunk holds
    unusual  : whether any material reflects otherwise than most, looked at straight
    unlit    : whether any asks for no light
    glossy   : whether any is smooth enough to mirror the level
    """

    vertices: NDArray[np.void]
    faces: NDArray[np.uint32]
    chunks: NDArray[np.int64]
    low: NDArray[np.float32]
    high: NDArray[np.float32]
    surfacings: tuple[PackedMaterial, ...]
    textures: tuple[TextureData, ...]
    bounds: NDArray[np.float64]
    coarser: tuple[tuple[float, NDArray[np.int64]], ...] = ()
    followed: tuple[str, ...] = ()
    batches: tuple[Batch, ...] = ()
    unusual: bool = False
    unlit: bool = False
    glossy: bool = False

    @property
    def boxes(self) -> tuple[NDArray[np.float32], NDArray[np.float32], NDArray[np.int64]]:
        """Corners (N, 3), (N, 3) and triangles (N,) of each chunk and then of each place of a batch."""
        lows = [self.low, *(batch.low for batch in self.batches)]
        highs = [self.high, *(batch.high for batch in self.batches)]
        counts = [self.chunks[:, 1], *(batch.triangles for batch in self.batches)]
        return np.concatenate(lows), np.concatenate(highs), np.concatenate(counts)
