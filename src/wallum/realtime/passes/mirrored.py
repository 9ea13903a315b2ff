"""Which pixels of a G-buffer show a mirror image of the level: twin of shaders/include/mirrors.glsl."""

from typing import Final

import numpy as np
from numpy.typing import NDArray

from wallum.realtime.gl.targets import GBuffer
from wallum.realtime.level.bundle import GLOSSY
from wallum.realtime.passes.clusters import CELL_PIXELS
from wallum.realtime.passes.mirror_images import MirrorImages

__all__ = ["mirrored_pixels", "mirrored_squares"]

# Of a pixel's code: bits of one image's number, of which there are two.
BITS: Final = 15


def mirrored_pixels(gbuffer: GBuffer, mirrors: MirrorImages) -> tuple[NDArray[np.int64], NDArray[np.int64]]:
    """Numbers of the pixels that show some image, lowest row first, and the codes of which: smooth surfaces,
    and all under a roof. Of images that were not taken yet too."""
    raw = np.frombuffer(gbuffer.bounce.read(), np.float16)[3::4]
    pixels = np.flatnonzero(raw.view(np.uint16))
    codes = raw[pixels].astype(np.int64)
    smooth = np.frombuffer(gbuffer.surface.read(), np.uint8)[::4][pixels] < GLOSSY * 255.0
    roofed = np.zeros(BITS + 1, dtype=bool)
    if mirrors.places is not None:
        roofed[1 : 1 + len(mirrors.places)] = mirrors.places.roofed
    shown = smooth | roofed[codes & BITS]
    return pixels[shown], codes[shown]


def mirrored_squares(
    gbuffer: GBuffer, mirrors: MirrorImages, grid: tuple[int, int, int]
) -> NDArray[np.bool_]:
    """(Y, X) squares of the picture, see clusters.py, in which an image that was taken is shown."""
    pixels, codes = mirrored_pixels(gbuffer, mirrors)
    taken = np.zeros(BITS + 1, dtype=bool)
    taken[1 : 1 + len(mirrors.shows)] = [one is not None for one in mirrors.shows]
    pixels = pixels[taken[codes & BITS] | taken[codes >> 4 & BITS]]
    held = np.zeros(grid[0] * grid[1], dtype=bool)
    width = gbuffer.size[0]
    held[pixels // width // CELL_PIXELS * grid[0] + pixels % width // CELL_PIXELS] = True
    return held.reshape(grid[1], grid[0])
