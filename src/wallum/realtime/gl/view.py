"""A camera with a jitter, as the passes take it."""

from wallum.moment.camera import Camera
from wallum.physics.exposure import exposure_scale
from wallum.realtime.gl.targets import Size

__all__ = ["View", "pre_exposure"]

# Exposure is kept in half floats in steps of this many stops, so that small changes of
# exposure only develop anew.
PRE_EXPOSURE_STEP = 4.0
GOLDEN = 0.6180339887


def pre_exposure(ev100: float) -> float:
    """Factor from luminance [cd/m2] to what the half-float targets hold."""
    return exposure_scale(round(ev100 / PRE_EXPOSURE_STEP) * PRE_EXPOSURE_STEP)


class View:
    """Uniforms of a camera and a jitter; `show` is one of request.VIEWS, `show_of` what it is about."""

    def __init__(
        self,
        camera: Camera,
        jitter: tuple[float, float] = (0.0, 0.0),
        show: str = "final",
        show_of: str = "",
    ) -> None:
        self.show, self.show_of = show, show_of
        self.camera = camera
        self.jitter = jitter
        self.to_clip = camera.projection(jitter) @ camera.view()
        self.uniforms: dict[str, object] = {
            "eye": camera.eye,
            "jitter": jitter,
            "tangents": camera.tangents,
            "camera_axes": camera.rotation().astype("f4").tobytes(),
        }

    def turn(self, size: Size) -> float:
        """Another number, 0 to 1, for each jitter of a picture of a size: what is left to chance differs."""
        width, height = size
        return (self.jitter[0] * width * 7.3 + self.jitter[1] * height * 3.1) * GOLDEN % 1.0

    def depth_of(self, depth_m: float) -> float:
        """Where a depth before the camera lies between -1 and 1 of clip space."""
        near, far = self.camera.near, self.camera.far
        depth = min(max(depth_m, near), far)
        return (far + near - 2.0 * far * near / depth) / (far - near)

    def pixel_uniforms(self, size: Size) -> dict[str, object]:
        """Values of include/pixel.glsl for a picture of a size."""
        width, height = size
        right, up, back = self.camera.rotation()
        across, along = self.camera.tangents
        first = -(1.0 + self.jitter[0]) * across * right - (1.0 + self.jitter[1]) * along * up - back
        return {
            "pixel_size": (1.0 / width, 1.0 / height),
            "ray_first": tuple(first),
            "ray_right": tuple(2.0 * across / width * right),
            "ray_up": tuple(2.0 * along / height * up),
        }
