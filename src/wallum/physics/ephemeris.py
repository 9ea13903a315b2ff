"""Where sun and moon stand, for a place, a date and a clock.

Places come from ephem (VSOP87 and the moon's theory of Chapront, in libastro): apparent,
as seen from the ground, parallax included. Refraction: Saemundsson 1986, in Meeus,
"Astronomical Algorithms", 2nd ed. (1998), eq. 16.4, at 1010 hPa and 10 degrees C.
"""

import datetime as dt
import math
from dataclasses import dataclass
from functools import lru_cache

import ephem
import numpy as np
from numpy.typing import NDArray

__all__ = [
    "BodyPlace",
    "Observer",
    "direction_to",
    "moon_place",
    "refracted",
    "sky_rotation",
    "sun_place",
]

AU_M = 149_597_870_700.0  # exact: IAU 2012, resolution B2
MOON_RADIUS_M = 1_737_400.0  # IAU WGCCRE 2015
SUN_RADIUS_M = 695_700_000.0  # IAU 2015, resolution B3


def direction_to(azimuth_deg: float, elevation_deg: float) -> NDArray[np.float64]:
    """(3,) unit vector [-] toward an azimuth (clockwise from north, -Z) and elevation."""
    azimuth, elevation = math.radians(azimuth_deg), math.radians(elevation_deg)
    flat = math.cos(elevation)
    return np.array([flat * math.sin(azimuth), math.sin(elevation), -flat * math.cos(azimuth)])


@dataclass(frozen=True)
class Observer:
    """A place on Earth and how its clock stands.

    latitude, longitude [deg], north and east positive; utc_offset [h], local minus UTC
    """

    latitude: float
    longitude: float
    utc_offset: float

    def moment(self, date: dt.date, clock_h: float) -> ephem.Date:
        """Universal time of a local clock; hours outside 0 to 24 fall on other days."""
        return ephem.Date(ephem.Date(date) + (clock_h - self.utc_offset) / 24.0)


@dataclass(frozen=True)
class BodyPlace:
    """Sun or moon as seen from a place.

    azimuth, elevation (apparent, refracted), geometric (airless) [deg], azimuth clockwise
    from true north; radius [deg] of its disc; distance_ratio: distance over its mean;
    phase_deg: angle sun - moon - Earth (0 is full; 0 for the sun); lit: lit share of the disc
    """

    azimuth: float
    elevation: float
    geometric: float
    radius: float
    distance_ratio: float
    phase_deg: float = 0.0
    lit: float = 1.0


def refracted(geometric_deg: float) -> float:
    """Apparent elevation of a body at a geometric (airless) one [deg].

    The formula holds for what can be seen; lower down it is led smoothly to none.
    """
    seen = max(geometric_deg, -1.0)
    lift = 1.02 / math.tan(math.radians(seen + 10.3 / (seen + 5.11))) / 60.0
    fade = min(max((geometric_deg + 8.0) / 7.0, 0.0), 1.0)
    # The formula is a hair above zero at the zenith, where nothing can be lifted.
    return min(geometric_deg + lift * fade, 90.0)


def _observer(where: Observer, date: dt.date, clock_h: float) -> ephem.Observer:
    out = ephem.Observer()
    out.lat, out.lon = math.radians(where.latitude), math.radians(where.longitude)
    out.pressure, out.elevation = 0.0, 0.0
    out.date = where.moment(date, clock_h)
    return out


@lru_cache(maxsize=4096)
def sun_place(where: Observer, date: dt.date, clock_h: float) -> BodyPlace:
    """The sun for a local date and clock [h]."""
    sun = ephem.Sun(_observer(where, date, clock_h))
    geometric = math.degrees(sun.alt)
    distance = float(sun.earth_distance)
    radius = math.degrees(math.asin(SUN_RADIUS_M / (distance * AU_M)))
    return BodyPlace(math.degrees(sun.az), refracted(geometric), geometric, radius, distance)


@lru_cache(maxsize=4096)
def moon_place(where: Observer, date: dt.date, clock_h: float) -> BodyPlace:
    """The moon for a local date and clock [h]; parallax included."""
    at = _observer(where, date, clock_h)
    moon, sun = ephem.Moon(at), ephem.Sun(at)
    geometric = math.degrees(moon.alt)
    distance = float(moon.earth_distance) * AU_M
    between = float(ephem.separation((moon.g_ra, moon.g_dec), (sun.g_ra, sun.g_dec)))
    # Triangle Earth - moon - sun: Meeus 1998, eq. 48.3.
    far = float(sun.earth_distance) * AU_M
    phase = math.atan2(far * math.sin(between), distance - far * math.cos(between))
    return BodyPlace(
        math.degrees(moon.az),
        refracted(geometric),
        geometric,
        math.degrees(math.asin(MOON_RADIUS_M / distance)),
        distance / 384_400_000.0,
        math.degrees(phase),
        0.5 * (1.0 + math.cos(phase)),
    )


def sky_rotation(where: Observer, date: dt.date, clock_h: float) -> NDArray[np.float64]:
    """(3, 3) from equatorial directions to the level's axes (+X east, +Y up, -Z north).

    An equatorial direction is (cos d cos a, cos d sin a, sin d) for right ascension a and
    declination d.
    """
    turn = float(_observer(where, date, clock_h).sidereal_time())
    latitude = math.radians(where.latitude)
    c, s = math.cos(turn), math.sin(turn)
    # To hour angle: x toward the meridian at the equator, y toward east, z to the pole.
    local = np.array([[c, s, 0.0], [-s, c, 0.0], [0.0, 0.0, 1.0]])
    up = [math.cos(latitude), 0.0, math.sin(latitude)]
    north = [-math.sin(latitude), 0.0, math.cos(latitude)]
    return np.array([[0.0, 1.0, 0.0], up, [-north[0], 0.0, -north[2]]]) @ local
