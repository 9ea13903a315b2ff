"""Pictures as files: PNG for what is shown, EXR for light."""

from pathlib import Path

import numpy as np
import OpenEXR
from numpy.typing import NDArray
from PIL import Image

from wallum.errors import ExportProblem
from wallum.faults import reading, said
from wallum.files import written_whole

__all__ = ["read_exr", "write_exr", "write_png"]


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
