"""Switching by light, solved where it matters only: the same as solved at every step."""

import numpy as np
import pytest

from wallum.document.lanes import Lane, Peg, PegTime
from wallum.document.project import Project, Setting, base_light
from wallum.document.sources import PointSource
from wallum.moment import switching
from wallum.moment.base_light import open_ground_lux
from wallum.moment.moment import Moment
from wallum.moment.switching import SAMPLES, STEP_H, day_lux, on_spans

PLACES = (
    (31.4, -109.2, "2027-10-12"),
    (0.0, 0.0, "2027-03-20"),
    (66.0, 25.0, "2027-06-10"),  # the sun hardly sets
    (69.5, 19.0, "2027-12-01"),  # it does not rise
    (-52.0, -70.0, "2027-01-05"),
)
LIMITS = ((350.0, 700.0), (10.0, 30.0), (0.05, 0.2), (20_000.0, 40_000.0))


def a_day(place, limits, **sky):
    latitude, longitude, date = place
    low, high = limits
    lamp = PointSource(id="lamp", name="Lamp", switched="by light", on_below=low, off_above=high)
    sun, moon, dome = base_light()
    setting = Setting(latitude=latitude, longitude=longitude, date=date, utc_offset=round(longitude / 15.0))
    return Project(sources=(sun, moon, dome.revised(**sky), lamp), setting=setting), lamp


@pytest.mark.parametrize("place", PLACES)
@pytest.mark.parametrize("limits", LIMITS)
def test_lamps_switch_as_they_do_in_a_day_solved_at_every_step(monkeypatch, place, limits):
    project, lamp = a_day(place, limits)
    quick = on_spans(project, lamp)
    monkeypatch.setattr(switching, "_limits", lambda _: None)
    again, _ = a_day(place, limits, haze=1.0)  # another object: nothing of it is kept
    whole = on_spans(again, lamp)
    assert len(quick) == len(whole)
    for (start, end), (start_too, end_too) in zip(quick, whole, strict=True):
        assert (start, end) == pytest.approx((start_too, end_too), abs=1e-6)


def test_where_no_lamp_switches_the_light_is_known_well_enough():
    project, _ = a_day(PLACES[0], LIMITS[0])
    lux = day_lux(project)
    true = np.array([open_ground_lux(project, Moment(i * STEP_H)) for i in range(0, SAMPLES, 7)])
    off = np.abs(np.log2(lux[::7] / true))
    assert off.max() < 0.5
    assert np.median(off) < 0.02


def test_few_of_its_hours_are_looked_at(monkeypatch):
    looks = []
    real = switching.open_ground_lux

    def counted(project, hour):
        looks.append(hour)
        return real(project, hour)

    monkeypatch.setattr(switching, "open_ground_lux", counted)
    project, lamp = a_day(PLACES[0], LIMITS[0], blue_depth=0.123)
    on_spans(project, lamp)
    assert SAMPLES // 6 <= len(looks) < SAMPLES // 2


def test_lanes_of_the_sky_are_looked_at_at_every_step():
    """A darkness of twenty minutes at noon: half-hour looks would not see it."""
    project, lamp = a_day(PLACES[0], LIMITS[0])
    pegs = [(11.99, 0.0), (12.02, -12.0), (12.3, -12.0), (12.33, 0.0)]
    lanes = tuple(
        Lane(
            owner=owner,
            name="trim",
            pegs=tuple(Peg(at=PegTime(hours=h), value=v, easing="even") for h, v in pegs),
        )
        for owner in ("sun", "sky")
    )
    dark = project.revised(lanes=lanes)
    spans = on_spans(dark, lamp)
    assert any(11.9 < start < 12.2 and 12.1 < end < 12.6 for start, end in spans)
    assert not any(11.9 < start < 12.2 for start, _ in on_spans(project, lamp))
