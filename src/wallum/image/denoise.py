"""A picture of few paths without its noise, told what is surface and what is light by albedo and normals.

The filter is Open Image Denoise; its binding is held by this module alone, and where it cannot be had an
edge-avoiding filter serves.
"""

from functools import cache
from typing import Any

import numpy as np
from numpy.typing import NDArray

from wallum.image.edge_avoiding import edge_avoiding
from wallum.physics.arrays import Floats

__all__ = ["denoised", "denoiser"]

# Pictures with fewer pixels either way come out of it too dark, or with noise of their own.
MIN_PIXELS = 16


@cache
def _open_image_denoise() -> Any:
    """The binding, or None where it cannot be loaded here."""
    try:
        import pyoidn

        tried = np.zeros((MIN_PIXELS, MIN_PIXELS, 3), np.float32)
        pyoidn.denoise(tried, hdr=True)
    except (ImportError, OSError, RuntimeError, AttributeError):
        return None
    return pyoidn


def _binding_for(shape: tuple[int, ...]) -> Any:
    """The binding, where it is of use for a picture (H, W, ...)."""
    return _open_image_denoise() if min(shape[:2]) >= MIN_PIXELS else None


def denoiser(shape: tuple[int, ...]) -> str:
    """What takes the noise out of a picture (H, W, ...) on this machine, in words."""
    return "Open Image Denoise" if _binding_for(shape) is not None else "an edge-avoiding filter"


def denoised(light: Floats, albedo: Floats, normals: Floats) -> NDArray[np.float64]:
    """(H, W, 3) light without its noise [cd/m2]. albedo, normals : (H, W, 3) means of what the pixels show,
    zeros where that is no surface"""
    binding = _binding_for(light.shape)
    if binding is None:
        return edge_avoiding(light, albedo, normals)
    parts = (np.ascontiguousarray(item, np.float32) for item in (light, albedo, normals))
    colour, base, facing = parts
    try:
        out = binding.denoise(colour, albedo=np.clip(base, 0.0, 1.0), normal=facing, hdr=True)
    except RuntimeError:
        return edge_avoiding(light, albedo, normals)
    return np.maximum(np.asarray(out, np.float64), 0.0)
