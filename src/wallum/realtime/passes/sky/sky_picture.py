"""A panorama behind everything, as a texture that is kept while the same picture is the sky."""

import math
from pathlib import Path

import moderngl
import numpy as np

from wallum.level.importers.images.panorama_file import read_panorama
from wallum.moment.scene import SkyPicture

__all__ = ["PictureTexture"]

# Half floats end at 65,504.
BRIGHTEST = 60_000.0


class PictureTexture:
    """The picture that was shown last. Its light is kept about 1, so that no half float overflows."""

    def __init__(self, context: moderngl.Context) -> None:
        self._context = context
        self._key: object = None
        self._texture: moderngl.Texture | None = None
        self._mean = 1.0

    def take(self, picture: SkyPicture) -> None:
        """Read the picture where it is not there yet. Raises LevelProblem."""
        key = (picture.file, picture.stamp, picture.disc_out)
        if self._key == key:
            return
        pixels = read_panorama(Path(picture.file), picture.disc_out)
        self._mean = max(float(pixels.mean()), 1e-9)
        if self._texture is not None:
            self._texture.release()
        scaled = np.minimum(pixels / np.float32(self._mean), BRIGHTEST).astype(np.float16)
        self._texture = self._context.texture(pixels.shape[1::-1], 3, scaled, dtype="f2", alignment=2)
        self._texture.build_mipmaps()
        self._texture.filter = (moderngl.LINEAR_MIPMAP_LINEAR, moderngl.LINEAR)
        self._texture.repeat_x, self._texture.repeat_y = True, False
        self._key = key

    def uniforms(self, picture: SkyPicture, pixel_rad: float, exposure: float) -> dict[str, object]:
        """Values of include/sky_behind.glsl.

        pixel_rad : how much of the sky one reading stands for [rad]
        """
        assert self._texture is not None
        view, whole = picture.view, picture.view.gain * self._mean
        blurred = max(math.log2(pixel_rad * self._texture.size[0] / (2.0 * math.pi)), 0.0)
        return {
            "dome": self._texture,
            "dome_exposure": exposure * whole,
            "picture_place": (
                view.turn_deg / 360.0,
                view.horizon_deg / 90.0,
                view.contrast - 1.0,
                self._mean / view.middle,
            ),
            "picture_light": (*(part / max(whole, 1e-30) for part in view.added), blurred),
        }
