"""Sun, moon and sky of a moment: where they stand and what they give."""

import datetime as dt
import math
from dataclasses import dataclass, replace
from functools import lru_cache

import numpy as np
from numpy.typing import NDArray

from wallum.document.project import Project, Setting
from wallum.document.sources import FarLight, MoonSource, SkySource, SunSource
from wallum.moment.hour import observer_of
from wallum.moment.scene import Disc, Dome, Stars, Sun
from wallum.physics.clear_air import transmitted
from wallum.physics.clear_sky import NIGHT_LX, clear_dome, night_dome, sky_illuminance
from wallum.physics.colour import luminance
from wallum.physics.dome import dome_illuminance, plain_dome
from wallum.physics.ephemeris import BodyPlace, moon_place, sky_rotation, sun_place
from wallum.physics.sunlight import LUNAR_LX, LUNAR_TINT, SOLAR_LX, moonlight, phase_factor, visible_share

__all__ = ["BaseLight", "body_now", "direction_to", "find_base_light", "open_ground_lux"]

# The moon takes over while the sun goes from its rim's setting to this elevation.
HANDED_OVER_DEG = -4.0
# A sky of one body this much fainter than all the rest is left out.
FAINTEST = 1e-4
# A far light this much fainter than the sky adds nothing that could be seen, but costs as much
# as any: a moon by day or in bright twilight.
DROWNED = 5e-4


def direction_to(azimuth_deg: float, elevation_deg: float) -> NDArray[np.float64]:
    """Unit vector toward an azimuth (clockwise from north, -Z) and elevation."""
    azimuth, elevation = math.radians(azimuth_deg), math.radians(elevation_deg)
    flat = math.cos(elevation)
    return np.array([flat * math.sin(azimuth), math.sin(elevation), -flat * math.cos(azimuth)])


@dataclass(frozen=True)
class BaseLight:
    """What comes from outside at a moment.

    far  : the one light that casts shadows: the sun, or the moon once the sun gives none
    sun, moon : where they stand in the level's own azimuths, whether they shine or not
    """

    far: Sun | None
    sky: Dome | None
    sun: BodyPlace
    moon: BodyPlace

    def times(self, gain: float) -> "BaseLight":
        """All of it brighter by a factor."""
        if gain == 1.0:
            return self
        far = None if self.far is None else replace(self.far, illuminance=self.far.illuminance * gain)
        sky = self.sky
        if sky is not None:
            discs = tuple(replace(one, luminance=one.luminance * gain) for one in sky.discs)
            stars = None if sky.stars is None else replace(sky.stars, strength=sky.stars.strength * gain)
            light = (sky.luminance * np.float32(gain)).astype(np.float32)
            sky = replace(
                sky, luminance=light, ground=sky.ground * gain, key=(*sky.key, gain), discs=discs, stars=stars
            )
        return replace(self, far=far, sky=sky)


def _placed(source: FarLight | None, true: BodyPlace, north: float) -> BodyPlace:
    """Where a body stands: as set, or truly, turned by the level's north."""
    if source is not None and source.stands == "where set":
        return BodyPlace(
            source.azimuth, source.elevation, source.elevation, 0.5 * source.disc, true.distance_ratio,
            true.phase_deg, true.lit,
        )  # fmt: skip
    return BodyPlace(
        true.azimuth + north, true.elevation, true.geometric, true.radius, true.distance_ratio,
        true.phase_deg, true.lit,
    )  # fmt: skip


def places(project: Project, hour: float) -> tuple[BodyPlace, BodyPlace]:
    """Where sun and moon stand at an hour, in the level's azimuths."""
    setting = project.setting
    where, date = observer_of(setting), dt.date.fromisoformat(setting.date)
    sun = next((one for one in project.sources if isinstance(one, SunSource)), None)
    moon = next((one for one in project.sources if isinstance(one, MoonSource)), None)
    return (
        _placed(sun, sun_place(where, date, hour), setting.north),
        _placed(moon, moon_place(where, date, hour), setting.north),
    )


def _whole_sun(source: SunSource, place: BodyPlace) -> NDArray[np.float64]:
    """RGB illuminance facing the sun as if no horizon cut into it [lx]."""
    gain = 2.0**source.trim
    if source.light == "own":
        return np.array(source.luminous_rgb()) * source.illuminance * gain
    return transmitted(place.elevation) * SOLAR_LX / place.distance_ratio**2 * gain


def _sun_light(source: SunSource | None, place: BodyPlace) -> NDArray[np.float64]:
    """RGB illuminance facing the sun [lx]."""
    if source is None or not source.on:
        return np.zeros(3)
    if source.light == "own":
        return _whole_sun(source, place) * float(place.elevation > 0.0)
    return _whole_sun(source, place) * visible_share(place.elevation, max(place.radius, 0.1))


def _moon_light(source: MoonSource | None, place: BodyPlace) -> NDArray[np.float64]:
    if source is None or not source.on:
        return np.zeros(3)
    light = moonlight(place.elevation, max(place.radius, 0.1), place.phase_deg, place.distance_ratio)
    return light * 2.0**source.trim


def body_now(project: Project, hour: float, source: FarLight) -> tuple[BodyPlace, NDArray[np.float64]]:
    """Where a far light of a project stands at an hour, and its RGB illuminance facing it [lx]."""
    sun, moon = places(project, hour)
    if isinstance(source, SunSource):
        return sun, _sun_light(source, sun)
    assert isinstance(source, MoonSource)
    return moon, _moon_light(source, moon)


def _handed_over(sun: BodyPlace) -> float:
    """Share of the moon's light that is given, by how far the sun is down."""
    x = min(max((-sun.radius - sun.elevation) / (-sun.radius - HANDED_OVER_DEG), 0.0), 1.0)
    return x * x * (3.0 - 2.0 * x)


def _far(project: Project, sun: BodyPlace, moon: BodyPlace) -> Sun | None:
    by_kind = {one.kind: one for one in project.sources if isinstance(one, FarLight)}
    sun_source, moon_source = by_kind.get("sun"), by_kind.get("moon")
    assert sun_source is None or isinstance(sun_source, SunSource)
    assert moon_source is None or isinstance(moon_source, MoonSource)
    source: FarLight | None = sun_source
    place, light = sun, _sun_light(sun_source, sun)
    if not light.any():
        source, place = moon_source, moon
        shining = sun_source is not None and sun_source.on
        light = _moon_light(moon_source, moon) * (_handed_over(sun) if shining else 1.0)
    if source is None or not light.any():
        return None
    toward = direction_to(place.azimuth, max(place.elevation, 0.02))
    return Sun(source.id, toward, light, math.radians(source.disc), source.shadow)


@lru_cache(maxsize=32)
def _clear(azimuth: float, geometric: float, level_lx: float) -> NDArray[np.float64]:
    return clear_dome(direction_to(azimuth, geometric), geometric, level_lx)


def _moon_sky_lux(moon: BodyPlace, trim: float) -> float:
    """Light of the sky that the moon makes: the sun's sky, by the ratio of the two."""
    ratio = LUNAR_LX * phase_factor(moon.phase_deg) / moon.distance_ratio**2 / SOLAR_LX
    return sky_illuminance(moon.geometric) * ratio * 2.0**trim


def _clear_luminance(project: Project, sun: BodyPlace, moon: BodyPlace) -> NDArray[np.float64]:
    moon_source = next((one for one in project.sources if isinstance(one, MoonSource) and one.on), None)
    by_sun = sky_illuminance(sun.geometric)
    by_moon = _moon_sky_lux(moon, moon_source.trim) if moon_source is not None else 0.0
    out = night_dome()
    for place, lux in ((sun, by_sun), (moon, by_moon)):
        if lux > FAINTEST * (by_sun + by_moon + NIGHT_LX):
            out = out + _clear(place.azimuth, place.geometric, lux)
    return out


def _discs(project: Project, sun: BodyPlace, moon: BodyPlace) -> tuple[Disc, ...]:
    """The bodies themselves, in the light that they send through the air."""
    out = []
    toward_sun = direction_to(sun.azimuth, sun.geometric)
    for source in project.sources:
        if not isinstance(source, SunSource | MoonSource) or not source.on:
            continue
        place = sun if isinstance(source, SunSource) else moon
        radius = math.radians(max(0.5 * source.disc, 0.01))
        if place.elevation < -math.degrees(radius):
            continue
        solid = 2.0 * math.pi * (1.0 - math.cos(radius))
        if isinstance(source, SunSource):
            light = _whole_sun(source, place)
            out.append(Disc(direction_to(place.azimuth, place.elevation), light / solid, radius))
            continue
        outside = LUNAR_LX * phase_factor(place.phase_deg) / place.distance_ratio**2 * 2.0**source.trim
        light = outside * transmitted(place.elevation) * LUNAR_TINT / max(place.lit, 0.02)
        out.append(Disc(direction_to(place.azimuth, place.elevation), light / solid, radius, toward_sun))
    return tuple(out)


def _sky(project: Project, hour: float, sun: BodyPlace, moon: BodyPlace, far: Sun | None) -> Dome | None:
    source = next((one for one in project.sources if isinstance(one, SkySource) and one.on), None)
    if source is None:
        return None
    gain = 2.0**source.trim
    if source.model == "plain":
        dome = plain_dome(source.illuminance * gain, np.array(source.luminous_rgb()))
    else:
        dome = _clear_luminance(project, sun, moon) * gain
    falling = dome_illuminance(dome)
    if far is not None:
        falling = falling + far.illuminance * far.direction[1]
    ground = source.ground / np.pi * falling
    stars = None
    if source.stars > 0.0 and source.model == "clear":
        setting = project.setting
        turn = _stars_turn(setting, hour)
        stars = Stars(turn, source.stars)
    discs = _discs(project, sun, moon)
    key = (float(dome[::5, ::7].sum()), float(dome[0, 0, 0]), *dome[-1, ::12, 1].tolist(), *ground.tolist())
    key += tuple(part for disc in discs for part in (*disc.direction, *disc.luminance, disc.radius_rad))
    return Dome(source.id, dome.astype(np.float32), ground, key, discs, stars)


def _stars_turn(setting: Setting, hour: float) -> NDArray[np.float64]:
    turn = sky_rotation(observer_of(setting), dt.date.fromisoformat(setting.date), hour)
    angle = math.radians(setting.north)
    c, s = math.cos(angle), math.sin(angle)
    return np.array([[c, 0.0, -s], [0.0, 1.0, 0.0], [s, 0.0, c]]) @ turn


# Base light found last, with what it was found from: a lamp under the hand changes none of it.
_FOUND: list[tuple[tuple[object, ...], BaseLight]] = []


def find_base_light(project: Project, hour: float) -> BaseLight:
    """Sun, moon and sky of a project whose lanes have been taken in, at an hour."""
    base = [one for one in project.sources if isinstance(one, FarLight | SkySource)]
    key: tuple[object, ...] = (*base, project.setting)
    for kept, found in _FOUND:
        if kept[0] == hour and len(kept) == len(key) + 1 and all(a is b for a, b in zip(kept[1:], key)):
            return found
    found = _base_light(project, hour)
    _FOUND.insert(0, ((hour, *key), found))
    del _FOUND[4:]
    return found


def _base_light(project: Project, hour: float) -> BaseLight:
    sun, moon = places(project, hour)
    far = _far(project, sun, moon)
    sky = _sky(project, hour, sun, moon, far)
    if far is not None and sky is not None:
        by_sky = float(luminance(dome_illuminance(sky.luminance)))
        if float(luminance(far.illuminance)) < DROWNED * by_sky:
            far = None
    return BaseLight(far, sky, sun, moon)


def open_ground_lux(project: Project, hour: float) -> float:
    """Illuminance of open, level ground by sun, moon and sky [lx], without making a dome."""
    sun, moon = places(project, hour)
    far = _far(project, sun, moon)
    total = float(luminance(far.illuminance) * far.direction[1]) if far else 0.0
    source = next((one for one in project.sources if isinstance(one, SkySource) and one.on), None)
    if source is None:
        return total
    if source.model == "plain":
        return total + source.illuminance * 2.0**source.trim
    moon_source = next((one for one in project.sources if isinstance(one, MoonSource) and one.on), None)
    by_moon = _moon_sky_lux(moon, moon_source.trim) if moon_source else 0.0
    return total + (sky_illuminance(sun.geometric) + by_moon + NIGHT_LX) * 2.0**source.trim
