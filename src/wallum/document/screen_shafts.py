"""Screen shafts: rays about the sun's place in the picture, a fake that costs the same everywhere."""

from wallum.document.coloured import LinearColour
from wallum.document.fields import Item, declared, parameter

__all__ = ["ScreenShafts"]


class ScreenShafts(Item):
    """Light and shade drawn out from sun or moon over the finished picture."""

    on: bool = parameter(
        False,
        label="On",
        help="Whether light is drawn out from sun or moon over the picture: a fake, for where no air is lit "
        "place by place.",
        kind="switch",
    )
    strength: float = parameter(
        0.3,
        label="Brightens",
        help="How much light they add where all of the way to the sun is open: 1 is as bright as air too "
        "thick to see through.",
        low=0.0,
        high=20.0,
        step=0.02,
    )
    darkens: float = parameter(
        0.0,
        label="Darkens",
        help="Share of light that they take where all of the way to the sun is blocked.",
        low=0.0,
        high=1.0,
        step=0.02,
    )
    threshold: float = parameter(
        -1.5,
        label="Threshold",
        help="How bright the sky must be to give shafts, over its mean.",
        unit="stops",
        low=-12.0,
        high=12.0,
        step=0.25,
    )
    tint: LinearColour = parameter(
        (1.0, 1.0, 1.0), label="Tint", help="What the sun's colour is multiplied with.", kind="colour"
    )
    length: float = parameter(
        0.8,
        label="Length",
        help="How far they reach from the sun, over the picture's height.",
        low=0.05,
        high=3.0,
        step=0.05,
    )

    def inactive(self) -> frozenset[str]:
        return frozenset() if self.on else frozenset(declared(self)) - {"on"}
