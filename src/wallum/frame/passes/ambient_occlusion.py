"""Gaps that near surfaces darken for each other (ambient occlusion), laid over the surfaces."""

from wallum.frame.pass_spec import Described
from wallum.frame.pass_work import Asked, Counted

__all__ = ["GAPS"]


def _count(asked: Asked) -> Counted:
    return Counted({"pixels": asked.pixels if asked.scene.gaps is not None else 0.0})


GAPS = Described("gaps", ("pixels",), _count)
