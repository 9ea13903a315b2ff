"""Sources: everything that gives light and that the artist can set. A kind is a class in a file of its
own, and a line of `Source` here."""

from typing import Annotated, Final

from pydantic import Field

from wallum.document.coloured import Coloured, new_id
from wallum.document.sky import SkySource
from wallum.document.sources.beam import BeamSource
from wallum.document.sources.far import FarLight, MoonSource, SunSource
from wallum.document.sources.lamp import Lamp
from wallum.document.sources.panel import PanelSource
from wallum.document.sources.placed import Placed
from wallum.document.sources.pocket import PocketSource
from wallum.document.sources.punctual import GOBO_VALUES, PointSource, SpotSource
from wallum.document.sources.room import AmbientBoxSource
from wallum.document.sources.sheets import CardSource, Sheets, VeilSource
from wallum.document.sources.tube import TubeSource
from wallum.document.sources.zone import ZoneSource

__all__ = [
    "GOBO_VALUES",
    "GROUPS",
    "LAMP_KINDS",
    "AmbientBoxSource",
    "BeamSource",
    "CardSource",
    "Coloured",
    "FarLight",
    "Lamp",
    "MoonSource",
    "PanelSource",
    "Placed",
    "PocketSource",
    "PointSource",
    "Sheets",
    "SkySource",
    "Source",
    "SpotSource",
    "SunSource",
    "TubeSource",
    "VeilSource",
    "ZoneSource",
    "new_id",
]

# Groups of the balance, by what a source is for.
GROUPS: Final[dict[str, str]] = {
    "base": "base", "lamp": "lamps", "key": "accents", "fill": "accents", "rim": "accents",
    "accent": "accents",
}  # fmt: skip

Source = Annotated[
    SunSource
    | MoonSource
    | SkySource
    | PointSource
    | SpotSource
    | PanelSource
    | TubeSource
    | BeamSource
    | PocketSource
    | CardSource
    | VeilSource
    | AmbientBoxSource
    | ZoneSource,
    Field(discriminator="kind"),
]
# Kinds of lamps by their word.
LAMP_KINDS: Final[dict[str, type[Lamp]]] = {
    str(kind.model_fields["kind"].default): kind
    for kind in (PointSource, SpotSource, PanelSource, TubeSource, BeamSource)
}
