"""The sun's course over one day of a place: its events, in hours of the local clock.

Where an event does not come, it is where it was last: as the days grow toward the polar day,
sunrise and sunset move to solar midnight and stay there; toward the polar night, to noon.
"""

import datetime as dt
from dataclasses import dataclass
from functools import cached_property, lru_cache

import numpy as np
from numpy.typing import NDArray

from wallum.document.lanes import PegTime
from wallum.physics.ephemeris import Observer, sun_place

__all__ = ["SolarDay", "solar_day"]

SAMPLES = 144
STEP_H = 24.0 / SAMPLES


@dataclass(frozen=True)
class SolarDay:
    """One date at one place; the clock runs from 0 to 24 and around."""

    where: Observer
    date: dt.date

    def elevation(self, hour: float) -> float:
        """Geometric elevation of the sun [deg]."""
        return sun_place(self.where, self.date, hour % 24.0).geometric

    @cached_property
    def _sampled(self) -> NDArray[np.float64]:
        return np.array([self.elevation(i * STEP_H) for i in range(SAMPLES)])

    def _extreme(self, index: int) -> float:
        """Hour of the highest or lowest place near a sample: the vertex of a parabola."""
        left, middle, right = (self._sampled[(index + k) % SAMPLES] for k in (-1, 0, 1))
        bend = left - 2.0 * middle + right
        shift = 0.5 * (left - right) / bend if abs(bend) > 1e-12 else 0.0
        return float((index + np.clip(shift, -1.0, 1.0)) * STEP_H % 24.0)

    @cached_property
    def noon(self) -> float:
        """When the sun stands highest [h]."""
        return self._extreme(int(self._sampled.argmax()))

    @cached_property
    def midnight(self) -> float:
        """When it stands lowest [h]."""
        return self._extreme(int(self._sampled.argmin()))

    def crossing(self, angle_deg: float, rising: bool) -> float:
        """When the sun passes a geometric elevation [h]; see the module for when it does not."""
        start, end = (self.midnight, self.noon) if rising else (self.noon, self.midnight)
        span = (end - start) % 24.0
        low, high = (start, start + span) if rising else (start + span, start)
        if self.elevation(low) >= angle_deg:
            return self.midnight
        if self.elevation(high) <= angle_deg:
            return self.noon
        for _ in range(26):  # to a thousandth of a second
            middle = 0.5 * (low + high)
            low, high = (middle, high) if self.elevation(middle) < angle_deg else (low, middle)
        return high % 24.0

    def happens(self, angle_deg: float) -> bool:
        """Whether the sun passes an elevation on this day at all."""
        return self.elevation(self.midnight) < angle_deg < self.elevation(self.noon)

    def hour_of(self, at: PegTime) -> float:
        """Hour of the clock, 0 to 24, of a peg's time."""
        match at.tie:
            case "noon":
                base = self.noon
            case "midnight":
                base = self.midnight
            case "rising" | "setting":
                base = _crossing(self, at.angle, at.tie == "rising")
            case _:
                base = 0.0
        return (base + at.hours) % 24.0


@lru_cache(maxsize=512)
def _crossing(day: SolarDay, angle_deg: float, rising: bool) -> float:
    return day.crossing(angle_deg, rising)


@lru_cache(maxsize=64)
def solar_day(where: Observer, date: dt.date) -> SolarDay:
    """The day of a place and date; its events are found once."""
    return SolarDay(where, date)
