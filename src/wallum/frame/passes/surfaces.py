"""Surfaces: what the camera sees, and what of it is seen through."""

from wallum.frame.pass_spec import PassSpec
from wallum.frame.pass_work import PassCounts, PassWork

__all__ = ["SEE_THROUGH", "SURFACES"]


def _count(asked: PassWork) -> PassCounts:
    pixels = asked.pixels + asked.layers
    return PassCounts({"each": 1.0, "pixels": pixels, "triangles": asked.triangles})


SURFACES = PassSpec("surfaces", ("each", "pixels", "triangles"), _count)
# Its pixels are counted with the surfaces.
SEE_THROUGH = PassSpec("see-through surfaces")
