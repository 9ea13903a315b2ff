"""Baked light: what of a level's light is worked out once, on texels of its surfaces."""

from typing import Literal

from wallum.document.fields import Item, choice, parameter

__all__ = ["Baking"]


class Baking(Item):
    """What is baked, and how finely."""

    holds: Literal["from around", "all light"] = choice(
        "from around",
        label="Holds",
        help="From around: bounce, glow and sky. All light: sun and lamps too, which then draw nothing.",
    )
    texels: float = parameter(
        4.0,
        label="Texels",
        help="Of the pages, along a metre of surface.",
        unit="1/m",
        low=0.25,
        high=64.0,
        step=0.5,
        scale="log",
    )
    smallest: float = parameter(
        2.0,
        label="Smallest part",
        help="Parts with less surface than this have no texels: probes light them.",
        unit="m2",
        low=0.0,
        high=1e6,
        step=0.5,
    )
    paths: int = parameter(
        64,
        label="Paths",
        help="That are followed from each texel. Twice as many take twice as long.",
        low=4,
        high=4096,
        step=16,
        scale="log",
    )
    denoised: bool = parameter(
        True, label="Denoised", help="Whether the noise of few paths is taken out.", kind="switch"
    )
