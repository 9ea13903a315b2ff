"""Apparent positions of sun and moon for a place, a date and a clock.

Positions come from ephem (VSOP87, and Chapront's lunar theory), topocentric, with parallax.
Refraction: Saemundsson 1986, in Meeus, "Astronomical Algorithms", 2nd ed. (1998), equation 16.4,
at 1010 hPa and 10 degrees C.
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
    """Unit vector toward an azimuth and elevation.

    azimuth_deg   : clockwise from north (-Z)
    elevation_deg : above the horizon
    Returns (3,).
    """
    azimuth, elevation = math.radians(azimuth_deg), math.radians(elevation_deg)
    flat = math.cos(elevation)
    return np.array([flat * math.sin(azimuth), math.sin(elevation), -flat * math.cos(azimuth)])


@dataclass(frozen=True)
class Observer:
    """A place on Earth and its clock.

    latitude, longitude : [deg], north and east positive
    utc_offset          : local time minus UTC [h]
    """

    latitude: float
    longitude: float
    utc_offset: float

    def moment(self, date: dt.date, clock_h: float) -> ephem.Date:
        """Universal time of a local clock.

        clock_h : local time [h]; hours outside 0 to 24 fall on other days
        """
        return ephem.Date(ephem.Date(date) + (clock_h - self.utc_offset) / 24.0)


@dataclass(frozen=True)
class BodyPlace:
    """Position of the sun or the moon.

    azimuth        : clockwise from true north [deg]
    elevation      : apparent, with refraction [deg]
    geometric      : elevation without air [deg]
    radius         : of the disc [deg]
    distance_ratio : distance over its mean [-]
    phase_deg      : angle sun - moon - Earth; 0 is full moon, and 0 for the sun
    lit            : lit share of the disc
    """

    azimuth: float
    elevation: float
    geometric: float
    radius: float
    distance_ratio: float
    phase_deg: float = 0.0
    lit: float = 1.0


def refracted(geometric_deg: float) -> float:
    """Apparent elevation by atmospheric refraction.

    geometric_deg : elevation without air [deg]
    Returns [deg]. Below the horizon the formula is faded out smoothly. Source: Saemundsson 1986; see the
    module.
    """
    seen = max(geometric_deg, -1.0)
    lift = 1.02 / math.tan(math.radians(seen + 10.3 / (seen + 5.11))) / 60.0
    fade = min(max((geometric_deg + 8.0) / 7.0, 0.0), 1.0)
    # The formula is a hair above zero at the zenith, where nothing can be lifted.
    return min(geometric_deg + lift * fade, 90.0)


def _observer(where: Observer, date: dt.date, clock_h: float) -> ephem.Observer:
    """The place and time as ephem takes them, without ephem's own refraction."""
    out = ephem.Observer()
    out.lat, out.lon = math.radians(where.latitude), math.radians(where.longitude)
    out.pressure, out.elevation = 0.0, 0.0
    out.date = where.moment(date, clock_h)
    return out


@lru_cache(maxsize=4096)
def sun_place(where: Observer, date: dt.date, clock_h: float) -> BodyPlace:
    """Position of the sun.

    where   : the place
    date    : local date
    clock_h : local time [h]
    Returns the position; cached.
    """
    sun = ephem.Sun(_observer(where, date, clock_h))
    geometric = math.degrees(sun.alt)
    distance = float(sun.earth_distance)
    radius = math.degrees(math.asin(SUN_RADIUS_M / (distance * AU_M)))
    return BodyPlace(math.degrees(sun.az), refracted(geometric), geometric, radius, distance)


@lru_cache(maxsize=4096)
def moon_place(where: Observer, date: dt.date, clock_h: float) -> BodyPlace:
    """Position of the moon, with parallax and phase.

    where, date, clock_h : see `sun_place`
    Returns the position; cached. Phase: Meeus 1998, equation 48.3.
    """
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
    """Rotation from equatorial directions to the axes of the level (+X east, +Y up, -Z north).

    where, date, clock_h : see `sun_place`
    Returns (3, 3). A star of right ascension a and declination d has direction (cos d cos a, cos d sin a,
    sin d).
    """
    turn = float(_observer(where, date, clock_h).sidereal_time())
    latitude = math.radians(where.latitude)
    c, s = math.cos(turn), math.sin(turn)
    # To hour angle: x toward the meridian at the equator, y toward east, z to the pole.
    local = np.array([[c, s, 0.0], [-s, c, 0.0], [0.0, 0.0, 1.0]])
    up = [math.cos(latitude), 0.0, math.sin(latitude)]
    north = [-math.sin(latitude), 0.0, math.cos(latitude)]
    return np.array([[0.0, 1.0, 0.0], up, [-north[0], 0.0, -north[2]]]) @ local
