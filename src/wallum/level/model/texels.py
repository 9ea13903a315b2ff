"""Reading a texture at coordinates, the nearest texel: one home for whatever is not drawn by the GPU."""

from typing import Any, Final

import numpy as np
from numpy.typing import NDArray

from wallum.level.model.model import Level, TextureUse

__all__ = ["CLAMPED", "MIRRORED", "nearest", "texels"]

# glTF 2.0, section 5.26 (wrapS, wrapT), in the numbers of OpenGL.
CLAMPED: Final = 33071
MIRRORED: Final = 33648


def nearest(place: NDArray[Any], size: Any, wrap: Any) -> NDArray[np.int64]:
    """(N,) which texel lies at coordinates along one axis, beyond 0 to 1 as the wrap says.

    place : (N,) coordinates [-]; size : texels, one number or (N,); wrap : the standard's number, or (N,)
    """
    size = np.asarray(size)
    index = np.floor(place * size).astype(np.int64)
    mode = np.asarray(wrap)
    out = index % size
    if (mode == CLAMPED).any():
        out = np.where(mode == CLAMPED, np.clip(index, 0, size - 1), out)
    if (mode == MIRRORED).any():
        twice = index % (2 * size)
        out = np.where(mode == MIRRORED, np.minimum(twice, 2 * size - 1 - twice), out)
    return out


def texels(level: Level, use: TextureUse, uv: NDArray[Any]) -> NDArray[np.uint8]:
    """(N, 4) 8-bit texels of a texture in use at coordinates (N, 4): first and second set."""
    own = uv[:, 2:4] if use.uv_set == 1 else uv[:, :2]
    rows = np.array(use.matrix())
    place = own @ rows[:, :2].T + rows[:, 2]
    pixels = level.pictures[use.picture].pixels
    column = nearest(place[:, 0], pixels.shape[1], use.sampler.wrap_s)
    row = nearest(place[:, 1], pixels.shape[0], use.sampler.wrap_t)
    return pixels[row, column]
