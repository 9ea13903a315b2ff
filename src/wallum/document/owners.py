"""Who owns parameters: one line for each group of the project that has any, beside sources and shots.

What may be pegged, set, shown in the tune pane, kept in variants and listed in lanes follows from here.
"""

from dataclasses import dataclass
from typing import Final

__all__ = ["LISTS", "OWNERS", "PEGGED", "VARIED", "Owner", "title_of"]

# Lists of items that have parameters, each by the address word of its item.
LISTS: Final = ("sources", "shots")


@dataclass(frozen=True)
class Owner:
    """One group: a field of the project, and the first word of its paths.

    title  : as it is called at the desk and in documents
    tab    : its word in the tune pane, with a tip; empty where the pane has none
    pegged : whether its values can have lanes, and so belong to a kept day
    varied : whether it is part of a variant of the lighting
    """

    name: str
    title: str
    tab: str = ""
    tip: str = ""
    pegged: bool = False
    varied: bool = False


OWNERS: Final[dict[str, Owner]] = {
    item.name: item
    for item in (
        Owner("look", "Picture", "Picture", "Exposure of the picture", pegged=True, varied=True),
        Owner(
            "air",
            "Air",
            "Air",
            "Haze that fills the level, and how all air is seen",
            pegged=True,
            varied=True,
        ),
        Owner("mist", "Ground mist", pegged=True, varied=True),  # shown with the air
        Owner("screen_shafts", "Screen shafts", pegged=True, varied=True),  # shown with the air
        Owner("setting", "Place and day", "Place", "Where on Earth, which day, how long a day lasts"),
        Owner("balance", "Balance", varied=True),
        Owner(
            "target",
            "Target",
            "Target",
            "What the delivered picture is drawn on, and what lighting may take of a frame",
        ),
        Owner("level_light", "Light of the level", varied=True),
        Owner(
            "baking", "Baked light", "Baked", "Light that is worked out once and kept on the level's surfaces"
        ),
        Owner("level_fit", "How the level lies"),
        Owner("figure", "Figure", "Figure", "The stand-in with its grey and mirror ball"),
    )
}
PEGGED: Final = tuple(item.name for item in OWNERS.values() if item.pegged)
VARIED: Final = tuple(item.name for item in OWNERS.values() if item.varied)


def title_of(owner: str) -> str:
    """How a group is called."""
    return OWNERS[owner].title
