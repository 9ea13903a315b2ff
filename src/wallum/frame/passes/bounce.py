"""Light that has come back from surfaces, looked up for each pixel."""

from wallum.frame.pass_spec import PassSpec
from wallum.frame.pass_work import PassCounts, PassWork

__all__ = ["PROBE_LIGHT", "PROBE_LIGHT_OF_HAND", "by_probes"]


def by_probes(asked: PassWork) -> bool:
    """Whether probes say what surfaces have of light from all around, and not the grid of the sky."""
    return asked.grid and asked.scene.bounce[0] > 0.0


def _count(asked: PassWork) -> PassCounts | None:
    pixels = asked.pixels * (1.0 - asked.baked)
    return PassCounts({"pixels": pixels}) if by_probes(asked) and pixels > 0.0 else None


# With what is seen of the sky, in whose place it comes.
PROBE_LIGHT = PassSpec("probe light", ("pixels",), _count)
# A delivered frame has no source under a hand.
PROBE_LIGHT_OF_HAND = PassSpec("probe light of the hand")
