"""Moon and stars of one date that is played over and over: no jump at midnight.

In a day the moon falls back by about 13 degrees and the stars gain one: what is shown at 24:00 is
not what 0:00 of the same date shows. In the hours about midnight both are led to what lies between,
so that they close the circle; from 3:00 to 21:00 they stand where they truly are.
"""

import datetime as dt
import math
from dataclasses import replace

import numpy as np
from numpy.typing import NDArray

from wallum.physics.arrays import Floats
from wallum.physics.ephemeris import BodyPlace, Observer, direction_to, moon_place, refracted, sky_rotation

__all__ = ["looped_moon", "looped_stars"]

LED_H = 3.0
# What the stars gain on the clock in a day [h].
SIDEREAL_H = 24.0 - 23.93447


def _led(hour: float) -> float:
    """How far a place is led: 0.5 at 0:00 falling to 0, and from 0 to -0.5 at 24:00."""
    away = min(hour, 24.0 - hour) / LED_H
    x = min(max(1.0 - away, 0.0), 1.0)
    share = 0.5 * x * x * (3.0 - 2.0 * x)
    return share if hour < 12.0 else -share


def _toward(place: BodyPlace) -> NDArray[np.float64]:
    return direction_to(place.azimuth, place.geometric)


def _turned(vector: Floats, axis: Floats, angle: float) -> NDArray[np.float64]:
    """Source: Rodrigues."""
    c, s = math.cos(angle), math.sin(angle)
    return np.asarray(vector * c + np.cross(axis, vector) * s + axis * float(axis @ vector) * (1.0 - c))


def looped_moon(where: Observer, date: dt.date, hour: float) -> BodyPlace:
    """The moon at an hour, 0 to 24, of a date that comes again and again."""
    true = moon_place(where, date, hour)
    led = _led(hour)
    if led == 0.0:
        return true
    start, end = moon_place(where, date, 0.0), moon_place(where, date, 24.0)
    first, last = _toward(start), _toward(end)
    axis = np.cross(first, last)
    length = float(np.linalg.norm(axis))
    angle = math.atan2(length, float(first @ last))
    at = _turned(_toward(true), axis / max(length, 1e-12), angle * led)
    geometric = math.degrees(math.asin(min(max(float(at[1]), -1.0), 1.0)))
    azimuth = math.degrees(math.atan2(at[0], -at[2])) % 360.0

    def between(name: str) -> float:
        return float(getattr(true, name) + led * (getattr(end, name) - getattr(start, name)))

    phase = between("phase_deg")
    return replace(
        true,
        azimuth=azimuth,
        elevation=refracted(geometric),
        geometric=geometric,
        radius=between("radius"),
        distance_ratio=between("distance_ratio"),
        phase_deg=phase,
        lit=0.5 * (1.0 + math.cos(math.radians(phase))),
    )


def looped_stars(where: Observer, date: dt.date, hour: float) -> NDArray[np.float64]:
    """(3, 3) how the stars are turned at an hour, 0 to 24; see physics.ephemeris.sky_rotation."""
    return sky_rotation(where, date, hour + SIDEREAL_H * _led(hour))
