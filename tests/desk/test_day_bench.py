"""The Day bench in the real window: lanes by hand, pegs copied, whole days, the shot by hours."""

import pytest
from desk_frames import tick
from panorama_maker import write_panorama
from PyQt6.QtCore import QPoint, Qt
from PyQt6.QtTest import QTest
from PyQt6.QtWidgets import QMenu
from test_day_on_the_desk import day_file, desk  # noqa: F401

from wallum.document.day_plans import load_day
from wallum.document.lanes import PegTime, parse_peg_time
from wallum.document.pegging import pegged
from wallum.document.storage import load, save
from wallum.moment.at_moment import at_moment
from wallum.moment.day_strip import events_of_day
from wallum.moment.evaluate import evaluate
from wallum.moment.moment import Moment
from wallum.physics.colour import luminance

LEFT, RIGHT = Qt.MouseButton.LeftButton, Qt.MouseButton.RightButton
NONE = Qt.KeyboardModifier.NoModifier


@pytest.fixture
def lanes(desk):  # noqa: F811
    """The lanes of the desk, with three pegs for the sky's trim."""
    project = desk.session.history.present
    for when, value in (("06:00", -1.0), ("12:00", 0.5), ("18:00", 1.0)):
        project = pegged(project, "sources/sky/trim", parse_peg_time(when), value)
    desk.session.history.edit("lanes", project)
    desk.bench.show_bench("Day")
    QTest.qWait(20)
    return desk.bench.lanes


def place(lanes, number):
    lane = lanes.lanes()[0]
    return lanes.place_of(lane, lane.pegs[number]).toPoint()


def drag(lanes, start, by, modifiers=NONE):
    QTest.mousePress(lanes, LEFT, modifiers, start)
    for share in (0.4, 0.8, 1.0):
        QTest.mouseMove(lanes, start + QPoint(round(by.x() * share), round(by.y() * share)))
    QTest.mouseRelease(lanes, LEFT, modifiers, start + by)


def trim(desk, number):  # noqa: F811
    return desk.session.project.lane("sky", "trim").pegs[number]


def test_the_switch_at_the_ribbon_shows_the_bench_and_ctrl_b_swaps_it(desk):  # noqa: F811
    assert desk.balance.isVisible()
    desk.day.benches["Day"].click()
    assert desk.bench.lanes.isVisible()
    assert not desk.balance.isVisible()
    assert desk.day.benches["Day"].isChecked()
    desk.act["bench"].trigger()
    assert desk.balance.isVisible()
    assert desk.day.benches["Compose"].isChecked()


def test_a_peg_dragged_across_changes_its_hour_alone_and_is_one_step(desk, lanes):  # noqa: F811
    hour_px = lanes.x_of(1.0) - lanes.x_of(0.0)
    drag(lanes, place(lanes, 1), QPoint(round(2.0 * hour_px), 0))
    assert trim(desk, 1).at.hours == pytest.approx(14.0, abs=0.1)
    assert trim(desk, 1).value == 0.5
    desk.session.undo()
    assert trim(desk, 1).at.hours == 12.0


def test_a_peg_dragged_up_changes_its_value_alone(desk, lanes):  # noqa: F811
    drag(lanes, place(lanes, 1), QPoint(0, -8))
    assert trim(desk, 1).value > 0.7
    assert trim(desk, 1).at.hours == 12.0
    desk.session.undo()
    assert trim(desk, 1).value == 0.5


def test_escape_gives_a_dragged_peg_back(desk, lanes):  # noqa: F811
    start = place(lanes, 1)
    QTest.mousePress(lanes, LEFT, NONE, start)
    QTest.mouseMove(lanes, start + QPoint(30, -6))
    assert trim(desk, 1).value != 0.5
    QTest.keyClick(lanes, Qt.Key.Key_Escape)
    QTest.mouseRelease(lanes, LEFT, NONE, start)
    assert trim(desk, 1).value == 0.5
    assert trim(desk, 1).at.hours == 12.0


def test_near_sunset_a_peg_is_tied_to_it(desk, lanes):  # noqa: F811
    sunset = events_of_day(desk.session.project)["sunset"]
    drag(lanes, place(lanes, 1), QPoint(round(lanes.x_of(sunset) - lanes.x_of(12.0)), 0))
    assert trim(desk, 1).at == parse_peg_time("sunset")


def test_a_double_click_adds_a_peg_and_delete_takes_the_chosen_out(desk, lanes):  # noqa: F811
    at = QPoint(round(lanes.x_of(9.0)), round(lanes.row_of(0).center().y()))
    QTest.mouseDClick(lanes, LEFT, NONE, at)
    assert len(desk.session.project.lane("sky", "trim").pegs) == 4
    QTest.mouseClick(lanes, LEFT, NONE, place(lanes, 0))
    QTest.keyClick(lanes, Qt.Key.Key_Delete)
    assert len(desk.session.project.lane("sky", "trim").pegs) == 3
    desk.session.undo()
    desk.session.undo()
    assert len(desk.session.project.lane("sky", "trim").pegs) == 3


def test_pegs_are_copied_to_the_playhead(desk, lanes):  # noqa: F811
    QTest.mouseClick(lanes, LEFT, NONE, place(lanes, 0))
    QTest.mouseClick(lanes, LEFT, Qt.KeyboardModifier.ControlModifier, place(lanes, 1))
    QTest.keyClick(lanes, Qt.Key.Key_C, Qt.KeyboardModifier.ControlModifier)
    desk.session.playhead.rest_at(14.0)
    QTest.keyClick(lanes, Qt.Key.Key_V, Qt.KeyboardModifier.ControlModifier)
    pegs = sorted(desk.session.project.lane("sky", "trim").pegs, key=lambda peg: peg.at.hours)
    assert [peg.at.hours for peg in pegs] == [6.0, 12.0, 14.0, 18.0, 20.0]
    assert [peg.value for peg in pegs] == [-1.0, 0.5, -1.0, 1.0, 0.5]
    desk.session.undo()
    assert len(desk.session.project.lane("sky", "trim").pegs) == 3


def test_the_menu_of_a_peg_says_how_it_goes_on_and_what_it_is_tied_to(desk, lanes):  # noqa: F811
    lane = lanes.lanes()[0]
    menu = lanes._menu(lane, lane.pegs[2])
    by_text = {action.text(): action for action in menu.actions()}
    by_text["Goes on even"].trigger()
    assert trim(desk, 2).easing == "even"
    lane = lanes.lanes()[0]
    tie = next(action for action in lanes._menu(lane, lane.pegs[2]).actions() if "sunset" in action.text())
    tie.trigger()
    assert trim(desk, 2).at.tie == "setting"


def test_any_value_can_get_a_lane(desk, lanes):  # noqa: F811
    menu = QMenu()
    desk.bench.fill_menu(menu)
    titles = [action.text() for action in menu.actions()]
    assert titles == ["Sun", "Moon", "Sky", "Picture", "Air", "Ground mist", "Screen shafts"]
    sky = menu.actions()[2].menu()
    headings = {action.text(): action.menu() for action in sky.actions()}
    assert headings["Haze"] is None
    next(action for action in sky.actions() if action.text() == "Haze").trigger()
    assert desk.session.project.lane("sky", "haze") is not None
    cover = next(action for action in headings["High cloud"].actions() if action.text() == "Coverage")
    cover.trigger()
    assert desk.session.project.lane("sky", "cloud") is not None
    # Those that have one already are offered no more.
    desk.bench.fill_menu(menu)
    sky = menu.actions()[2].menu()
    assert "Haze" not in [action.text() for action in sky.actions()]


def test_a_day_is_applied_in_part_by_ticks_as_one_step(desk, lanes):  # noqa: F811
    desk.bench.list_days()
    tick(desk.sheet, "day 1", True)
    for part in ("sun", "moon", "look"):
        tick(desk.sheet, f"part {part}", False)
    before = desk.session.project
    desk.sheet.press("Apply what is ticked")
    after = desk.session.project
    assert after.air.on
    assert after.source("sky").cloud == 0.25
    assert after.look == before.look
    assert after.source("sun") == before.source("sun")
    assert at_moment(after, Moment(7.0)).air.visibility < at_moment(after, Moment(13.0)).air.visibility
    desk.session.undo()
    assert desk.session.project is before


def test_without_a_day_ticked_one_is_told_and_nothing_changes(desk, lanes):  # noqa: F811
    desk.bench.list_days()
    before = desk.session.project
    desk.sheet.press("Apply what is ticked")
    assert desk.session.project is before
    assert "Tick one day" in desk.bar.text


def test_a_day_is_kept_as_a_file_and_comes_back(desk, lanes, tmp_path):  # noqa: F811
    assert desk.bench.keep_in(tmp_path / "mine")
    day = load_day(tmp_path / "mine.wallum-day")
    assert [lane.name for lane in day.lanes] == ["trim"]
    desk.session.take_lane("x", "sources/sky/trim")
    assert desk.bench.apply_file(tmp_path / "mine.wallum-day")
    assert len(desk.session.project.lane("sky", "trim").pegs) == 3
    (tmp_path / "mine.wallum-day").write_text("{}")
    assert not desk.bench.apply_file(tmp_path / "mine.wallum-day")
    assert "not a day's file" in desk.bar.text


def test_the_shot_by_hours_fills_and_a_click_goes_there(qtbot, desk, lanes):  # noqa: F811
    hours = desk.bench.hours
    desk.act["hours"].trigger()
    qtbot.waitUntil(lambda: hours.complete, timeout=120_000)
    assert len(hours.cells()) == 24
    noon, midnight = (hours._pictures[hours._key(hours.shots()[0], h)] for h in (12.0, 0.0))
    assert noon != midnight
    QTest.mouseClick(hours, LEFT, NONE, hours.place_of(15).center().toPoint())
    assert desk.session.playhead.hour == 15.0
    assert not hours.isVisible()


def test_the_sun_goes_to_the_pictures_and_back_in_one_step(desk, lanes, tmp_path):  # noqa: F811
    desk.act["sun_there"].trigger()
    assert "no picture" in desk.bar.text
    file = write_panorama(tmp_path / "sky.hdr")
    values = {"sources/sky/model": "picture dome", "sources/sky/picture": str(file)}
    desk.session.set_all("picture", values)
    before = desk.session.project
    desk.act["sun_there"].trigger()
    assert desk.session.project.source("sun").elevation == pytest.approx(40.0, abs=1.0)
    assert desk.session.project.source("sky").disc_out
    desk.session.undo()
    assert desk.session.project is before
    desk.act["sky_there"].trigger()
    assert desk.session.project.source("sky").rotation != 0.0


def test_a_lane_of_words_and_one_of_colours_are_shown_too(desk, lanes):  # noqa: F811
    project = desk.session.history.present
    project = pegged(project, "sources/sky/tint_low", PegTime(hours=8.0), (1.0, 0.5, 0.2))
    project = pegged(project, "sources/sun/shadow", PegTime(hours=8.0), False)
    desk.session.history.edit("more", project)
    assert len(lanes.lanes()) == 3
    shown = lanes.grab().toImage()
    row = lanes.row_of([lane.name for lane in lanes.lanes()].index("tint_low"))
    colour = shown.pixelColor(round(lanes.x_of(12.0)), round(row.center().y()) - 1)
    assert colour.red() > colour.green() > colour.blue()


def test_far_ground_sends_back_what_the_levels_floors_do(desk):  # noqa: F811
    from wallum.level.model.floors import floor_albedo

    session = desk.session
    albedo = floor_albedo(session.level.level, session.level.rays.triangles)
    before = evaluate(session.project, Moment(12.0)).sky.ground
    desk.act["ground_there"].trigger()
    after = evaluate(session.project, Moment(12.0)).sky.ground
    share = float(luminance(albedo))
    by_hand = session.project.with_source(
        session.project.source("sky").revised(ground_by="choice", ground=share)
    )
    assert after / evaluate(by_hand, Moment(12.0)).sky.ground == pytest.approx(albedo / share, abs=1e-3)
    session.undo()
    assert evaluate(session.project, Moment(12.0)).sky.ground == pytest.approx(before)
    assert session.project.floors == pytest.approx(tuple(albedo), abs=1e-3)
    assert not session.history.dirty


def test_several_chosen_shots_stand_by_hours_in_a_row_each(qtbot, desk, lanes):  # noqa: F811
    while len(desk.session.project.shots) < 2:
        desk.act["shot"].trigger()
    desk.shots.selectAll()
    desk.act["hours"].trigger()
    hours = desk.bench.hours
    assert len(hours.shots()) == len(desk.session.project.shots)
    assert hours.columns() == 8
    assert hours.name_of(8).endswith(hours.shots()[1].name)
    QTest.keyClick(hours, Qt.Key.Key_Right)
    QTest.keyClick(hours, Qt.Key.Key_Down)
    QTest.keyClick(hours, Qt.Key.Key_Return)
    assert desk.session.playhead.hour == 3.0
    assert not hours.isVisible()
    desk.act["hours"].trigger()
    QTest.keyClick(hours, Qt.Key.Key_Escape)
    assert not hours.isVisible()


def test_a_picture_is_read_beside_the_desk_and_a_broken_one_changes_nothing(qtbot, desk, tmp_path):  # noqa: F811
    from wallum.desk.jobs.picture_file import PictureFileButton

    desk.session.set_all("picture", {"sources/sky/model": "picture dome"})
    desk.session.selection.select("sky")
    buttons = desk.tune.findChildren(PictureFileButton)
    button = next(item for item in buttons if item.accessibleName() == "Picture")
    broken = tmp_path / "broken.hdr"
    broken.write_bytes(b"no picture")
    with qtbot.waitSignal(desk.session.failed, timeout=120_000) as text:
        button.read(str(broken))
    assert "broken.hdr" in text.args[0]
    assert desk.session.project.source("sky").picture == ""
    good = write_panorama(tmp_path / "sky.hdr")
    button.read(str(good))
    assert button.text() == "Reading ..."
    qtbot.waitUntil(lambda: desk.session.project.source("sky").picture == str(good), timeout=120_000)
    assert button.isEnabled()
    desk.session.undo()
    assert desk.session.project.source("sky").picture == ""


def test_a_sky_whose_picture_is_gone_says_so_when_it_is_opened(qtbot, desk, day_file, tmp_path):  # noqa: F811
    project = load(day_file)
    gone = project.source("sky").revised(model="picture dome", picture=str(tmp_path / "gone.hdr"))
    file = day_file.with_name("gone.wallum")
    save(project.with_source(gone), file)
    desk.files.open_reference(str(file))
    qtbot.waitUntil(lambda: desk.session.level is not None, timeout=120_000)
    assert "gone.hdr" in desk.bar.text
    assert "the sky is plain" in desk.bar.text


def test_a_button_that_goes_away_while_its_picture_is_read_harms_nothing(qtbot, tmp_path):
    from PyQt6 import sip
    from PyQt6.QtCore import QThreadPool

    from wallum.desk.jobs.picture_file import PictureFileButton

    taken = []
    button = PictureFileButton("Picture", taken.append)
    button.read(str(write_panorama(tmp_path / "sky.hdr")))
    sip.delete(button)
    assert QThreadPool.globalInstance().waitForDone(10_000)
    qtbot.wait(50)
    assert taken == []
