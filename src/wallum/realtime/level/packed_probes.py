"""What a pixel reads of a probe: four words each, so that one fetch has all of it.

light  : illuminance by light from surfaces, shared exponent
sky    : illuminance straight from the sky, shared exponent
third  : 12 bits each of the mean way to what is seen of the sky, along x and y; 4 of the image mirrored
fourth : 12 bits of that way along z; 14 of the share of the sky; of each axis, whether there are neighbours
         before it and after it

Colours with a shared exponent: the OpenGL extension EXT_texture_shared_exponent, RGB9_E5. Read by
shaders/probe_light.frag.glsl.
"""

from typing import Final

import numpy as np
from numpy.typing import NDArray

from wallum.physics.arrays import Floats

__all__ = ["MAX_SHARED", "image_words", "shared_exponent", "sky_words"]

MANTISSA_BITS, EXPONENT_BIAS, MAX_EXPONENT = 9, 15, 31
# The largest number that such a colour has.
MAX_SHARED: Final = (2**MANTISSA_BITS - 1) * 2.0 ** (MAX_EXPONENT - EXPONENT_BIAS - MANTISSA_BITS)
WAY_STEPS, SHARE_STEPS = 4094.0, 16383.0
IMAGE_BITS = np.uint32(15 << 24)
# Of 27 neighbours, x fastest: those of each side.
OFFSETS = np.stack(np.unravel_index(np.arange(27), (3, 3, 3))[::-1])
SIDES: Final = [(26 + 2 * axis + after, OFFSETS[axis] == 2 * after) for axis in range(3) for after in (0, 1)]


def shared_exponent(colours: Floats) -> NDArray[np.uint32]:
    """(N,) words of colours (N, 3), which are kept between 0 and MAX_SHARED."""
    # A channel at a time, and powers of two by the bits of floats: see IEEE 754, binary32.
    selected = [np.clip(colours[:, k], 0.0, MAX_SHARED).astype(np.float32) for k in range(3)]
    largest = np.maximum(np.maximum(selected[0], selected[1]), selected[2])
    exponent = np.maximum((largest.view(np.int32) >> 23) - 127, -EXPONENT_BIAS - 1) + 1 + EXPONENT_BIAS
    # A largest part that is rounded up to one more bit has the next exponent.
    exponent += np.rint(largest * _steps_in_one(exponent)) >= 2**MANTISSA_BITS
    steps = _steps_in_one(exponent)
    red, green, blue = (np.rint(item * steps).astype(np.uint32) for item in selected)
    return np.asarray(red | green << 9 | blue << 18 | exponent.astype(np.uint32) << 27)


def _steps_in_one(exponent: NDArray[np.int32]) -> NDArray[np.float32]:
    """(N,) how many steps of such colours make 1."""
    return np.asarray(127 + EXPONENT_BIAS + MANTISSA_BITS - exponent << 23, np.int32).view(np.float32)


def sky_words(sky: Floats, images: NDArray[np.uint8], links: NDArray[np.int32]) -> NDArray[np.uint32]:
    """(N, 2) third and fourth words. sky : (N, 4) mean way to it, its share
    images : (N,) up to 15; links : (N, 27) neighbours, -1 where there is none"""
    direction = np.rint((np.clip(sky[:, :3], -1.0, 1.0) + 1.0) * (0.5 * WAY_STEPS)).astype(np.uint32)
    share = np.rint(np.clip(sky[:, 3], 0.0, 1.0) * SHARE_STEPS).astype(np.uint32)
    third = direction[:, 0] | direction[:, 1] << 12
    fourth = direction[:, 2] | share << 12
    for bit, side in SIDES:
        fourth |= (links[:, side] >= 0).any(axis=1).astype(np.uint32) << np.uint32(bit)
    return image_words(np.stack([third, fourth], axis=1), images)


def image_words(words: NDArray[np.uint32], images: NDArray[np.uint8]) -> NDArray[np.uint32]:
    """(N, 2) words as they are where each mirrors another image."""
    third = words[:, 0] & ~IMAGE_BITS | images.astype(np.uint32) << 24
    return np.stack([third, words[:, 1]], axis=1)
