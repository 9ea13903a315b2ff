"""Light that a level's file brought along, and whether it is kept."""

from wallum.document.fields import Item, parameter

__all__ = ["LevelLight"]


class LevelLight(Item):
    """Light that the level's file brought along, and whether it is kept."""

    glow: bool = parameter(
        True, label="Glow", help="Whether glowing surfaces of the level give light.", kind="switch"
    )
    unlit: bool = parameter(
        True,
        label="Unlit surfaces",
        help="On: surfaces that ask for no light are shown as they are. Off: they are lit as others.",
        kind="switch",
    )
    vertex_colours: bool = parameter(
        True,
        label="Vertex colours",
        help="Whether colours of corners, where light may have been painted in, tint the surfaces.",
        kind="switch",
    )
    occlusion: bool = parameter(
        True,
        label="Occlusion maps",
        help="Whether baked maps of corners and gaps dim the light of the sky.",
        kind="switch",
    )
