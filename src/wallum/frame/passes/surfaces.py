"""Surfaces: what the camera sees, and what of it is seen through."""

from wallum.frame.pass_spec import Described
from wallum.frame.pass_work import Asked, Counted

__all__ = ["SEE_THROUGH", "SURFACES"]


def _count(asked: Asked) -> Counted:
    pixels = asked.pixels + asked.layers
    return Counted({"each": 1.0, "pixels": pixels, "triangles": asked.triangles})


SURFACES = Described("surfaces", ("each", "pixels", "triangles"), _count)
# Its pixels are counted with the surfaces.
SEE_THROUGH = Described("see-through surfaces")
