"""The commands about the day, as a build machine would call them."""

import json

import numpy as np
import pytest
from PIL import Image

from wallum.cli.main import main
from wallum.document.paths import look_up
from wallum.document.storage import load, save
from wallum.level.demos.pale_room import pale_room_project
from wallum.moment.at_moment import at_moment
from wallum.moment.moment import Moment


def run(capsys, *arguments):
    status = main(list(arguments))
    out = capsys.readouterr()
    return status, out.out, out.err


def test_sun_says_where_sun_and_moon_stand(capsys):
    place = ["--place", "39.742476,-105.1786", "--utc-offset", "-7", "--date", "2003-10-17"]
    status, out, _ = run(capsys, "sun", *place, "--clock", "12:30:30", "--json")
    result = json.loads(out)
    assert status == 0
    assert result["sun"]["azimuth_deg"] == pytest.approx(194.34024, abs=0.01)
    assert result["sun"]["elevation_deg"] == pytest.approx(39.88838, abs=0.01)
    assert 90_000 < result["sun"]["illuminance_lx"] < 105_000
    assert 4500 < result["sun"]["cct_k"] < 5500
    assert set(result["moon"]) == {*result["sun"], "lit_fraction"}


def test_sun_of_a_project_and_below_the_horizon(capsys):
    status, out, _ = run(capsys, "sun", "demo:jar-yard", "--clock", "21:30", "--json")
    result = json.loads(out)
    assert status == 0
    assert result["sun"]["illuminance_lx"] == 0.0
    assert result["sun"]["cct_k"] is None
    assert result["moon"]["lit_fraction"] == pytest.approx(0.94, abs=0.01)
    status, out, _ = run(capsys, "sun", "demo:jar-yard")
    assert "94% lit" in out


@pytest.mark.parametrize(
    ("arguments", "word"),
    [
        (["sun"], "no place"),
        (
            ["sun", "--place", "95,0", "--utc-offset", "0", "--date", "2027-01-01", "--clock", "12:00"],
            "at most",
        ),
        (["sun", "--place", "5", "--utc-offset", "0", "--date", "2027-01-01", "--clock", "12:00"], "LAT,LON"),
        (["sun", "demo:jar-yard", "--clock", "26:00"], "HH:MM"),
        (["sun", "demo:jar-yard", "--date", "2027-02-30"], "YYYY-MM-DD"),
        (["sun", "demo:jar-yard", "--place", "1,2"], "one of the two"),
        (["sheet", "demo:jar-yard", "--out", "day.jpg"], ".png"),
        (["sheet", "demo:jar-yard", "--shots", "nowhere", "--out", "day.png"], "nowhere"),
        (["meter", "demo:pale-room", "--at", "0,1,0", "--clock", "noonish"], "HH:MM"),
        (["set", "demo:pale-room", "sources/sun/trim@teatime=1"], "teatime"),
    ],
)
def test_wrong_input_is_one_sentence(capsys, arguments, word):
    status, out, err = run(capsys, *arguments)
    assert status == 2
    assert word in err
    assert err.count("\n") == 1
    assert out == ""


def test_pegs_are_set_from_the_command_line(capsys, tmp_path):
    file = tmp_path / "room.wallum"
    save(pale_room_project(), file)
    changes = ["sources/ceiling-lamp/intensity@sunset=10", "sources/ceiling-lamp/intensity@22:00=400 lm"]
    status, _, err = run(capsys, "set", str(file), *changes)
    assert (status, err) == (0, "")
    (lane,) = load(file).lanes
    assert [peg.at.text() for peg in lane.pegs] == ["sunset", "22:00"]


def test_a_value_that_is_set_holds_at_the_hour_though_it_has_pegs(capsys, tmp_path):
    file = tmp_path / "room.wallum"
    save(pale_room_project(), file)
    lamp = "sources/ceiling-lamp/intensity"
    run(capsys, "set", str(file), f"{lamp}@06:00=10", f"{lamp}@18:00=30", "setting/clock=12")
    status, _, err = run(capsys, "set", str(file), f"{lamp}=77")
    assert (status, err) == (0, "")
    project = load(file)
    assert look_up(at_moment(project, Moment(12.0)), lamp) == pytest.approx(77.0)
    assert look_up(project, lamp) == pytest.approx(77.0)
    # What was pegged at other hours stays.
    assert look_up(at_moment(project, Moment(6.0)), lamp) == pytest.approx(10.0)
    assert look_up(at_moment(project, Moment(18.0)), lamp) == pytest.approx(30.0)


def test_a_relative_value_is_of_what_holds_at_the_hour(capsys, tmp_path):
    file = tmp_path / "room.wallum"
    save(pale_room_project(), file)
    lamp = "sources/ceiling-lamp/intensity"
    run(capsys, "set", str(file), f"{lamp}@12:00=10", "setting/clock=12", f"{lamp}=+1 stops")
    assert look_up(at_moment(load(file), Moment(12.0)), lamp) == pytest.approx(20.0)


def test_render_and_meter_take_the_clock(capsys, tmp_path):
    camera = ["--eye", "0,1.5,3", "--toward", "0,1,0", "--size", "64x36", "--as-delivered"]
    evs = {}
    for clock in ("12:00", "23:00"):
        out = tmp_path / f"{clock[:2]}.png"
        base = ["--set", "sources/sun/on=on", "--set", "sources/sky/on=on", "--set", "look/exposed=metered"]
        status, messages, err = run(
            capsys, "render", "demo:pale-room", *camera, *base, "--clock", clock, "--out", str(out), "--json"
        )
        assert (status, err) == (0, "")
        evs[clock] = json.loads(messages)["ev100"]
        with Image.open(out) as opened:
            assert np.asarray(opened).std() > 2
    readings = {}
    for clock in ("12:00", "23:00"):
        status, messages, _ = run(
            capsys,
            "meter",
            "demo:jar-yard",
            "--at",
            "6,0.3,12",
            "--clock",
            clock,
            "--samples",
            "64",
            "--json",
        )
        readings[clock] = json.loads(messages)["by_source"]
    assert readings["12:00"]["sun"] > 10_000
    assert readings["12:00"]["sky"] > 1000
    assert "sun" not in readings["23:00"]
    assert readings["23:00"]["moon"] > 0.01


def test_a_sheet_has_a_picture_for_each_hour(capsys, tmp_path):
    out = tmp_path / "day.png"
    status, messages, err = run(
        capsys, "sheet", "demo:pale-room", "--every", "480", "--size", "80x50", "--out", str(out), "--json"
    )
    assert (status, err) == (0, "")
    assert json.loads(messages)["pictures"] == 3
    with Image.open(out) as opened:
        assert opened.size[0] == 6 + 3 * (80 + 6)


def test_render_takes_a_view_or_one_source(capsys, tmp_path):
    camera = ["--shot", "long-side", "--size", "64x36", "--as-delivered"]
    pictures = {}
    for view in ("final", "false-colour", "one:ceiling-lamp"):
        out = tmp_path / "view.png"
        status, _, err = run(capsys, "render", "demo:pale-room", *camera, "--view", view, "--out", str(out))
        assert (status, err) == (0, "")
        with Image.open(out) as opened:
            pictures[view] = np.asarray(opened).astype(float)
    assert np.abs(pictures["final"] - pictures["false-colour"]).mean() > 10
    assert pictures["one:ceiling-lamp"].mean() < pictures["final"].mean()
    status, _, err = run(capsys, "render", "demo:pale-room", *camera, "--view", "dreams", "--out", str(out))
    assert status == 2
    assert "no view" in err
