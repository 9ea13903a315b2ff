"""How finely a frame is drawn: one value, so that a tier is data."""

from dataclasses import dataclass
from typing import Final

__all__ = ["HIGH", "TIERS", "Quality"]


@dataclass(frozen=True)
class Quality:
    """Sizes and steps of all that is drawn.

    lamp_atlas   : texels across the atlas of lamps' shadows
    tile_sizes   : texels across one of its tiles, by how many are wanted; the largest that fit are taken
    sun_texels   : most across a map of the sun's shadows, whatever the sun asks for
    sun_maps     : how many of them there are at most
    thumb_texels : the same across one for a thumbnail
    passing_texels, passing_maps : of a sun that is being moved
    deck_part    : the deck is marched for one pixel of so many each way
    coarse_pixels: pixels of a moving picture that its surfaces may be off by
    air_places   : columns, rows and slices of the volume that the air is lit in; no powers of two, see
                   realtime/gl/sizes.py
    settled      : pictures that a settled one is the mean of
    edge_samples : samples of a pixel, where the delivered picture has several
    indirect     : the truest way that light from all around is shown, see document.look
    """

    lamp_atlas: int = 4096
    tile_sizes: tuple[int, ...] = (512, 256, 128)
    sun_texels: int = 2048
    sun_maps: int = 3
    thumb_texels: int = 1024
    passing_texels: int = 384
    passing_maps: int = 2
    deck_part: int = 3
    coarse_pixels: float = 2.0
    air_places: tuple[int, int, int] = (60, 28, 40)
    settled: int = 64
    edge_samples: int = 4
    indirect: str = "probes"

    @property
    def passing_air(self) -> tuple[int, int, int]:
        """air_places of a moving picture, whose pixels are larger too; in whole cells of lists of lamps."""
        columns, rows, slices = (max(place * 5 // 7 // 4 * 4, 4) for place in self.air_places)
        return columns, rows, slices


HIGH: Final = Quality()
# Tiers of the delivered lighting, from the cheapest on.
TIERS: Final = {
    "low": Quality(
        lamp_atlas=2048,
        tile_sizes=(256, 128, 64),
        sun_texels=1024,
        sun_maps=2,
        deck_part=5,
        air_places=(28, 20, 20),
        edge_samples=2,
        indirect="flat",
    ),
    "medium": Quality(
        tile_sizes=(256, 128), sun_texels=1536, deck_part=4, air_places=(36, 20, 28), indirect="sky alone"
    ),
    "high": HIGH,
    "ultra": Quality(
        tile_sizes=(1024, 512, 256),
        sun_texels=4096,
        sun_maps=4,
        deck_part=2,
        air_places=(112, 60, 68),
        edge_samples=8,
    ),
}
