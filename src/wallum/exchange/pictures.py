"""Pictures as files: PNG for what is shown, EXR for light."""

from pathlib import Path

import numpy as np
import OpenEXR
from numpy.typing import NDArray
from PIL import Image

from wallum.errors import ExportProblem, ValueProblem
from wallum.faults import reading, said
from wallum.files import read_limited, written_whole
from wallum.level.importers.images.exr_header import look_at_header
from wallum.limits import PICTURE_BYTES

__all__ = ["read_exr", "read_light", "write_exr", "write_png"]


def write_png(path: Path, rgb: NDArray[np.uint8]) -> None:
    """(H, W, 3) sRGB as PNG, whole or not at all. Raises ExportProblem."""
    try:
        with written_whole(path) as part:
            Image.fromarray(rgb).save(part, "PNG")
    except OSError as error:
        raise ExportProblem(f"cannot be written: {said(error)}", str(path)) from None


def write_exr(path: Path, luminance: NDArray[np.float32]) -> None:
    """(H, W, 3) scene-linear light [cd/m2] as 32-bit float EXR, whole or not at all.

    Raises ExportProblem.
    """
    header = {"compression": OpenEXR.ZIP_COMPRESSION, "type": OpenEXR.scanlineimage}
    channels = {"RGB": np.ascontiguousarray(luminance, dtype=np.float32)}
    # The package raises bare RuntimeErrors of its C++ side.
    with (
        reading(ExportProblem, "cannot be written", str(path)),
        written_whole(path) as part,
        OpenEXR.File(header, channels) as file,
    ):
        file.write(str(part))


def read_exr(path: Path) -> NDArray[np.float32]:
    """(H, W, 3) of an EXR file with red, green and blue."""
    with OpenEXR.File(str(path)) as file:
        return np.array(file.channels()["RGB"].pixels, dtype=np.float32)


def read_light(path: Path) -> tuple[NDArray[np.float32], int]:
    """(H, W, 3) scene-linear light of an EXR file from anywhere, grey ones too; values that are no finite
    numbers are black, and counted. Raises ValueProblem."""
    data = read_limited(path, PICTURE_BYTES, ValueProblem)
    with reading(ValueProblem, "no picture that can be read", str(path), "an .exr picture"):
        look_at_header(data, str(path))
        with OpenEXR.File(str(path)) as file:
            channels = file.channels()
            light = next((channels[name].pixels for name in ("RGB", "RGBA", "Y") if name in channels), None)
            if light is None and {"R", "G", "B"} <= channels.keys():
                light = np.stack([channels[name].pixels for name in "RGB"], axis=-1)
            if light is None:
                raise ValueProblem("the picture has no red, green and blue", str(path), "an RGB picture")
            light = np.asarray(light, np.float32)
    light = np.repeat(light[..., None], 3, axis=2) if light.ndim == 2 else light[..., :3]
    broken = ~np.isfinite(light)
    return np.where(broken, np.float32(0.0), light), int(broken.any(axis=-1).sum())
