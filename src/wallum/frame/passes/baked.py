"""Light that was baked, looked up on its pages for each pixel."""

from wallum.frame.pass_spec import PassSpec
from wallum.frame.pass_work import PassCounts, PassWork

__all__ = ["BAKED_LIGHT"]


def _count(asked: PassWork) -> PassCounts | None:
    # A delivered frame reads its pages where it draws its surfaces.
    return PassCounts({"pixels": asked.pixels * asked.baked}) if asked.baked > 0.0 else None


# Before what probes say: where it is, they say the rest.
BAKED_LIGHT = PassSpec("baked light", ("pixels",), _count)
