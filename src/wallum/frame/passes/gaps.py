"""Gaps that near surfaces darken for each other (ambient occlusion), laid over the surfaces."""

from wallum.frame.asked import Asked, Counted
from wallum.frame.described import Described

__all__ = ["GAPS"]


def _count(asked: Asked) -> Counted:
    return Counted({"pixels": asked.pixels if asked.scene.gaps is not None else 0.0})


GAPS = Described("gaps", ("pixels",), _count)
