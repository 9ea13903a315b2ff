"""Gaps that near surfaces darken for each other (ambient occlusion), laid over the surfaces."""

from wallum.frame.pass_spec import PassSpec
from wallum.frame.pass_work import PassCounts, PassWork

__all__ = ["GAPS"]


def _count(asked: PassWork) -> PassCounts:
    return PassCounts({"pixels": asked.pixels if asked.scene.gaps is not None else 0.0})


GAPS = PassSpec("gaps", ("pixels",), _count)
