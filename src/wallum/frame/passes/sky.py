"""The sky as the other passes read it: its maps, what of it is open where, and the march of the deck."""

from wallum.frame.pass_spec import PassSpec
from wallum.frame.pass_work import PassCounts, PassWork
from wallum.frame.passes.bounce import by_probes
from wallum.physics.deck import DECK_STEPS

__all__ = ["CLOUDS", "SKY", "SKY_VISIBILITY"]


def _open(asked: PassWork) -> PassCounts | None:
    sky = asked.scene.sky
    if sky is None or not asked.grid or not asked.scene.open_sky or by_probes(asked):
        return None
    counts = {"pixels": asked.pixels}
    return PassCounts(counts, {sky.id: dict(counts)})


def _march(asked: PassWork) -> PassCounts | None:
    sky = asked.scene.sky
    if sky is None or sky.deck is None:
        return None
    counts = {"deck samples": asked.pixels / asked.quality.deck_part**2 * DECK_STEPS}
    return PassCounts(counts, {sky.id: dict(counts)})


SKY = PassSpec("sky")
SKY_VISIBILITY = PassSpec("sky visibility", ("pixels",), _open)
CLOUDS = PassSpec("clouds", ("deck samples",), _march)
