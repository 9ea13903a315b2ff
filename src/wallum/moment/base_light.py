"""Sun, moon and sky of a moment: where they stand and what they give."""

import datetime as dt
import math
from dataclasses import astuple, dataclass, replace
from threading import Lock
from typing import Final
from zlib import crc32

import numpy as np
from numpy.typing import NDArray

from wallum.document.fields import unchecked
from wallum.document.project import Project, Setting
from wallum.document.sources import FarLight, MoonSource, SkySource, SunSource
from wallum.moment.at_moment import observer_of
from wallum.moment.looped import looped_moon, looped_stars
from wallum.moment.moment import Moment
from wallum.moment.scene import Disc, Dome, Stars, Sun
from wallum.moment.sky_domes import air_of, cloud_of, deck_of, shown_sky, sky_lux, under_deck
from wallum.physics.arrays import Floats
from wallum.physics.cloud_shadow import CLOUD_TAKES, CloudShadow
from wallum.physics.colour import light_colour, luminance
from wallum.physics.deck import Deck, deck_share
from wallum.physics.dome import dome_directions, dome_illuminance
from wallum.physics.ephemeris import BodyPlace, direction_to, sun_place
from wallum.physics.high_cloud import HighCloud, over_sky
from wallum.physics.sky_air import extinction, transmitted
from wallum.physics.sky_trims import low_sun_tint
from wallum.physics.sunlight import LUNAR_LX, LUNAR_TINT, SOLAR_LX, moonlight, phase_factor, visible_share

__all__ = ["BaseLight", "body_now", "direction_to", "find_base_light", "open_ground_lux"]

# The moon takes over while the sun goes from its rim's setting to this elevation.
HANDED_OVER_DEG = -4.0
WHITE_K = 6500.0
TWINKLES_HZ = 3.0
UP = (0.0, 1.0, 0.0)
# A far light this much fainter than the sky adds nothing that could be seen, but costs as much
# as any: a moon by day or in bright twilight.
DROWNED = 5e-4
# Places about the level's middle where it is asked for [m].
AROUND = np.stack(np.meshgrid(np.linspace(-1e3, 1e3, 9), [0.0], np.linspace(-1e3, 1e3, 9)), -1).reshape(-1, 3)


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
        far = None if self.far is None else self.far.times(gain)
        sky = self.sky
        if sky is not None:
            discs = tuple(replace(disc, luminance=disc.luminance * gain) for disc in sky.discs)
            stars = None if sky.stars is None else replace(sky.stars, strength=sky.stars.strength * gain)
            light = (sky.luminance * np.float32(gain)).astype(np.float32)
            behind = None if sky.backdrop is None else (sky.backdrop * np.float32(gain)).astype(np.float32)
            picture = None if sky.picture is None else sky.picture.times(gain)
            cloud = None if sky.cloud is None else sky.cloud.times(gain)
            deck = None if sky.deck is None else sky.deck.times(gain)
            sky = replace(
                sky, luminance=light, ground=sky.ground * gain, key=(*sky.key, gain), discs=discs,
                stars=stars, backdrop=behind, cloud=cloud, deck=deck, picture=picture,
            )  # fmt: skip
        return replace(self, far=far, sky=sky)


def _placed(source: FarLight | None, true: BodyPlace, north: float) -> BodyPlace:
    """Where a body stands: as set, or truly, turned by the level's north; and its phase."""
    if isinstance(source, MoonSource) and source.phase_by == "choice":
        lit = 0.5 * (1.0 + math.cos(math.radians(source.phase)))
        true = replace(true, phase_deg=source.phase, lit=lit)
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
    sun = next((source for source in project.resolved_sources if isinstance(source, SunSource)), None)
    moon = next((source for source in project.resolved_sources if isinstance(source, MoonSource)), None)
    return (
        _placed(sun, sun_place(where, date, hour), setting.north),
        _placed(moon, looped_moon(where, date, hour), setting.north),
    )


def _tinted(tint: float) -> NDArray[np.float64]:
    """(3,) what a tint makes of white."""
    return np.ones(3) if tint == 0.0 else light_colour(WHITE_K, tint) / light_colour(WHITE_K)


def _whole_sun(source: SunSource, place: BodyPlace, sky: SkySource | None) -> NDArray[np.float64]:
    """RGB illuminance facing the sun as if no horizon cut into it [lx]."""
    gain = 2.0**source.trim
    if source.light == "own":
        return np.array(source.luminous_rgb()) * source.illuminance * gain
    warm = low_sun_tint(sky.low_warmth, place.elevation) if sky is not None else 1.0
    light = transmitted(place.elevation, air_of(sky)) * _tinted(source.tint) * warm
    return np.asarray(light * (SOLAR_LX / place.distance_ratio**2 * gain))


def _sun_light(source: SunSource | None, place: BodyPlace, sky: SkySource | None) -> NDArray[np.float64]:
    """RGB illuminance facing the sun [lx]."""
    if source is None or not source.on:
        return np.zeros(3)
    if source.light == "own":
        return _whole_sun(source, place, sky) * float(place.elevation > 0.0)
    return _whole_sun(source, place, sky) * visible_share(place.elevation, max(place.radius, 0.1))


def _moon_light(source: MoonSource | None, place: BodyPlace, sky: SkySource | None) -> NDArray[np.float64]:
    if source is None or not source.on:
        return np.zeros(3)
    radius = max(place.radius, 0.1)
    light = moonlight(place.elevation, radius, place.phase_deg, place.distance_ratio, air_of(sky))
    return light * _tinted(source.tint) * 2.0**source.trim


def body_now(project: Project, hour: float, source: FarLight) -> tuple[BodyPlace, NDArray[np.float64]]:
    """Where a far light of a project stands at an hour, and its RGB illuminance facing it [lx]."""
    sun, moon = places(project, hour)
    if isinstance(source, SunSource):
        return sun, _sun_light(source, sun, _sky_source(project))
    assert isinstance(source, MoonSource)
    return moon, _moon_light(source, moon, _sky_source(project))


def _handed_over(sun: BodyPlace) -> float:
    """Share of the moon's light that is given, by how far the sun is down."""
    x = min(max((-sun.radius - sun.elevation) / (-sun.radius - HANDED_OVER_DEG), 0.0), 1.0)
    return x * x * (3.0 - 2.0 * x)


def _far(project: Project, sun: BodyPlace, moon: BodyPlace) -> Sun | None:
    by_kind = {item.kind: item for item in project.resolved_sources if isinstance(item, FarLight)}
    sun_source, moon_source = by_kind.get("sun"), by_kind.get("moon")
    assert sun_source is None or isinstance(sun_source, SunSource)
    assert moon_source is None or isinstance(moon_source, MoonSource)
    source: FarLight | None = sun_source
    place, light = sun, _sun_light(sun_source, sun, _sky_source(project))
    if not light.any():
        source, place = moon_source, moon
        shining = sun_source is not None and sun_source.on
        light = _moon_light(moon_source, moon, _sky_source(project)) * (_handed_over(sun) if shining else 1.0)
    if source is None or not light.any():
        return None
    toward = direction_to(place.azimuth, max(place.elevation, 0.02))
    maps = (source.shadow_reach, int(source.shadow_texels), int(source.shadow_cascades))
    disc = math.radians(source.disc)
    built = Sun(source.id, toward, light, disc, source.shadow, maps)
    return replace(built, in_air=source.in_air, air_shadow=source.air_shadow)


def _discs(project: Project, sun: BodyPlace, moon: BodyPlace) -> tuple[Disc, ...]:
    """The bodies themselves, in the light that they send through the air."""
    out = []
    toward_sun = direction_to(sun.azimuth, sun.geometric)
    for source in project.resolved_sources:
        if not isinstance(source, SunSource | MoonSource) or not source.on:
            continue
        place = sun if isinstance(source, SunSource) else moon
        radius = math.radians(max(0.5 * source.disc, 0.01))
        if place.elevation < -math.degrees(radius):
            continue
        solid = 2.0 * math.pi * (1.0 - math.cos(radius))
        if isinstance(source, SunSource):
            light = _whole_sun(source, place, _sky_source(project))
            out.append(Disc(direction_to(place.azimuth, place.elevation), light / solid, radius))
            continue
        outside = LUNAR_LX * phase_factor(place.phase_deg) / place.distance_ratio**2 * 2.0**source.trim
        light = (
            outside
            * transmitted(place.elevation, air_of(_sky_source(project)))
            * LUNAR_TINT
            * _tinted(source.tint)
            / max(place.lit, 0.02)
        )
        out.append(Disc(direction_to(place.azimuth, place.elevation), light / solid, radius, toward_sun))
    return tuple(out)


def _sky(project: Project, hour: float, sun: BodyPlace, moon: BodyPlace, far: Sun | None) -> Dome | None:
    source = _sky_source(project)
    if source is None:
        return None
    sun_source, moon_source = _bodies(project)
    shown = shown_sky(source, moon_source, sun, moon, sun_source is not None)
    dome = shown.dome
    sun_gain = 2.0**sun_source.trim / sun.distance_ratio**2 if sun_source is not None else 0.0
    far_lux, far_toward = (far.illuminance, far.direction) if far is not None else (np.zeros(3), np.array(UP))
    cloud = cloud_of(source, hour, sun_gain, sun, far_lux, far_toward, dome)
    if cloud is not None:
        directions = dome_directions()[0].reshape(-1, 3)
        dome = over_sky(cloud, directions, dome.reshape(-1, 3)).reshape(dome.shape)
    deck = deck_of(source, hour, sun_gain, sun, far_lux, far_toward, shown.dome)
    if deck is not None:
        dome = under_deck(deck, dome)
    if source.diffuse or source.flat > 0.0:
        dome = _for_surfaces(dome, source)
    falling = dome_illuminance(dome)
    if far is not None:
        shadow = _shadow(far, cloud, deck, source)
        falling = falling + far.illuminance * far.direction[1] * (1.0 if shadow is None else shadow.average())
    hue = np.array(source.ground_colour) / max(float(luminance(np.array(source.ground_colour))), 1e-6)
    ground = shown.ground if shown.ground is not None else source.ground / np.pi * falling * hue
    stars = None
    if source.stars > 0.0 and source.model in ("atmosphere", "gradient"):
        # Some flickers a second of the clock, whichever way the hour came to be.
        phase = hour * 3600.0 * TWINKLES_HZ % 1000.0
        stars = Stars(_stars_turn(project.setting, hour), source.stars, source.twinkle, phase)
    discs = _discs(project, sun, moon)
    veil = (0.0, 0.0, 0.0)
    if source.model == "atmosphere":
        # Haze counts once: the level's own air has it where that is on.
        red, green, blue = extinction(air_of(source), with_haze=not project.air.on)
        veil = (float(red), float(green), float(blue))
    key = (float(dome[::5, ::7].sum()), float(dome[0, 0, 0]), *dome[-1, ::12, 1].tolist(), *ground.tolist())
    key += tuple(part for disc in discs for part in (*disc.direction, *disc.luminance, disc.radius_rad))
    key += (source.mirrored, *veil, *_flat_parts(cloud), *_flat_parts(deck))
    # What the eye sees is another map than what light comes from; a picture is its own.
    apart = dome is not shown.dome and shown.picture is None
    backdrop = shown.dome.astype(np.float32) if apart else None
    if shown.picture is not None:
        own = f"{shown.picture.file} {shown.picture.stamp} {shown.picture.disc_out}"
        key += (float(crc32(own.encode())),)
        key += (*astuple(shown.picture.view)[:-1], *shown.picture.view.added)
    if backdrop is not None:
        key += (float(backdrop[::9, ::11].sum()), float(backdrop.shape[0]))
    lit = dome.astype(np.float32)
    return Dome(
        source.id, lit, ground, key, discs, stars, cloud, backdrop, 2.0**source.mirrored, veil, deck,
        shown.picture, source.in_air, source.air_shadow,
    )  # fmt: skip


def _for_surfaces(dome: Floats, source: SkySource) -> NDArray[np.float64]:
    """The sky as rough surfaces are to get it, which the eye does not see."""
    even = dome_illuminance(dome) / np.pi
    hue = np.array(source.flat_colour)
    even = float(luminance(even)) * hue / max(float(luminance(hue)), 1e-6)
    return np.asarray((dome * (1.0 - source.flat) + even * source.flat) * 2.0**source.diffuse)


def _flat_parts(layer: HighCloud | Deck | None) -> list[float]:
    out: list[float] = []
    for value in vars(layer).values() if layer is not None else ():
        out += value if isinstance(value, tuple) else [value]
    return out


def _sky_source(project: Project) -> SkySource | None:
    """The sky that is on; its far ground as the level's floors are, where it is to be so."""
    sky = next(
        (source for source in project.resolved_sources if isinstance(source, SkySource) and source.on), None
    )
    if sky is None or sky.ground_by == "choice" or project.floors is None:
        return sky
    share = float(luminance(np.array(project.floors)))
    return unchecked(sky, {"ground": share, "ground_colour": project.floors})


def _bodies(project: Project) -> tuple[SunSource | None, MoonSource | None]:
    """Sun and moon of a project that are on."""
    sun = next(
        (source for source in project.resolved_sources if isinstance(source, SunSource) and source.on), None
    )
    moon = next(
        (source for source in project.resolved_sources if isinstance(source, MoonSource) and source.on), None
    )
    return sun, moon


def _shadow(far: Sun, cloud: HighCloud | None, deck: Deck | None, source: SkySource) -> CloudShadow | None:
    """The clouds that take light from a far light."""
    cloud = cloud if source.cloud_shadow else None
    if cloud is None and deck is None:
        return None
    x, y, z = far.direction.tolist()
    return CloudShadow((x, y, z), cloud, deck)


def _under_clouds(far: Sun, shadow: CloudShadow | None) -> tuple[Sun, float]:
    """The far light as the clouds before it leave it, about the level and from place to place; and
    how much of it there is where there is most [lx]."""
    whole = float(luminance(far.illuminance))
    if shadow is None:
        return far, whole
    left = shadow.left(AROUND)
    about = far.illuminance * float(left.mean())
    return replace(far, illuminance=about, clouds=(shadow, far.illuminance)), whole * float(left.max())


def _stars_turn(setting: Setting, hour: float) -> NDArray[np.float64]:
    turn = looped_stars(observer_of(setting), dt.date.fromisoformat(setting.date), hour)
    angle = math.radians(setting.north)
    c, s = math.cos(angle), math.sin(angle)
    return np.array([[c, 0.0, -s], [0.0, 1.0, 0.0], [s, 0.0, c]]) @ turn


# Base light found last, with what it was found from: a lamp under the hand changes none of it.
_FOUND: list[tuple[tuple[object, ...], BaseLight]] = []
_FINDING: Final = Lock()


def find_base_light(project: Project, moment: Moment) -> BaseLight:
    """Sun, moon and sky of a project whose lanes have been taken in, at a moment."""
    base = [source for source in project.resolved_sources if isinstance(source, FarLight | SkySource)]
    key: tuple[object, ...] = (*base, project.setting, project.air.on, project.floors)
    with _FINDING:
        kept_ones = tuple(_FOUND)
    for item, result in kept_ones:
        # Lanes make their owners anew: what is not the same object may still be equal.
        if (
            item[0] == moment.clock
            and len(item) == len(key) + 1
            and all(a is b or a == b for a, b in zip(item[1:], key))
        ):
            return result
    result = _base_light(project, moment.clock)
    with _FINDING:
        _FOUND.insert(0, ((moment.clock, *key), result))
        del _FOUND[4:]
    return result


def _base_light(project: Project, hour: float) -> BaseLight:
    sun, moon = places(project, hour)
    far = _far(project, sun, moon)
    sky = _sky(project, hour, sun, moon, far)
    source = _sky_source(project)
    if far is not None and sky is not None and source is not None:
        shown, largest = _under_clouds(far, _shadow(far, sky.cloud, sky.deck, source))
        by_sky = float(luminance(dome_illuminance(sky.luminance)))
        far = shown if largest >= DROWNED * by_sky else None
    return BaseLight(far, sky, sun, moon)


def open_ground_lux(project: Project, moment: Moment) -> float:
    """Illuminance of open, level ground by sun, moon and sky [lx], without making a dome: under
    clouds the mean of wide land."""
    sun, moon = places(project, moment.clock)
    far = _far(project, sun, moon)
    total = float(luminance(far.illuminance) * far.direction[1]) if far else 0.0
    source = _sky_source(project)
    if source is None:
        return total
    if source.cloud_shadow:
        total *= 1.0 - CLOUD_TAKES * source.cloud * source.cloud_opacity
    total += sky_lux(source, _bodies(project)[1], sun, moon)
    return total * deck_share(source.deck, source.deck_thick, source.deck_density)
