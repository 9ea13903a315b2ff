"""From light to the picture that is shown."""

from wallum.frame.pass_spec import PassSpec
from wallum.frame.pass_work import PassCounts, PassWork
from wallum.physics.grade import NEUTRAL_GRADE

__all__ = ["DEVELOP", "EDGES", "FOCUS", "INSPECT", "METER", "READ_BACK", "SAMPLE"]


def _count(asked: PassWork) -> PassCounts:
    look, pixels = asked.scene.look, asked.pixels
    chained = look.white is not None or look.grade != NEUTRAL_GRADE or look.table is not None
    more = look.lens.fringe != 0.0 or look.lens.grain > 0.0 or look.night_eye > 0.0
    return PassCounts(
        {
            "pixels": pixels,
            "vignette pixels": pixels * look.lens.shaded,
            "bloom pixels": pixels * (look.bloom.amount > 0.0),
            "chain pixels": pixels * (int(chained) + int(more)),
        }
    )


def _focus(asked: PassWork) -> PassCounts | None:
    return None if asked.scene.look.focus is None else PassCounts({"pixels": asked.pixels})


def _edges(asked: PassWork) -> PassCounts | None:
    """Of the filter every pixel; of samples each that a pixel has more than one."""
    if asked.edges == "none":
        return None
    more = asked.pixels * (asked.quality.edge_samples - 1) if asked.edges == "samples" else 0.0
    return PassCounts({"pixels": asked.pixels if asked.edges == "filter" else 0.0, "samples": more})


INSPECT = PassSpec("inspect")  # surfaces without any light, in the place of it
METER = PassSpec("meter")
SAMPLE = PassSpec("sample")  # for scopes
FOCUS = PassSpec("focus", ("pixels",), _focus)
DEVELOP = PassSpec("develop", ("pixels", "vignette pixels", "bloom pixels", "chain pixels"), _count)
EDGES = PassSpec("edges", ("pixels", "samples"), _edges)
READ_BACK = PassSpec("read back")
