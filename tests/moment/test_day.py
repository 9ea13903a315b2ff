"""The day: pegs and lanes, solar events, switching, and evaluation without a memory."""

import datetime as dt

import numpy as np
import pytest
from hypothesis import assume, given, settings
from hypothesis import strategies as st

from wallum.document.fields import Parameter, declared
from wallum.document.lanes import Lane, Peg, PegTime, format_clock, parse_clock, parse_peg_time
from wallum.document.paths import put
from wallum.document.pegging import pegged, pegged_text, unpegged, without_lane
from wallum.document.project import PartMarks, Project, Setting, base_light
from wallum.document.sources import Lamp, PointSource
from wallum.document.storage import dump, parse
from wallum.errors import PathProblem, ProjectProblem, ValueProblem
from wallum.level.demos.jar_yard import jar_yard_project
from wallum.moment.at_moment import at_moment, day_of, put_at
from wallum.moment.base_light import find_base_light, open_ground_lux, places
from wallum.moment.curves import eased, value_at
from wallum.moment.day_strip import course, events_of_day, strip_colours
from wallum.moment.evaluate import evaluate
from wallum.moment.moment import Moment
from wallum.moment.solar_day import solar_day
from wallum.moment.switching import day_lux, is_on, on_spans
from wallum.physics.colour import luminance
from wallum.physics.dome import irradiance
from wallum.physics.ephemeris import Observer

DESERT = Setting(latitude=31.4, longitude=-109.2, utc_offset=-7.0, date="2027-10-12")
LAMP = PointSource(id="lamp", name="Lamp", intensity=100.0)
NUMBER = Parameter("Number", "")
LOG = Parameter("Number", "", scale="log")


def project(*lamps, setting=DESERT):
    return Project(setting=setting, sources=(*base_light(), *lamps))


# -- pegs ------------------------------------------------------------------------------

hours = st.floats(0.0, 23.999)
easings = st.sampled_from(["even", "soft", "late", "early", "step"])
knots = st.lists(st.tuples(hours, st.floats(0.01, 1e4), easings), min_size=1, max_size=6).map(
    lambda rows: tuple(sorted(rows, key=lambda row: row[0]))
)


@given(knots, hours, st.sampled_from([NUMBER, LOG]))
def test_a_value_lies_between_its_neighbours(rows, hour, info):
    values = [row[1] for row in rows]
    assert min(values) - 1e-9 <= value_at(rows, hour, info) <= max(values) + 1e-9


@given(knots)
def test_at_a_peg_its_value_holds(rows):
    for hour, _, _ in rows:
        others = [item for at, item, _ in rows if at == hour]
        assert any(value_at(rows, hour, NUMBER) == pytest.approx(other) for other in others)


@given(knots)
def test_midnight_is_no_seam(rows):
    """Without steps, a moment before midnight and a moment after are alike."""
    soft = tuple((hour, value, "even") for hour, value, _ in rows)
    assume(len({hour for hour, _, _ in soft}) == len(soft))
    assume(all(0.01 <= hour <= 23.99 for hour, _, _ in soft))
    gap = min(((b[0] - a[0]) % 24.0 or 24.0) for a, b in zip(soft, (*soft[1:], soft[0]), strict=True))
    spread = max(v for _, v, _ in soft) - min(v for _, v, _ in soft)
    jump = abs(value_at(soft, 23.9999, NUMBER) - value_at(soft, 0.0, NUMBER))
    assert jump <= spread / gap * 2e-4 + 1e-9
    assert value_at(soft, 24.0, NUMBER) == value_at(soft, 0.0, NUMBER)


def test_a_lane_runs_on_over_midnight():
    rows = ((2.0, 10.0, "even"), (22.0, 30.0, "even"))
    assert value_at(rows, 0.0, NUMBER) == pytest.approx(20.0)
    assert value_at(rows, 12.0, NUMBER) == pytest.approx(20.0)
    assert value_at(rows, 23.0, NUMBER) == pytest.approx(25.0)


@given(easings, st.floats(0.0, 1.0))
def test_easings_stay_within_and_start_at_nothing(easing, share):
    assert 0.0 <= eased(share, easing) <= 1.0
    assert eased(0.0, easing) == 0.0
    assert easing == "step" or eased(1.0, easing) == 1.0


def test_strengths_run_in_stops_switches_step_and_colours_mix():
    rows = ((0.0, 100.0, "even"), (12.0, 400.0, "even"))
    assert value_at(rows, 6.0, LOG) == pytest.approx(200.0)
    assert value_at(((6.0, True, "soft"), (18.0, False, "soft")), 17.9, NUMBER) is True
    assert value_at(((0.0, (1.0, 0.0, 0.0), "even"), (12.0, (0.0, 1.0, 0.0), "even")), 6.0, NUMBER) == (
        pytest.approx((0.5, 0.5, 0.0))
    )


@pytest.mark.parametrize(
    "text", ["18:30", "sunset", "dusk -01:00", "sunrise +00:20", "noon", "midnight +02:00", "setting -9"]
)
def test_times_read_back_as_they_are_written(text):
    assert parse_peg_time(parse_peg_time(text).text()) == parse_peg_time(text)
    assert parse_peg_time(text).text() == text


@pytest.mark.parametrize("text", ["25:00", "12:75", "teatime", "sunset 20", "sunset + 20", ""])
def test_times_that_cannot_be_read_are_refused(text):
    with pytest.raises(ValueProblem):
        parse_peg_time(text)


def test_clocks():
    assert parse_clock("17:30") == 17.5
    assert parse_clock("24:00") == 24.0
    assert format_clock(17.5) == "17:30"
    assert format_clock(parse_clock("06:05:09")) == "06:05:09"
    with pytest.raises(ValueProblem):
        parse_clock("24:01")


def test_pegs_are_set_moved_taken_out_and_saved():
    path = "sources/lamp/intensity"
    item = pegged_text(project(LAMP), path, "sunset", "50")
    two = pegged_text(item, path, "22:00", "100 lm")
    assert len(two.lanes) == 1
    assert len(two.lanes[0].pegs) == 2
    again = pegged(two, path, PegTime(hours=22.0), 5.0, "late")
    assert [peg.value for peg in again.lanes[0].pegs] == [50.0, 5.0]
    assert again.lanes[0].pegs[1].easing == "late"
    assert parse(dump(again)) == again
    left = unpegged(again, path, again.lanes[0].pegs[0])
    assert len(left.lanes[0].pegs) == 1
    assert unpegged(left, path, left.lanes[0].pegs[0]).lanes == ()
    assert without_lane(again, path).lanes == ()
    assert again.without(["lamp"]).lanes == ()


def test_a_value_put_at_an_hour_goes_into_its_lane_or_where_there_is_none_everywhere():
    plain = project(LAMP)
    assert put_at(plain, "sources/lamp/intensity", 7.0, Moment(3.0)).source("lamp").intensity == 7.0
    laned = pegged(plain, "sources/lamp/position", PegTime(hours=6.0), (1.0, 2.0, 3.0))
    laned = pegged(laned, "sources/lamp/position", PegTime(hours=18.0), (1.0, 6.0, 3.0))
    near = put_at(laned, "sources/lamp/position/x", 9.0, Moment(18.2))  # within a quarter of an hour
    assert len(near.lane("lamp", "position").pegs) == 2
    assert at_moment(near, Moment(18.0)).source("lamp").position == pytest.approx((9.0, 6.0, 3.0), abs=0.1)
    far = put_at(
        put_at(laned, "sources/lamp/position/x", 9.0, Moment(12.0)),
        "sources/lamp/position/z",
        8.0,
        Moment(12.0),
    )
    assert len(far.lane("lamp", "position").pegs) == 3
    assert at_moment(far, Moment(12.0)).source("lamp").position == pytest.approx((9.0, 4.0, 8.0))
    around = put_at(pegged(plain, "look/ev100", PegTime(hours=23.9), 4.0), "look/ev100", 6.0, Moment(0.1))
    assert [peg.value for peg in around.lane("look", "ev100").pegs] == [6.0]  # over midnight
    with pytest.raises(PathProblem):
        put_at(plain, "sources/nobody/intensity", 1.0, Moment(3.0))


def test_wrong_pegs_are_refused():
    with pytest.raises(ValueProblem, match="at most"):
        pegged(project(LAMP), "sources/lamp/kelvin", PegTime(), 50_000.0)
    with pytest.raises(PathProblem):
        pegged(project(LAMP), "setting/latitude", PegTime(), 5.0)
    good = dump(pegged(project(LAMP), "sources/lamp/kelvin", PegTime(), 5000.0))
    with pytest.raises(ProjectProblem, match="less than or equal"):
        parse(good.replace('"value": 5000.0', '"value": 500000.0'))
    with pytest.raises(ProjectProblem, match="not there"):
        parse(good.replace('"owner": "lamp"', '"owner": "gone"'))


@given(st.floats(0.0, 24.0))
@settings(max_examples=25)
def test_lane_values_reach_the_scene(hour):
    path = "sources/lamp/intensity"
    day = pegged(pegged(project(LAMP), path, PegTime(hours=6.0), 10.0), path, PegTime(hours=18.0), 1000.0)
    value = at_moment(day, Moment(hour)).source("lamp").intensity
    assert 10.0 <= value <= 1000.0
    rows = evaluate(day, Moment(hour)).lamps.rows
    assert luminance(rows["emission"]) == pytest.approx([value], rel=1e-4)


# -- solar events ----------------------------------------------------------------------


def test_events_come_in_order_and_at_their_heights():
    day = day_of(DESERT)
    events = events_of_day(project())
    assert list(events.values()) == sorted(events.values())
    assert day.elevation(events["sunset"]) == pytest.approx(-0.8333, abs=1e-3)
    assert day.elevation(events["dusk"]) == pytest.approx(-6.0, abs=1e-3)
    assert day.elevation(events["noon"]) > max(day.elevation(events["noon"] + d) for d in (-0.05, 0.05))
    # By hand: declination -7.4, equation of time 13.5 min, the usual hour angle of sunset.
    noon = 12.0 + (109.2 - 105.0) / 15.0 - 13.5 / 60.0
    phi, delta = np.radians(31.4), np.radians(-7.4)
    cosine = (np.sin(np.radians(-0.8333)) - np.sin(phi) * np.sin(delta)) / (np.cos(phi) * np.cos(delta))
    assert events["sunset"] == pytest.approx(noon + np.degrees(np.arccos(cosine)) / 15.0, abs=0.03)


@given(st.floats(-90.0, 90.0), st.integers(0, 364), st.floats(-30.0, 30.0))
@settings(max_examples=60, deadline=None)
def test_every_peg_has_an_hour_on_every_day_everywhere(latitude, day_number, angle):
    date = dt.date(2027, 1, 1) + dt.timedelta(days=day_number)
    day = solar_day(Observer(round(latitude, 2), 20.0, 1.0), date)
    for tie in ("noon", "midnight", "rising", "setting"):
        hour = day.hour_of(PegTime(tie=tie, angle=angle, hours=1.0))
        assert 0.0 <= hour < 24.0


def test_in_the_polar_day_sunrise_and_sunset_meet_at_midnight_and_in_the_night_at_noon():
    summer = solar_day(Observer(75.0, 20.0, 1.0), dt.date(2027, 6, 21))
    winter = solar_day(Observer(75.0, 20.0, 1.0), dt.date(2027, 12, 21))
    for day, meeting in ((summer, summer.midnight), (winter, winter.noon)):
        rise, fall = (day.hour_of(PegTime(tie=tie, angle=-0.8333)) for tie in ("rising", "setting"))
        assert rise == pytest.approx(meeting)
        assert fall == pytest.approx(meeting)
    assert not summer.happens(-0.8333)
    assert "sunset" not in events_of_day(project(setting=DESERT.revised(latitude=75.0, date="2027-06-21")))


def test_toward_the_polar_day_sunset_goes_to_midnight_without_a_leap():
    """Where the sun only just sets, sunset comes just before midnight."""
    gaps = []
    for latitude in np.arange(60.0, 70.0, 0.25):
        day = solar_day(Observer(float(latitude), 20.0, 1.0), dt.date(2027, 6, 21))
        gaps.append((day.midnight - day.hour_of(PegTime(tie="setting", angle=-0.8333))) % 24.0)
    gaps = np.array([gap if gap < 12.0 else 0.0 for gap in gaps])
    assert (np.diff(gaps) <= 1e-6).all()
    assert gaps[-1] == pytest.approx(0.0)
    assert np.abs(np.diff(gaps)).max() < 1.0


def test_a_peg_at_sunset_moves_with_the_date():
    path = "sources/lamp/on"
    day = pegged(project(LAMP), path, parse_peg_time("sunset"), True)
    day = pegged(day, path, PegTime(hours=1.0), False)
    winter = day.revised(setting=DESERT.revised(date="2027-12-21"))
    assert not at_moment(day, Moment(17.5)).source("lamp").on
    assert at_moment(winter, Moment(17.5)).source("lamp").on


# -- switching -------------------------------------------------------------------------


def test_a_lamp_is_switched_on_by_dusk_and_off_by_more_light_than_that():
    lamp = LAMP.revised(switched="by light", on_below=10.0, off_above=100.0)
    day = project(lamp)
    ((start, end),) = on_spans(day, lamp)
    assert 17.5 < start < 18.5
    assert 5.5 < end < 6.5
    assert open_ground_lux(day, Moment(start)) == pytest.approx(10.0, rel=0.1)
    assert open_ground_lux(day, Moment(end)) == pytest.approx(100.0, rel=0.1)
    assert [is_on(day, lamp, Moment(h)) for h in (12.0, 17.0, 19.0, 0.0, 5.0, 7.0)] == [
        False, False, True, True, True, False,
    ]  # fmt: skip
    assert evaluate(day, Moment(12.0)).lamps.ids == ()
    assert evaluate(day, Moment(22.0)).lamps.ids == ("lamp",)


def test_lamps_see_the_cloud_over_them():
    """Under a closed deck it is darker all day, about by what dome and sun say, and lamps go on earlier."""
    lamp = LAMP.revised(switched="by light", on_below=300.0, off_above=900.0)
    clear = project(lamp)
    sky = clear.source("sky")
    closed = clear.with_source(sky.revised(deck=1.0))
    light = evaluate(closed, Moment(12.0))
    shown = float(luminance(irradiance(light.sky.terms, np.array([[0.0, 1.0, 0.0]])))[0])
    assert open_ground_lux(closed, Moment(12.0)) == pytest.approx(shown, rel=0.5)
    assert open_ground_lux(closed, Moment(12.0)) < 0.5 * open_ground_lux(clear, Moment(12.0))
    on_at = [
        next(h for h in np.arange(12.0, 24.0, 0.05) if is_on(item, lamp, Moment(h)))
        for item in (clear, closed)
    ]
    assert on_at[1] < on_at[0] - 0.1
    thin = clear.with_source(sky.revised(cloud=1.0, cloud_opacity=1.0))
    assert open_ground_lux(thin, Moment(12.0)) < 0.5 * open_ground_lux(clear, Moment(12.0))


def test_between_the_two_limits_the_lamp_keeps_its_state():
    lamp = LAMP.revised(switched="by light", on_below=10.0, off_above=1000.0)
    day = project(lamp)
    lux = day_lux(day)
    between = [i / 12.0 for i in range(288) if 12.0 < lux[i] < 900.0]
    assert {is_on(day, lamp, Moment(h)) for h in between if h > 12.0} == {False}
    assert {is_on(day, lamp, Moment(h)) for h in between if h < 12.0} == {True}


def test_by_the_clock_over_midnight_and_never():
    lamp = LAMP.revised(switched="by clock", on_at=20.0, off_at=2.0)
    day = project(lamp)
    assert [is_on(day, lamp, Moment(h)) for h in (19.9, 20.0, 23.0, 1.9, 2.0)] == [
        False,
        True,
        True,
        True,
        False,
    ]
    assert on_spans(day, lamp.revised(on_at=5.0, off_at=5.0)) == ()
    assert not is_on(day, lamp.revised(on=False), Moment(23.0))


def test_in_the_polar_night_a_lamp_burns_all_day_and_in_the_polar_day_never():
    lamp = LAMP.revised(switched="by light", on_below=100.0, off_above=200.0)
    for date, expected in (("2027-12-21", True), ("2027-06-21", False)):
        day = project(lamp, setting=DESERT.revised(latitude=80.0, date=date))
        assert {is_on(day, lamp, Moment(h)) for h in np.arange(0.0, 24.0, 0.5)} == {expected}


def test_switching_limits_in_the_wrong_order_are_refused():
    with pytest.raises(ValueError, match="no less"):
        LAMP.revised(on_below=100.0, off_above=50.0)


def test_glow_follows_its_lamp():
    path = "sources/lamp/intensity"
    day = pegged(pegged(project(LAMP), path, PegTime(hours=6.0), 25.0), path, PegTime(hours=18.0), 100.0)
    day = day.with_marks(PartMarks(part="shade", follows="lamp"))
    assert evaluate(day, Moment(6.0)).glow == {"lamp": pytest.approx(0.25)}
    assert evaluate(put(day, "sources/lamp/on", False), Moment(6.0)).glow == {"lamp": 0.0}
    assert day.without(["lamp"]).follows == {}


# -- evaluation ------------------------------------------------------------------------


def same(a, b):
    return (
        a.lamps.ids == b.lamps.ids
        and np.array_equal(a.lamps.rows, b.lamps.rows)
        and np.array_equal(a.sky.luminance, b.sky.luminance)
        and (a.sun is None) == (b.sun is None)
        and (a.sun is None or np.array_equal(a.sun.illuminance, b.sun.illuminance))
        and (a.look, a.air, a.glow) == (b.look, b.air, b.glow)
    )


def test_the_same_hour_gives_the_same_scene_whichever_way_one_came():
    yard = jar_yard_project()
    steps = [float(h) for h in np.arange(16.0, 20.0, 0.37)]
    forward = [evaluate(yard, Moment(h)) for h in steps]
    backward = [evaluate(yard, Moment(h)) for h in reversed(steps)][::-1]
    assert all(same(a, b) for a, b in zip(forward, backward, strict=True))


@pytest.mark.parametrize("latitude", [31.4, 0.0, 65.0])
def test_a_day_has_no_jump_between_neighbouring_minutes(latitude):
    """Open ground's light changes by less than half a stop from one minute to the next."""
    day = project(setting=DESERT.revised(latitude=latitude))
    lux = np.array([open_ground_lux(day, Moment(minute / 60.0)) for minute in range(0, 1440)])
    assert np.abs(np.diff(np.log2(lux))).max() < 0.5


def test_sun_and_moon_never_cast_shadows_together_and_hand_over_without_a_jump():
    day = project()
    before = None
    for minute in range(16 * 60, 20 * 60):
        base = find_base_light(day, Moment(minute / 60.0))
        sun, _ = places(day, minute / 60.0)
        assert base.far is None or base.far.id == ("sun" if sun.elevation > -sun.radius else "moon")
        assert base.far is not None or -12.0 < sun.elevation < 1.0
        inputs = 0.0 if base.far is None else float(luminance(base.far.illuminance) * base.far.direction[1])
        sky = float(luminance(base.sky.terms[0])) * 0.282
        if before is not None:
            assert abs(np.log2((inputs + sky) / before)) < 0.6
        before = inputs + sky


def test_a_sun_aimed_by_hand_takes_the_sky_with_it():
    aimed = put(put(project(), "sources/sun/stands", "where set"), "sources/sun/elevation", 10.0)
    aimed = put(aimed, "sources/sun/azimuth", 90.0)
    for hour in (3.0, 12.0):
        scene = evaluate(aimed, Moment(hour))
        assert scene.sun.direction == pytest.approx(
            [np.cos(np.radians(10)), np.sin(np.radians(10)), 0], abs=1e-9
        )
        brightest = np.unravel_index(luminance(scene.sky.luminance).argmax(), scene.sky.luminance.shape[:2])
        assert abs((brightest[1] + 0.5) / 96 * 360 - 90) < 8


def test_the_levels_north_turns_sun_and_stars_alike():
    turned = project(setting=DESERT.revised(north=30.0))
    plain, other = find_base_light(project(), Moment(9.0)), find_base_light(turned, Moment(9.0))
    assert other.sun.azimuth - plain.sun.azimuth == pytest.approx(30.0)
    pole = [b.sky.stars.turn @ np.array([0.0, 0.0, 1.0]) for b in (plain, other)]
    azimuths = [np.degrees(np.arctan2(p[0], -p[2])) for p in pole]
    assert azimuths[1] - azimuths[0] == pytest.approx(30.0)


def test_stops_of_trim_are_stops():
    trimmed = put(put(project(), "sources/sun/trim", -1.0), "sources/sky/trim", 2.0)
    plain, changed = find_base_light(project(), Moment(12.0)), find_base_light(trimmed, Moment(12.0))
    assert changed.far.illuminance / plain.far.illuminance == pytest.approx([0.5] * 3)
    assert changed.sky.luminance / plain.sky.luminance == pytest.approx(np.full((48, 96, 3), 4.0), rel=1e-5)


def test_air_dims_the_sun_and_gives_some_of_it_back_from_the_sky():
    day = put(put(project(), "air/on", True), "air/visibility", 2000.0)
    clear, hazy = evaluate(project(), Moment(12.0)), evaluate(day, Moment(12.0))
    depth = 3.912 / 2000.0 * 600.0 / clear.sun.direction[1]
    ratio = luminance(hazy.sun.illuminance) / luminance(clear.sun.illuminance)
    assert ratio == pytest.approx(np.exp(-depth), rel=0.01)
    assert luminance(hazy.sky.luminance).mean() > luminance(clear.sky.luminance).mean()
    total = [
        luminance(s.sun.illuminance) * s.sun.direction[1] + luminance(s.sky.terms[0]) * 0.282
        for s in (clear, hazy)
    ]
    assert total[1] < total[0]


def test_the_ribbon_is_bright_by_day_and_dark_by_night():
    day = project()
    noon, night = (np.array(strip_colours(day, Moment(h))) for h in (12.0, 2.0))
    assert noon.min() > night.max()
    dusk_zenith, dusk_low = strip_colours(day, Moment(18.0))
    assert dusk_low[0] > dusk_low[2]
    assert dusk_zenith[2] > dusk_zenith[0]
    shown = course(day)
    assert shown.hours[shown.sun.argmax()] == pytest.approx(day_of(DESERT).noon, abs=0.3)


def test_every_lamp_and_light_says_what_it_is():
    for source in project(LAMP).sources:
        assert all(info.label and info.help for info in declared(source).values())
        assert isinstance(source, Lamp) == (source.id == "lamp")


def test_a_lamp_under_the_hand_leaves_the_sky_alone_though_the_sky_has_lanes():
    lane = Lane(
        owner="sky",
        name="trim",
        pegs=(Peg(at=PegTime(hours=8.0), value=0.0), Peg(at=PegTime(hours=20.0), value=-1.0)),
    )
    before = project(LAMP).revised(lanes=(lane,))
    after = before.with_source(LAMP.revised(intensity=170.0))
    assert evaluate(after, Moment(13.0)).sky is evaluate(before, Moment(13.0)).sky
    brighter = before.with_source(before.source("sky").revised(haze=2.0))
    assert evaluate(brighter, Moment(13.0)).sky is not evaluate(before, Moment(13.0)).sky
