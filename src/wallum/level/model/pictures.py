"""Encoded pictures and pixels: one place that decodes what strangers have encoded, and encodes ours."""

import warnings
from io import BytesIO
from typing import Final

import numpy as np
from numpy.typing import NDArray
from PIL import Image as PillowImage

from wallum.errors import LevelProblem
from wallum.faults import reading
from wallum.limits import MAX_PIXELS

__all__ = ["FORMATS", "as_png", "decoded", "picture_size"]

# What the standards that are read here allow; other decoders are never run.
FORMATS: Final = ("PNG", "JPEG", "WEBP")


def picture_size(data: bytes, where: str, formats: tuple[str, ...] = FORMATS) -> tuple[int, int]:
    """(width, height) that a picture says it has. Raises LevelProblem where that is too large."""
    with reading(LevelProblem, "a picture cannot be read", where), warnings.catch_warnings():
        # The limit is ours, and said in our words.
        warnings.simplefilter("ignore", PillowImage.DecompressionBombWarning)
        with PillowImage.open(BytesIO(data), formats=formats) as image:
            width, height = image.size
    if width * height > MAX_PIXELS:
        raise LevelProblem(f"a picture of {width}x{height}", where, f"at most {MAX_PIXELS:,} pixels")
    return width, height


def decoded(data: bytes, where: str, formats: tuple[str, ...] = FORMATS) -> NDArray[np.uint8]:
    """(H, W, 4) 8-bit RGBA, first row on top. Raises LevelProblem."""
    picture_size(data, where, formats)
    with reading(LevelProblem, "a picture cannot be read", where), warnings.catch_warnings():
        # Odd but readable: a palette with odd transparency and the like.
        warnings.simplefilter("ignore")
        with PillowImage.open(BytesIO(data), formats=formats) as opened:
            image: PillowImage.Image = opened
            if image.mode.startswith("I"):
                wide = np.asarray(image, dtype=np.float64) / 257.0
                image = PillowImage.fromarray(np.round(wide).astype(np.uint8))
            return np.asarray(image.convert("RGBA"))


def as_png(pixels: NDArray[np.uint8]) -> bytes:
    """(H, W, 3) or (H, W, 4) 8-bit pixels as PNG: quickly, not as small as can be."""
    out = BytesIO()
    PillowImage.fromarray(pixels).save(out, "PNG", compress_level=1)
    return out.getvalue()
