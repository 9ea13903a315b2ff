"""What the sky shows at a moment, by its kind: maps of luminance, and the cloud before them."""

import logging
import math
from dataclasses import dataclass, replace
from functools import lru_cache
from pathlib import Path

import numpy as np
from numpy.typing import NDArray

from wallum.document.sources import MoonSource, SkySource
from wallum.errors import LevelProblem
from wallum.level.importers.images.panorama_file import changed_at, small_panorama
from wallum.moment.scene import SkyPicture
from wallum.physics.arrays import Floats
from wallum.physics.clear_sky import NIGHT_LX, clear_dome, night_dome, sky_illuminance
from wallum.physics.colour import LUMINANCE_WEIGHTS, luminance
from wallum.physics.deck import Deck, deck_along
from wallum.physics.dome import DOME_SIZE, dome_directions, dome_illuminance, plain_dome
from wallum.physics.ephemeris import BodyPlace, direction_to
from wallum.physics.gradient_sky import GradientSky, gradient_dome
from wallum.physics.high_cloud import TILE_OF_SIZE, HighCloud
from wallum.physics.panorama import PanoramaView, contrasted, panorama_dome
from wallum.physics.sky_air import EARTH_M, SkyAir, extinction, transmitted
from wallum.physics.sky_trims import SkyTrims, low_sun_tint, trimmed
from wallum.physics.sunlight import LUNAR_LX, SOLAR_LX, phase_factor, visible_share

__all__ = ["ResolvedSky", "air_of", "cloud_of", "deck_of", "shown_sky", "sky_lux", "under_deck"]

log = logging.getLogger(__name__)
# A sky of one body this much fainter than all the rest is left out.
FAINTEST = 1e-4
HAZE_NODES = (0.0, 0.25, 0.5, 0.7, 1.0, 1.4, 2.0, 2.8, 4.0, 5.6, 8.0, 11.2, 16.0, 22.6)
LIGHT_STEPS = 10
DAY_S = 86_400.0
# Share of the sun's and the sky's light that high cloud shows from below all over.
EVEN_OF_SUN, EVEN_OF_SKY = 0.10, 0.8


@dataclass(frozen=True)
class ResolvedSky:
    """Luminance (H, W, 3) [cd/m2] before any cloud; `picture` is the same for the eye, where there
    is more to see than light needs; `ground` (3,) where the kind says what is below the horizon."""

    dome: NDArray[np.float64]
    picture: SkyPicture | None = None
    ground: NDArray[np.float64] | None = None


def air_of(sky: SkySource | None) -> SkyAir:
    """The air that sun, moon and sky shine through."""
    if sky is None or sky.model != "atmosphere":
        return SkyAir()
    return SkyAir(sky.haze, sky.haze_blue, sky.haze_forward, sky.ozone, sky.ground, sky.height)


def _airs(sky: SkySource) -> tuple[tuple[float, SkyAir], ...]:
    """Airs that tables are made for, with their shares: a haze that changes through the day lies
    between two of them, the rest is taken in steps too small to be seen."""
    air = replace(
        air_of(sky),
        angstrom=round(sky.haze_blue * 20.0) / 20.0,
        ozone_du=round(sky.ozone / 10.0) * 10.0,
        albedo=round(sky.ground * 20.0) / 20.0,
        height_m=round(sky.height / 25.0) * 25.0,
    )
    above = next((i for i, node in enumerate(HAZE_NODES) if node >= sky.haze), len(HAZE_NODES) - 1)
    low, high = HAZE_NODES[max(above - 1, 0)], HAZE_NODES[above]
    share = (sky.haze - low) / (high - low) if high > low else 1.0
    pairs = ((1.0 - share, replace(air, haze=low)), (share, replace(air, haze=high)))
    return tuple(pair for pair in pairs if pair[0] > 1e-6)


def _air_lux(elevation_deg: float, sky: SkySource) -> float:
    """What the sky that the sun lights gives level ground [lx]."""
    return sum(share * sky_illuminance(elevation_deg, air) for share, air in _airs(sky))


def _direction(place: BodyPlace) -> NDArray[np.float64]:
    return direction_to(place.azimuth, place.geometric)


@lru_cache(maxsize=32)
def _clear(place: BodyPlace, level_lx: float, air: SkyAir) -> NDArray[np.float64]:
    return clear_dome(_direction(place), place.geometric, level_lx, air)


def _lunar_ratio(moon: BodyPlace, trim: float) -> float:
    """What the moon gives outside the air, over what the sun does."""
    return LUNAR_LX * phase_factor(moon.phase_deg) / moon.distance_ratio**2 / SOLAR_LX * 2.0**trim


def sky_lux(sky: SkySource, moon_source: MoonSource | None, sun: BodyPlace, moon: BodyPlace) -> float:
    """Illuminance of open, level ground by the sky, about, without making a dome [lx]."""
    gain = 2.0**sky.trim
    if sky.model == "plain":
        return sky.illuminance * gain
    if sky.model == "atmosphere":
        by_moon = _lunar_ratio(moon, moon_source.trim) * _air_lux(moon.geometric, sky) if moon_source else 0.0
        return (_air_lux(sun.geometric, sky) + by_moon + NIGHT_LX * sky.airglow) * gain
    return float(luminance(dome_illuminance(shown_sky(sky, None, sun, moon).dome)))


def _atmosphere(
    sky: SkySource, moon_source: MoonSource | None, sun: BodyPlace, moon: BodyPlace
) -> NDArray[np.float64]:
    ratio = _lunar_ratio(moon, moon_source.trim) if moon_source is not None else 0.0
    by_sun, by_moon = _air_lux(sun.geometric, sky), _air_lux(moon.geometric, sky) * ratio
    out = night_dome() * sky.airglow
    for place, gain, lux in ((sun, 1.0, by_sun), (moon, ratio, by_moon)):
        if lux > FAINTEST * (by_sun + by_moon + NIGHT_LX):
            for share, air in _airs(sky):
                out = out + _clear(place, share * gain * sky_illuminance(place.geometric, air), air)
    trims = SkyTrims(
        (sky.stops_low, sky.stops_middle, sky.stops_high),
        (sky.tint_low, sky.tint_middle, sky.tint_high),
        sky.blue_depth,
        sky.low_warmth,
        sky.band_width,
        sky.band_stops,
    )
    return trimmed(out, trims, _direction(sun), sun.elevation)


@lru_cache(maxsize=4)
def _picture(file: str, stamp: int, turn: float, horizon: float, disc_out: bool) -> NDArray[np.float64]:
    """A panorama as a dome, for its light."""
    return panorama_dome(small_panorama(Path(file), disc_out), turn, horizon, DOME_SIZE, 4)


@lru_cache(maxsize=16)
def _tell(problem: str) -> None:
    """Once, however often the sky is asked for."""
    log.warning("%s; the sky is plain", problem)


def _panorama(sky: SkySource) -> ResolvedSky:
    if not sky.picture:
        return ResolvedSky(plain_dome(sky.illuminance, np.ones(3)))
    try:
        stamp = changed_at(Path(sky.picture))
        dome = _picture(sky.picture, stamp, sky.rotation, sky.horizon_height, sky.disc_out)
    except LevelProblem as error:
        _tell(str(error))
        return ResolvedSky(plain_dome(sky.illuminance, np.ones(3)))
    gain = 2.0**sky.picture_stops
    grey = np.maximum(dome @ LUMINANCE_WEIGHTS, 1e-9)
    middle = float(np.exp((np.log(grey) * dome_directions()[1]).sum() / (2.0 * np.pi)))
    light = contrasted(dome, sky.contrast, middle) * gain
    view = PanoramaView(sky.rotation, sky.horizon_height, sky.contrast, middle, gain)
    return ResolvedSky(light, SkyPicture(sky.picture, stamp, sky.disc_out, view))


def shown_sky(
    sky: SkySource, moon_source: MoonSource | None, sun: BodyPlace, moon: BodyPlace, sun_on: bool = True
) -> ResolvedSky:
    """What the sky shows, its trim taken in."""
    gain = 2.0**sky.trim
    if sky.model == "plain":
        return ResolvedSky(plain_dome(sky.illuminance * gain, np.array(sky.luminous_rgb())))
    if sky.model == "atmosphere":
        return ResolvedSky(_atmosphere(sky, moon_source, sun, moon) * gain)
    if sky.model == "gradient":
        gradient = GradientSky(
            sky.zenith, sky.middle, sky.horizon, sky.middle_height, sky.brightness * gain,
            sky.glow_size, sky.glow_stops,
        )  # fmt: skip
        dome = gradient_dome(gradient, _direction(sun) if sun_on else None)
        return ResolvedSky(dome, ground=np.array(sky.below) * gradient.brightness)
    shown = _panorama(sky)
    return ResolvedSky(shown.dome * gain, None if shown.picture is None else shown.picture.times(gain))


def _drift(speed: float, toward_deg: float, hour: float, tile: float) -> tuple[float, float]:
    """How far a layer has come, so that after a day it lies as it did."""
    angle = math.radians(toward_deg)
    away = [speed * DAY_S * part for part in (math.sin(angle), -math.cos(angle))]
    whole = [round(item / tile) * tile for item in away]
    return whole[0] * hour / 24.0, whole[1] * hour / 24.0


def _lit_high(
    sky: SkySource, height: float, sun_light: float, sun: BodyPlace, far_lux: Floats, far_toward: Floats
) -> tuple[NDArray[np.float64], NDArray[np.float64]]:
    """Illuminance facing the light that a layer of cloud gets, and the direction it comes from."""
    # High up the sun rises earlier and sets later than on the ground.
    dip = math.degrees(math.acos(EARTH_M / (EARTH_M + height)))
    there = sun.elevation + dip
    air = air_of(sky)
    # Light that comes up past the horizon has gone through all of the low air once more.
    once = transmitted(max(there, 0.0), replace(air, height_m=sky.height + height))
    low = transmitted(max(sun.elevation, 0.0), air)
    share = min(max(sun.elevation / 6.0, 0.0), 1.0)
    passed = share * once + (1.0 - share) * np.sqrt(once * low)
    sunlit = SOLAR_LX * sun_light * visible_share(there, 0.27) * passed
    if float(luminance(sunlit)) < float(luminance(far_lux)):
        return np.asarray(far_lux), np.asarray(far_toward)
    return sunlit, _direction(sun)


def deck_of(
    sky: SkySource, hour: float, sun_light: float, sun: BodyPlace, far_lux: Floats, far_toward: Floats,
    dome: Floats,
) -> Deck | None:  # fmt: skip
    """The deck of a moment, see `cloud_of`; None where there is none."""
    if sky.deck <= 0.0:
        return None
    sunlit, toward = _lit_high(sky, sky.deck_base + sky.deck_thick, sun_light, sun, far_lux, far_toward)
    over = dome_illuminance(dome) / np.pi
    # What the ground under it gets, about, and sends back up.
    falls = over * np.pi + sunlit * max(float(toward[1]), 0.0)
    below = sky.ground / np.pi * falls * (1.0 - 0.6 * sky.deck)
    tile = sky.deck_size * TILE_OF_SIZE
    return Deck(
        sky.deck_base, sky.deck_thick, sky.deck, sky.deck_detail, sky.deck_density, tile,
        _drift(sky.deck_speed, sky.deck_toward, hour, tile), _three(toward),
        _three(sunlit * low_sun_tint(sky.low_warmth, sun.elevation)), _three(over), _three(below),
        _three(extinction(air_of(sky))),
    )  # fmt: skip


def under_deck(deck: Deck, dome: Floats) -> NDArray[np.float64]:
    """(H, W, 3) a sky as it is with the deck before it, for its light: every second cell is looked
    at, with fewer steps."""
    height, width = dome.shape[0] // 2, dome.shape[1] // 2
    directions = dome_directions(height, width)[0].reshape(-1, 3)
    light, left = deck_along(deck, directions, np.array([0.0, 1.7, 0.0]), steps=LIGHT_STEPS)
    light = light.reshape(height, width, 3).repeat(2, axis=0).repeat(2, axis=1)
    left = left.reshape(height, width, 1).repeat(2, axis=0).repeat(2, axis=1)
    return np.asarray(dome * left + light)


def cloud_of(
    sky: SkySource, hour: float, sun_light: float, sun: BodyPlace, far_lux: Floats, far_toward: Floats,
    dome: Floats,
) -> HighCloud | None:  # fmt: skip
    """The high cloud of a moment; None where there is none.

    sun_light : what the sun gives over what it truly gives, 0 where it is off
    far_lux, far_toward : the far light that shines when the sun gives the cloud none
    dome      : (H, W, 3) the sky it stands before
    """
    if sky.cloud <= 0.0 or sky.cloud_opacity <= 0.0:
        return None
    sunlit, toward = _lit_high(sky, sky.cloud_height, sun_light, sun, far_lux, far_toward)
    colour = np.array(sky.cloud_colour) * 2.0**sky.cloud_stops
    mean = dome_illuminance(dome) / np.pi
    even = (EVEN_OF_SKY * mean + EVEN_OF_SUN * sunlit / np.pi) * colour
    lit = sunlit * colour * low_sun_tint(sky.low_warmth, sun.elevation)
    tile = sky.cloud_size * TILE_OF_SIZE
    return HighCloud(
        sky.cloud, sky.cloud_soft, sky.cloud_opacity, sky.cloud_height, tile,
        _drift(sky.cloud_speed, sky.cloud_toward, hour, tile), _three(toward), _three(lit), _three(even),
    )  # fmt: skip


def _three(values: Floats) -> tuple[float, float, float]:
    return float(values[0]), float(values[1]), float(values[2])
