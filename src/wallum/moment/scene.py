"""LitScene: what lights the level at one moment, as flat arrays."""

from dataclasses import dataclass, field, replace
from functools import cached_property
from pathlib import Path
from typing import Final

import numpy as np
from numpy.typing import NDArray

from wallum.level.importers.images.panorama_file import read_panorama
from wallum.memo import FieldsAlone
from wallum.moment.ambient_box_light import AmbientBoxLight
from wallum.moment.lamps import Lamps
from wallum.moment.resolved_look import ResolvedLook
from wallum.physics.card import Card
from wallum.physics.cloud_shadow import CloudShadow, ShadowMap
from wallum.physics.deck import Deck, deck_along
from wallum.physics.dome import irradiance_terms, sample_dome
from wallum.physics.high_cloud import HighCloud, over_sky
from wallum.physics.medium import Medium
from wallum.physics.panorama import PanoramaView, panorama_light
from wallum.physics.screen_shafts import Radial

__all__ = [
    "AIR_ID",
    "BOUNCE_ID",
    "GLOW_ID",
    "SCREEN_ID",
    "SUN_MAPS",
    "UNLIT_ID",
    "AmbientOcclusion",
    "Disc",
    "Dome",
    "LitScene",
    "SkyPicture",
    "Stars",
    "Sun",
]

# Stands for all glowing surfaces where sources are named by their ids.
GLOW_ID = "glow"
# Between that and the material that glows.
OF = "|"
# The same for air that shows light, and for surfaces that ask for none.
AIR_ID, UNLIT_ID = "air", "unlit"
# Light that has come back from surfaces.
BOUNCE_ID = "bounce"
# And for what is drawn out over the picture.
SCREEN_ID = "screen shafts"


# Reach [m], texels and number of the sun's shadow maps, where nothing else is said.
SUN_MAPS: Final = (150.0, 1024, 3)


@dataclass(frozen=True)
class Sun:
    """The one far light: the sun, or the moon once that has taken over.

    direction points to it; illuminance is RGB, facing it, the mean about the level's middle [lx]
    maps   : how its shadows are drawn: reach [m], texels across each map, how many maps
    clouds : what stands before it, and RGB illuminance over that [lx]; None where nothing does
    through: the level's air, and how long the way through it is over that straight up: `illuminance` is
             that at base height
    in_air, air_shadow : how strongly air shows its light, 1 is true; whether its shadow counts there
    """

    id: str
    direction: NDArray[np.float64]
    illuminance: NDArray[np.float64]
    disc_rad: float
    shadow: bool
    maps: tuple[float, int, int] = SUN_MAPS
    clouds: tuple[CloudShadow, NDArray[np.float64]] | None = None
    through: tuple[Medium, float] | None = None
    in_air: float = 1.0
    air_shadow: bool = True

    @property
    def key(self) -> tuple[object, ...]:
        """What its light and its shadow depend on, but for the air that it comes through."""
        clouds = None if self.clouds is None else (self.clouds[0], *self.clouds[1])
        where = (*self.direction, *self.illuminance, self.disc_rad, self.shadow, *self.maps)
        return *where, clouds

    def times(self, gain: float | NDArray[np.float64]) -> "Sun":
        """The same, brighter by a factor, or by one a channel (3,)."""
        clouds = None if self.clouds is None else (self.clouds[0], self.clouds[1] * gain)
        return replace(self, illuminance=self.illuminance * gain, clouds=clouds)

    def at(self, points: NDArray[np.float64], over: ShadowMap | None = None) -> NDArray[np.float64]:
        """(N, 3) RGB illuminance of points (N, 3), facing it, as far as clouds and air let it through [lx].

        over : a map of the clouds' shadow that holds all the points, where there is one
        """
        if self.clouds is None:
            out = np.broadcast_to(self.illuminance, (len(points), 3))
        else:
            shadow, above = self.clouds
            out = np.outer((over or shadow).left(points), above)
        if self.through is None:
            return out
        air, mass = self.through
        return out * air.from_far(points[:, 1], mass)


@dataclass(frozen=True)
class Disc:
    """A body as it is seen on the sky: a ball of one luminance, RGB [cd/m2].

    lit_from : direction of the light that it shows; None for one that shines itself
    """

    direction: NDArray[np.float64]
    luminance: NDArray[np.float64]
    radius_rad: float
    lit_from: NDArray[np.float64] | None = None


@dataclass(frozen=True)
class Stars:
    """How the stars stand: (3, 3) from equatorial directions to the level, a strength, and how much
    they twinkle, at a phase that runs on with the clock."""

    turn: NDArray[np.float64]
    strength: float
    twinkle: float = 0.0
    phase: float = 0.0


# The air before far ground shows the sky this far over the horizon.
VEIL_SINE: Final = 0.02


@dataclass(frozen=True)
class SkyPicture:
    """A panorama that is the sky: its file, whether its sun is out of it, and how it stands.

    stamp : of the file's last change, so that a picture painted anew is another one
    """

    file: str
    stamp: int
    disc_out: bool
    view: PanoramaView

    def toward(self, directions: NDArray[np.float64]) -> NDArray[np.float64]:
        """(N, 3) luminance toward unit directions (N, 3) [cd/m2]."""
        return panorama_light(read_panorama(Path(self.file), self.disc_out), self.view, directions)

    def times(self, gain: float, added: tuple[float, float, float] = (0.0, 0.0, 0.0)) -> "SkyPicture":
        """The same, brighter by a factor, and with light over it."""
        red, green, blue = (gain * own + more for own, more in zip(self.view.added, added, strict=True))
        view = replace(self.view, gain=self.view.gain * gain, added=(red, green, blue))
        return replace(self, view=view)


@dataclass(frozen=True, eq=False)
class Dome(FieldsAlone):
    """Light of the sky by direction: luminance (H, W, 3) of the upper half, and of the far
    ground (3,) [cd/m2], see physics.dome.

    key      : what the luminance was made from; equal keys mean equal domes, in any process
    cloud, deck : high cloud and the deck, which `luminance` has in it and `backdrop` has not
    backdrop : (H, W, 3) the sky behind the cloud, at any size; None where `luminance` is all
    picture  : a panorama that is the sky behind the cloud instead
    veil     : (3,) extinction [1/m] of the air before far ground, which shows the sky's light
    mirrored : what its image in smooth surfaces is multiplied with
    in_air, air_shadow : as of the sun; its shadow is what of the sky is seen where
    air_light : (H, W, 3) the level's air's own light, which `luminance` has in it and `backdrop` has not
    """

    id: str
    luminance: NDArray[np.float32]
    ground: NDArray[np.float64]
    key: tuple[float, ...]
    discs: tuple[Disc, ...] = ()
    stars: Stars | None = None
    cloud: HighCloud | None = None
    backdrop: NDArray[np.float32] | None = None
    mirrored: float = 1.0
    veil: tuple[float, float, float] = (0.0, 0.0, 0.0)
    deck: Deck | None = None
    picture: SkyPicture | None = None
    in_air: float = 1.0
    air_shadow: bool = True
    air_light: NDArray[np.float32] | None = None

    @property
    def behind(self) -> NDArray[np.float32]:
        """The sky behind the cloud as a map, as finely as there is one."""
        return self.luminance if self.backdrop is None else self.backdrop

    def _behind(self, directions: NDArray[np.float64]) -> NDArray[np.float64]:
        """(N, 3) sky behind the cloud, or far ground, toward unit directions [cd/m2]."""
        if self.picture is None:
            return sample_dome(self.behind, self.ground, directions)
        out = self.picture.toward(directions)
        out[directions[:, 1] <= 0.0] = self.ground
        return out

    @cached_property
    def terms(self) -> NDArray[np.float64]:
        """(9, 3) terms of illuminance by normal."""
        return irradiance_terms(self.luminance, self.ground)

    @cached_property
    def upper_terms(self) -> NDArray[np.float64]:
        """(9, 3) the same of the upper half alone, as the air sees it: without its own light."""
        upper = self.luminance if self.air_light is None else self.luminance - self.air_light
        return irradiance_terms(upper, np.zeros(3))

    @cached_property
    def air_terms(self) -> NDArray[np.float64]:
        """(9, 3) the same of what the air is lit by: all but its own light."""
        if self.air_light is None:
            return self.terms
        return self.terms - irradiance_terms(self.air_light, np.zeros(3))

    def seen(
        self,
        directions: NDArray[np.float64],
        eye: tuple[float, float, float] = (0.0, 0.0, 0.0),
        floor_y: float = 0.0,
        discs: bool = False,
        deck: bool = True,
    ) -> NDArray[np.float64]:
        """(N, 3) luminance toward unit directions (N, 3), as an eye of the level sees it [cd/m2].

        floor_y : height of far ground [m]; discs : sun and moon themselves, too; deck : with it
        """
        d = np.asarray(directions)
        out = self._behind(d)
        down = np.flatnonzero(d[:, 1] < 0.0)
        if max(self.veil) > 0.0 and len(down):
            distance = max(eye[1] - floor_y, 0.0) / -d[down, 1]
            selected = np.exp(-distance[:, None] * np.array(self.veil))
            level = d[down] * np.array([1.0, 0.0, 1.0]) + np.array([0.0, VEIL_SINE, 0.0])
            level /= np.linalg.norm(level, axis=1, keepdims=True)
            out[down] = out[down] * selected + self._behind(level) * (1.0 - selected)
        for disc in self.discs if discs else ():
            out[d @ disc.direction > np.cos(disc.radius_rad)] = disc.luminance
        if self.cloud is not None:
            out = over_sky(self.cloud, d, out)
        if self.deck is not None and deck:
            light, left = deck_along(self.deck, d, np.array(eye))
            out = out * left[:, None] + light
        return out


@dataclass(frozen=True)
class AmbientOcclusion:
    """Ambient occlusion: light from all around that near surfaces keep from each other.

    reach_m : how far away they may be; behind_m : how far before a surface they may lie in the picture
    strength : 0 to 1; direct : share of it that dims light straight from its source
    """

    reach_m: float
    behind_m: float
    strength: float
    direct: float


@dataclass(frozen=True)
class LitScene:
    """All light of one moment, and the look it is seen with.

    look     : what the picture does with it
    glow_gain: what all glow is multiplied with
    cards    : sheets that stand for lit air; screen : what is drawn out from sun or moon over the picture
    gaps     : how narrow gaps are darkened; None: not at all
    bounce   : what light from surfaces is multiplied with, how much of its colour it keeps; (1, 1) is true
    open_sky : whether surfaces have the light of what they see of the sky
    flat     : (3,) illuminance that all have instead [lx]; None: none
    glow     : by lamp id, the share of its set light that a lamp gives which glow follows
    rooms    : boxes with light of their own from all around
    still    : ids of sources of which baked light is shown where there is any; None: none is
    bodies   : ids of parts whose glow is a lamp's light: it shows, and lights nothing beside that
    """

    lamps: Lamps
    sun: Sun | None
    sky: Dome | None
    look: ResolvedLook
    air: Medium | None = None
    cards: tuple[Card, ...] = ()
    screen: Radial | None = None
    glow: dict[str, float] = field(default_factory=dict)
    glow_gain: float = 1.0
    bounce: tuple[float, float] = (1.0, 1.0)
    gaps: AmbientOcclusion | None = None
    open_sky: bool = True
    flat: NDArray[np.float64] | None = None
    bodies: frozenset[str] = frozenset()
    rooms: tuple[AmbientBoxLight, ...] = ()
    still: frozenset[str] | None = None

    def without_shadows(self) -> "LitScene":
        """The scene as if nothing stood in the way of light."""
        rows = self.lamps.rows.copy()
        rows["shadow"] = 0.0
        sun = replace(self.sun, shadow=False) if self.sun else None
        return replace(self, lamps=Lamps(self.lamps.ids, rows), sun=sun)

    def direct(self) -> "LitScene":
        """What comes straight from the sources: no air between, no light off the far ground."""
        sky = self.sky
        if sky is not None:
            sky = replace(sky, ground=np.zeros(3), key=(*sky.key, -1.0))
        return replace(self, sky=sky, air=None, cards=(), screen=None, flat=None, rooms=())

    def only(self, source_id: str) -> "LitScene":
        """The scene with one source alone; GLOW_ID for glowing surfaces alone."""
        others = (self.sun, self.sky, *self.cards, *self.rooms)
        ids = {*self.lamps.ids, *(other.id for other in others if other is not None)}
        gain = self.glow_gain if source_id == GLOW_ID else 0.0
        alone = self.without(frozenset(ids - {source_id}))
        selected = self.screen if self.sun is not None and source_id == self.sun.id else None
        return replace(alone, glow_gain=gain, screen=selected)

    def pocket_alone(self, pocket_id: str) -> "LitScene | None":
        """The scene with one pocket as all the air that there is; None where no pocket has that id."""
        pockets = (
            () if self.air is None else tuple(pocket for pocket in self.air.pockets if pocket.id == pocket_id)
        )
        if self.air is None or not pockets:
            return None
        clear = replace(self.air.layers[0], extinction=0.0)
        air = replace(self.air, layers=(clear,), pockets=pockets)
        return replace(self, air=air, cards=(), screen=None)

    def without(self, ids: frozenset[str]) -> "LitScene":
        """The scene without some sources."""
        if not ids:
            return self
        keep = np.array([item not in ids for item in self.lamps.ids], dtype=bool)
        return replace(
            self,
            lamps=self.lamps.only(keep),
            sun=None if self.sun and self.sun.id in ids else self.sun,
            sky=None if self.sky and self.sky.id in ids else self.sky,
            flat=None if self.sky and self.sky.id in ids else self.flat,
            cards=tuple(card for card in self.cards if card.id not in ids),
            rooms=tuple(room for room in self.rooms if room.id not in ids),
        )
