"""Light on surfaces, and the sky behind them."""

from wallum.frame.pass_spec import PassSpec
from wallum.frame.pass_work import PassCounts, PassWork

__all__ = ["LIGHT", "LIGHT_ADDED", "LIGHT_OF_OTHERS", "LIGHT_OF_SEE_THROUGH"]

COUNTS = (
    "each",
    "pixels",
    "sky pixels",
    "cloud pixels",
    "sun pixels",
    "lamp pixels",
    "shadowed lamp pixels",
    "gobo pixels",
)


def _count(asked: PassWork) -> PassCounts:
    scene, pixels = asked.scene, asked.pixels + asked.layers
    counted = PassCounts({**dict.fromkeys(COUNTS, 0.0), "each": 1.0, "pixels": pixels})
    if scene.sky is not None:
        own = {"sky pixels": pixels}
        if scene.sky.cloud is not None:  # on the pixels of the sky
            own["cloud pixels"] = max(asked.pixels - asked.lit + asked.layers, 0.0)
        counted.sources[scene.sky.id] = own
    if scene.sun is not None:
        counted.sources[scene.sun.id] = {"sun pixels": asked.lit}
    for index, lamp_id in enumerate(scene.lamps.ids):
        reached = float(asked.lamp_pixels[index])
        if reached == 0.0:
            continue
        counted.sources[lamp_id] = {"lamp pixels": reached}
        if scene.lamps.casting[index]:
            counted.sources[lamp_id]["shadowed lamp pixels"] = reached
        if scene.lamps.rows["gobo"][index]:
            counted.sources[lamp_id]["gobo pixels"] = reached
    for room in scene.rooms:  # as a lamp that reaches so far costs
        counted.sources[room.id] = {
            "lamp pixels": float((room.share(asked.seen.points) > 0.0).sum()) * asked.each
        }
    for own in counted.sources.values():
        for name, value in own.items():
            counted.whole[name] += value
    return counted


LIGHT = PassSpec("light", COUNTS, _count)
# Of these three, what is foretold counts the light pass alone: a delivered frame has no source under a hand.
LIGHT_OF_OTHERS = PassSpec("light of the others")
LIGHT_ADDED = PassSpec("light added")
LIGHT_OF_SEE_THROUGH = PassSpec("light of see-through")
