"""Checks of the light from outside: each finds what it is for, its remedy ends it, and a good day has none."""

import numpy as np
import pytest
from panorama_maker import write_panorama

from wallum.document.lanes import PegTime
from wallum.document.look import Look
from wallum.document.pegging import pegged
from wallum.document.project import Project, Setting, base_light
from wallum.judge.sky_checks import ambient_follows, dark_night, exposure_jump, suns_apart
from wallum.moment.moment import Moment

DESERT = Setting(latitude=31.4, longitude=-109.2, utc_offset=-7.0, date="2027-10-12", clock=10.0)


def project(**look):
    return Project(setting=DESERT, sources=base_light(), look=Look(**{"exposed": "metered", **look}))


def test_a_clear_day_has_no_findings():
    assert not list(ambient_follows(project()))
    assert not list(suns_apart(project()))
    assert not list(exposure_jump(project()))


def test_a_plain_sky_does_not_follow_the_sun_until_the_air_makes_it():
    plain = project().with_source(project().source("sky").revised(model="plain"))
    (result,) = ambient_follows(plain)
    assert result.kind == "ambient not following the sky"
    assert not list(ambient_follows(result.remedy.applied(plain)))
    # A lane is a way of following, too.
    led = pegged(plain, "sources/sky/illuminance", PegTime(hours=12.0), 10_000.0)
    led = pegged(led, "sources/sky/illuminance", PegTime(hours=0.0), 1.0)
    assert not list(ambient_follows(led))


def test_the_suns_are_brought_together(tmp_path):
    file = write_panorama(tmp_path / "sky.hdr")
    apart = project().with_source(project().source("sky").revised(model="picture dome", picture=str(file)))
    (result,) = suns_apart(apart)
    assert result.kind == "sun picture and sun apart"
    assert not list(suns_apart(result.remedy.applied(apart)))


@pytest.mark.parametrize("minute", [317, 1083])
def test_a_jump_of_the_exposure_is_found_at_its_minute(minute):
    look = {"exposed": "by hand", "ev100": 12.0}
    jumping = pegged(project(**look), "look/ev100", PegTime(hours=minute / 60.0), 9.0, "step")
    jumping = pegged(jumping, "look/ev100", PegTime(hours=(minute / 60.0 + 9.0) % 24.0), 9.5, "step")
    jumping = pegged(jumping, "look/ev100", PegTime(hours=(minute / 60.0 + 0.5) % 24.0), 12.0)
    result = list(exposure_jump(jumping))
    before = minute + 30 - 1  # where 9 is left for 12
    assert f"{before // 60:02d}:{before % 60:02d}" in [item.where for item in result]
    assert "+3.0 stops" in result[0].text + result[-1].text
    # A slow change is none.
    slow = pegged(project(**look), "look/ev100", PegTime(hours=6.0), 4.0, "even")
    slow = pegged(slow, "look/ev100", PegTime(hours=12.0), 14.0, "even")
    assert not list(exposure_jump(slow))


def test_a_night_in_black_is_told_and_its_remedy_gives_as_much_as_lacks():
    looks = [
        ("Lane", Moment(0.0), lambda: np.full(100, -9.5)),
        ("Lane", Moment(12.0), lambda: np.full(100, -9.5)),
    ]
    (result,) = dark_night(project(), iter(looks))
    assert result.where == "Lane at 00:00"
    (value,) = result.remedy.values.values()
    assert value == pytest.approx(3.0)
    assert not list(dark_night(project(), iter([("Lane", Moment(0.0), lambda: np.full(100, -5.0))])))
