"""Pictures in KTX 2.0 files that are compressed by Basis Universal, as KHR_texture_basisu stores them.

The transcoder is the format's own, by the package `opengl_basisu`. What it allocates is bounded here first.
Source: KTX file format specification, version 2.0 (Khronos).
"""

from typing import Final

import numpy as np
import opengl_basisu
from numpy.typing import NDArray

from wallum.errors import LevelProblem
from wallum.limits import MAX_PIXELS

__all__ = ["KTX2", "decode_ktx2", "ktx2_size"]

KTX2: Final = b"\xabKTX 20\xbb\r\n\x1a\n"
# A block of 4 x 4 pixels takes a 64th of a byte at least, where all blocks are alike.
MAX_PIXELS_PER_BYTE: Final = 16 * 64


def _opened(data: bytes) -> opengl_basisu.Texture:
    if not data.startswith(KTX2):
        raise LevelProblem("it is no KTX2 file", "KTX2")
    try:
        texture = opengl_basisu.open(data)
    except opengl_basisu.BasisuError as error:
        raise LevelProblem(f"its pixels are not packed by Basis Universal ({error})", "KTX2") from None
    if texture.layers > 1 or texture.faces != 1 or texture.is_video:
        raise LevelProblem("it is no plain picture", "KTX2")
    pixels = texture.width * texture.height
    if pixels > min(MAX_PIXELS, MAX_PIXELS_PER_BYTE * len(data)):
        raise LevelProblem(f"{pixels:,} pixels in {len(data):,} bytes", "KTX2")
    return texture


def ktx2_size(data: bytes) -> tuple[int, int]:
    """Width and height of the picture that `decode_ktx2` gives [pixels]. Raises LevelProblem."""
    texture = _opened(data)
    return texture.width, texture.height


def decode_ktx2(data: bytes) -> NDArray[np.uint8]:
    """(H, W, 4) pixels, top row first. Raises LevelProblem."""
    texture = _opened(data)
    try:
        return np.ascontiguousarray(texture.transcode(opengl_basisu.Target.RGBA8).data)
    except opengl_basisu.BasisuError as error:
        raise LevelProblem(f"its blocks cannot be unpacked ({error})", "KTX2") from None
