"""Panoramas from files: Radiance .hdr, .exr, or a plain .png."""

from functools import lru_cache
from pathlib import Path

import numpy as np
import OpenEXR
from numpy.typing import NDArray

from wallum.errors import LevelProblem
from wallum.faults import reading
from wallum.files import read_limited
from wallum.level.importers.images.exr_header import look_at_header
from wallum.level.model.pictures import decoded
from wallum.limits import MAX_PIXELS, PICTURE_BYTES
from wallum.physics.panorama import PanoramaSun, find_sun, without_sun
from wallum.physics.tone import srgb_decode

__all__ = [
    "PNG_WHITE_CD_M2",
    "SUFFIXES",
    "changed_at",
    "panorama_sun",
    "parse_panorama",
    "read_panorama",
    "small_panorama",
]

SUFFIXES = (".hdr", ".exr", ".png")
# A plain picture knows no light; its white is taken for that of a bright sky.
PNG_WHITE_CD_M2 = 4000.0
LARGEST_WIDE, WIDE_FOR_LIGHT = 4096, 512


def read_panorama(path: Path, sun_out: bool = False) -> NDArray[np.float32]:
    """(H, W, 3) linear, no wider than 4,096 [cd/m2, as the file has it]. Kept until the file changes.

    sun_out : whether its sun is filled in
    Raises LevelProblem.
    """
    return (_without_sun if sun_out else _read)(*_state(path))


def small_panorama(path: Path, sun_out: bool = False) -> NDArray[np.float32]:
    """`read_panorama`, no wider than 512: enough for the light that comes from it."""
    return _small(*_state(path), sun_out)


def panorama_sun(path: Path) -> PanoramaSun | None:
    """The sun in a panorama's file, see `find_sun`. Kept until the file changes. Raises LevelProblem."""
    return _sun(*_state(path))


def changed_at(path: Path) -> int:
    """When a panorama's file changed last [ns]. Raises LevelProblem."""
    return _state(path)[1]


def _state(path: Path) -> tuple[str, int, int]:
    try:
        stamp = path.stat()
    except (OSError, ValueError):
        raise LevelProblem("the sky's picture is not there", str(path), "a panorama") from None
    return str(path), stamp.st_mtime_ns, stamp.st_size


@lru_cache(maxsize=4)
def _sun(name: str, changed_ns: int, size: int) -> PanoramaSun | None:
    return find_sun(_read(name, changed_ns, size))


@lru_cache(maxsize=2)
def _without_sun(name: str, changed_ns: int, size: int) -> NDArray[np.float32]:
    return without_sun(_read(name, changed_ns, size))


@lru_cache(maxsize=2)
def _read(name: str, _: int, __: int) -> NDArray[np.float32]:
    path = Path(name)
    if path.suffix.lower() not in SUFFIXES:
        raise LevelProblem(f"a sky cannot be read from {path.suffix or 'it'}", name, ".hdr, .exr or .png")
    return parse_panorama(read_limited(path, PICTURE_BYTES, LevelProblem), path)


def parse_panorama(data: bytes, path: Path) -> NDArray[np.float32]:
    """(H, W, 3) linear, no wider than 4,096, from the content of a file of a kind in SUFFIXES.

    Raises LevelProblem.
    """
    reader = {".hdr": _radiance, ".exr": _exr, ".png": _png}[path.suffix.lower()]
    with reading(LevelProblem, "the sky's picture cannot be read", str(path), "a panorama"):
        pixels = reader(data, path)
    height, width = pixels.shape[:2]
    if height < 8 or not 1.8 <= width / height <= 2.2:
        raise LevelProblem(f"the sky's picture is {width}x{height}", str(path), "twice as wide as high")
    pixels = np.nan_to_num(np.maximum(pixels, 0.0), posinf=0.0)
    return _halved(pixels.astype(np.float32), LARGEST_WIDE)


def _halved(pixels: NDArray[np.float32], widest: int) -> NDArray[np.float32]:
    while pixels.shape[1] > widest:
        rows, columns = pixels.shape[0] // 2 * 2, pixels.shape[1] // 2 * 2
        pixels = pixels[:rows, :columns].reshape(rows // 2, 2, columns // 2, 2, 3).mean(axis=(1, 3))
    return pixels


@lru_cache(maxsize=4)
def _small(name: str, changed_ns: int, size: int, sun_out: bool) -> NDArray[np.float32]:
    return _halved((_without_sun if sun_out else _read)(name, changed_ns, size), WIDE_FOR_LIGHT)


def _sized(width: int, height: int, path: Path) -> None:
    """Raises LevelProblem for a picture that no one could want."""
    if width < 1 or height < 1 or width * height > MAX_PIXELS:
        raise LevelProblem(
            f"the sky's picture is {width}x{height}", str(path), f"at most {MAX_PIXELS:,} pixels"
        )


def _png(data: bytes, path: Path) -> NDArray[np.float32]:
    values = decoded(data, str(path), ("PNG",))[..., :3]
    return (srgb_decode(np.arange(256) / 255.0) * PNG_WHITE_CD_M2).astype(np.float32)[values]


def _exr(data: bytes, path: Path) -> NDArray[np.float32]:
    look_at_header(data, str(path))
    with OpenEXR.File(str(path)) as file:
        channels = file.channels()
        whole = next((channels[name].pixels for name in ("RGB", "RGBA") if name in channels), None)
        if whole is None:
            if not {"R", "G", "B"} <= channels.keys():
                raise LevelProblem(
                    "the sky's picture has no red, green and blue", str(path), "an RGB picture"
                )
            whole = np.stack([channels[name].pixels for name in "RGB"], axis=-1)
        return np.asarray(whole, dtype=np.float32)[..., :3]


def _radiance(data: bytes, path: Path) -> NDArray[np.float32]:
    """Ward 1994: shared exponents, scan lines in runs by channel or plain."""
    end = data.find(b"\n\n")
    if not data.startswith(b"#?") or end < 0:
        raise LevelProblem("the sky's picture is no Radiance picture", str(path), "a .hdr panorama")
    line_end = data.index(b"\n", end + 2)
    words = data[end + 2 : line_end].split()
    if len(words) != 4 or words[0] != b"-Y" or words[2] != b"+X":
        raise LevelProblem("the sky's picture lies on its side", str(path), "rows from the top down")
    height, width = int(words[1]), int(words[3])
    _sized(width, height, path)
    body = np.frombuffer(data, np.uint8, offset=line_end + 1)
    runs = len(body) >= 4 and 8 <= width < 32_768 and body[0] == 2 and body[1] == 2
    # A line of runs has a head of 4 bytes, and at least 2 bytes for 127 pixels of a channel.
    if len(body) < height * (4 + 8 * -(-width // 127) if runs else 4 * width):
        raise LevelProblem("the sky's picture is cut short", str(path), f"{width}x{height} pixels")
    pixels = _runs(body, width, height) if runs else body[: height * width * 4].reshape(height, width, 4)
    scales = np.ldexp(np.float32(1.0), np.arange(256) - 136).astype(np.float32)
    scales[0] = 0.0
    out = pixels[..., :3].astype(np.float32) + np.float32(0.5)
    out *= scales[pixels[..., 3]][..., None]
    return out


def _runs(body: NDArray[np.uint8], width: int, height: int) -> NDArray[np.uint8]:
    out = np.empty((height, 4, width), np.uint8)
    raw, at = body.tobytes(), 0
    for line in range(height):
        at += 4
        for channel in range(4):
            filled = 0
            while filled < width:
                count = raw[at]
                if count > 128:
                    out[line, channel, filled : filled + count - 128] = raw[at + 1]
                    filled, at = filled + count - 128, at + 2
                else:
                    out[line, channel, filled : filled + count] = body[at + 1 : at + 1 + count]
                    filled, at = filled + count, at + 1 + count
    return out.transpose(0, 2, 1)
