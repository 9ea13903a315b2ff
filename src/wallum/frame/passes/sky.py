"""The sky as the other passes read it: its maps, what of it is open where, and the march of the deck."""

from wallum.frame.pass_spec import Described
from wallum.frame.pass_work import Asked, Counted
from wallum.frame.passes.bounce import by_probes
from wallum.physics.deck import DECK_STEPS

__all__ = ["CLOUDS", "SKY", "SKY_VISIBILITY"]


def _open(asked: Asked) -> Counted | None:
    sky = asked.scene.sky
    if sky is None or not asked.grid or not asked.scene.open_sky or by_probes(asked):
        return None
    counts = {"pixels": asked.pixels}
    return Counted(counts, {sky.id: dict(counts)})


def _march(asked: Asked) -> Counted | None:
    sky = asked.scene.sky
    if sky is None or sky.deck is None:
        return None
    counts = {"deck samples": asked.pixels / asked.quality.deck_part**2 * DECK_STEPS}
    return Counted(counts, {sky.id: dict(counts)})


SKY = Described("sky")
SKY_VISIBILITY = Described("sky visibility", ("pixels",), _open)
CLOUDS = Described("clouds", ("deck samples",), _march)
