"""The target: what the delivered picture is drawn on, and what of a frame lighting may take."""

from typing import Literal

from pydantic import Field

from wallum.document.fields import Item, choice, parameter

__all__ = ["STAND_INS", "Edges", "Target"]


Edges = Literal["none", "filter", "samples"]


def _count(default: int, label: str, help_text: str, high: int, heading: str = "Traits") -> int:
    return parameter(
        default,
        label=label,
        help=help_text,
        low=0,
        high=high,
        step=1.0,
        first=False,
        heading=heading,
    )


class Target(Item):
    """A device profile, the picture it draws, how often, and what it can do."""

    name: str = Field(default="couch 60", min_length=1, max_length=100)
    profile: str = choice(
        "couch 60",
        label="Device",
        help="The profile that frame times are worked out with: a stand-in, or a file of your own.",
        words=("pocket 30", "couch 60", "tower 120"),
    )
    width: int = parameter(
        1920, label="Width", help="Pixels across.", unit="px", low=64, high=16384, step=16.0
    )
    height: int = parameter(
        1080, label="Height", help="Pixels down.", unit="px", low=64, high=16384, step=16.0
    )
    frame_rate: float = parameter(
        60.0, label="Frames", help="Pictures a second.", unit="1/s", low=1.0, high=500.0, step=1.0
    )
    edges: Edges = choice(
        "none",
        label="Edges",
        help="Of the delivered picture: as they are, by a filter over it, or by several samples a pixel.",
    )
    share: float = parameter(
        0.45, label="Lighting's share", help="Share of a frame that lighting may take.",
        low=0.01, high=1.0, step=0.01,
    )  # fmt: skip
    lights_per_pixel: int = _count(16, "Lights a pixel", "Most lamps that may light one pixel.", 1024)
    shadowed_per_pixel: int = _count(4, "Shadowed a pixel", "Most of them that may cast shadows.", 256)
    baked: Literal["yes", "no"] = choice(
        "yes", label="Baked light", help="Whether baked light can be shown.", first=False, heading="Traits"
    )
    memory_mb: float = parameter(
        256.0,
        label="Memory",
        help="For shadow maps, lightmaps and probes.",
        unit="MB",
        low=1.0,
        high=65536.0,
        step=8.0,
        first=False,
        heading="Traits",
    )

    @property
    def aspect(self) -> float:
        """Width over height of its picture."""
        return self.width / self.height

    @property
    def budget_ms(self) -> float:
        """Time that lighting may take of a frame [ms]."""
        return 1000.0 / self.frame_rate * self.share


# Illustrative stand-ins: no device was measured for them.
STAND_INS = (
    Target(name="pocket 30", profile="pocket 30", width=1280, height=720, frame_rate=30.0,
           lights_per_pixel=8, shadowed_per_pixel=2, memory_mb=96.0),
    Target(),
    Target(name="tower 120", profile="tower 120", width=2560, height=1440, frame_rate=120.0,
           lights_per_pixel=32, shadowed_per_pixel=8, memory_mb=1024.0),
)  # fmt: skip
