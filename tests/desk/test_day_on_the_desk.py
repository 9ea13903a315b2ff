"""The day in the real window: ribbon, play, pegs, exposure, the grid, heroes and glow."""

from types import SimpleNamespace

import numpy as np
import pytest
from PyQt6.QtCore import QPoint, QPointF, Qt
from PyQt6.QtGui import QColor
from PyQt6.QtTest import QTest

from wallum.desk.panes.peg_button import PegButton
from wallum.desk.session.exposure_follower import heroes_for
from wallum.desk.shell.window import DeskWindow
from wallum.desk.widgets.number_field import NumberField
from wallum.desk.widgets.tokens import TOKENS
from wallum.document.lanes import PegTime
from wallum.document.look import Look
from wallum.document.paths import put
from wallum.document.project import Setting, base_light
from wallum.document.sources import PointSource
from wallum.document.storage import load, save
from wallum.exchange.gltf_export import export_gltf
from wallum.level.demos.pale_room import pale_room, pale_room_project
from wallum.moment.day_strip import moments_of_day

LEFT = Qt.MouseButton.LeftButton
DESERT = Setting(latitude=31.4, longitude=-109.2, utc_offset=-7.0, date="2027-10-12", clock=10.0)


@pytest.fixture(autouse=True)
def nothing_derived(state_folder, tmp_path, monkeypatch):
    """What is seen of the sky, and light from surfaces, are found anew."""
    monkeypatch.setenv("XDG_CACHE_HOME", str(tmp_path / "cache"))


@pytest.fixture
def day_file(tmp_path):
    """The pale room by day, one lamp in it, metered."""
    lamp = PointSource(id="lamp", name="Lamp", position=(0.0, 2.0, 1.0), intensity=200.0)
    project = pale_room_project().revised(
        sources=(*base_light(), lamp), setting=DESERT, look=Look(exposed="metered"), level="room.glb"
    )
    export_gltf(project.revised(sources=(), shots=()), pale_room(), tmp_path / "room.glb")
    save(project, tmp_path / "day.wallum")
    return tmp_path / "day.wallum"


@pytest.fixture
def desk(qtbot, day_file):
    desk_window = DeskWindow()
    desk_window.resize(1000, 640)
    desk_window.show()
    assert desk_window.open_reference(str(day_file))
    qtbot.waitUntil(lambda: desk_window.session.level is not None, timeout=120_000)
    yield desk_window
    desk_window.session.history.mark_saved(desk_window.session.history.present)
    desk_window.close()
    desk_window.deleteLater()


def frames_of(desk):
    came = []
    desk.link.frame_came.connect(lambda frame, _: came.append(frame))
    return came


def row_of(desk, label):
    return next(row for row in desk.tune.pane.rows if row.label.text() == label)


def test_dragging_the_ribbon_sets_the_hour_and_asks_for_pictures(qtbot, desk):
    ribbon, came = desk.day.ribbon, frames_of(desk)
    at = [QPoint(round(ribbon.x_of(hour)), 20) for hour in (11.0, 15.0, 18.5)]
    QTest.mousePress(ribbon, LEFT, Qt.KeyboardModifier.NoModifier, at[0])
    assert desk.session.playhead.hour == pytest.approx(11.0, abs=0.05)

    def dragged():
        """A hand goes on: of its moves some are drawn."""
        QTest.mouseMove(ribbon, at[1] + QPoint(len(came) % 2, 0))
        return any(frame.detail == "reduced" for frame in came)

    qtbot.waitUntil(dragged, timeout=120_000)
    QTest.mouseRelease(ribbon, LEFT, Qt.KeyboardModifier.NoModifier, at[2])
    assert desk.session.playhead.hour == pytest.approx(18.5, abs=0.05)
    qtbot.waitUntil(lambda: bool(came) and came[-1].detail == "full", timeout=120_000)
    # Where the playhead stands is no step, but it is kept with the project.
    assert not desk.session.history.dirty
    assert desk.save()
    assert load(desk.session.keeping.file).setting.clock == pytest.approx(18.5, abs=0.05)


def test_the_playhead_leaves_the_words_of_the_day_to_be_read(qtbot, desk):
    ribbon, accent = desk.day.ribbon, QColor(TOKENS["accent"])
    qtbot.waitUntil(lambda: ribbon.complete, timeout=60_000)
    (sunset,) = [item.hour for item in moments_of_day(desk.session.project) if item.words == "sunset"]

    def lines(hour):
        """Rows of the ribbon where the playhead's line is seen at an hour."""
        desk.session.playhead.scrub(hour)
        image, x = ribbon.grab().toImage(), round(ribbon.x_of(hour))
        return [y for y in range(ribbon.height() - 20) if image.pixelColor(x, y) == accent]

    in_word = sunset - 20.0 / ribbon.width() * 24.0
    assert min(lines(in_word)) >= 12
    assert min(lines(21.5)) <= 1


def test_the_playhead_is_caught_by_the_suns_events_and_shift_passes_them(desk):
    ribbon = desk.day.ribbon
    moments = {item.words: item.hour for item in moments_of_day(desk.session.project)}
    assert {"astronomical dawn", "nautical dawn", "civil dawn", "sunrise", "noon"} < set(moments)
    for words in ("nautical dusk", "sunset"):
        x = round(ribbon.x_of(moments[words])) + 2
        QTest.mouseClick(ribbon, LEFT, Qt.KeyboardModifier.NoModifier, QPoint(x, 20))
        assert desk.session.playhead.hour == moments[words]
        QTest.mouseClick(ribbon, LEFT, Qt.KeyboardModifier.ShiftModifier, QPoint(x, 20))
        assert desk.session.playhead.hour == pytest.approx(ribbon.hour_at(x))
        QTest.mouseMove(ribbon, QPoint(x, 20))
        assert words in ribbon.toolTip()


def test_arrow_keys_step_by_a_quarter_of_an_hour_and_around(desk):
    desk.session.playhead.set_hour(23.9)
    QTest.keyClick(desk.day.ribbon, Qt.Key.Key_Right)
    assert desk.session.playhead.hour == pytest.approx(0.15)
    QTest.keyClick(desk.day.ribbon, Qt.Key.Key_Left)
    assert desk.session.playhead.hour == pytest.approx(23.9)


def test_the_day_plays_loops_and_ends(qtbot, desk):
    desk.session.set_value("day", "setting/day_length", 4.0)
    desk.session.playhead.set_hour(23.5)
    desk.act["play"].trigger()
    assert desk.playback.playing
    qtbot.waitUntil(lambda: 0.0 < desk.session.playhead.hour < 6.0, timeout=120_000)
    desk.act["play"].trigger()
    assert not desk.playback.playing
    desk.day.loop_button.click()
    assert not desk.playback.loops
    desk.session.playhead.set_hour(23.5)
    desk.playback.play(True)
    qtbot.waitUntil(lambda: not desk.playback.playing, timeout=120_000)
    assert desk.session.playhead.hour == 24.0
    desk.session.playhead.set_hour(24.0)
    desk.playback.play(True)
    assert desk.session.playhead.hour == 0.0
    desk.playback.play(False)


def test_in_play_the_exposure_follows_slowly_and_metering_is_back_at_rest(qtbot, desk):
    came = frames_of(desk)
    qtbot.waitUntil(lambda: bool(came), timeout=120_000)
    desk.exposure_follower.note(SimpleNamespace(ev100=10.0, metered=12.0))
    current = desk.exposure_follower.held(Look(exposed="metered", speed_up=2.0), dragging=False, pace=1.0)
    assert 10.0 < current <= 11.0
    assert desk.exposure_follower.held(Look(exposed="metered"), dragging=True, pace=None) == 10.0
    assert desk.exposure_follower.held(Look(exposed="metered"), dragging=False, pace=None) is None
    assert desk.exposure_follower.held(Look(), dragging=True, pace=1.0) is None


def test_exposure_is_held_while_a_lamp_is_dragged_and_the_drift_is_shown(qtbot, desk):
    came, client = frames_of(desk), desk.link.client
    # A sketch, the picture, and the picture with its grid: each has a reading of its own.
    qtbot.waitUntil(lambda: client.light_number > 0 and not client.busy and bool(came), timeout=120_000)
    before = desk.exposure_follower.shown_ev
    desk.session.selection.select("lamp")
    desk.session.preview("sources/@lamp/intensity", 5_000_000.0)
    qtbot.waitUntil(lambda: came[-1].metered is not None and came[-1].metered > before + 1.0, timeout=120_000)
    assert came[-1].ev100 == before
    assert "drift +" in desk._state.text()
    desk.session.commit("brighter")
    qtbot.waitUntil(lambda: came[-1].ev100 > before + 1.0, timeout=120_000)
    assert "drift" not in desk._state.text()


def test_pegs_of_the_ribbon_are_painted_anew_only_when_they_change(qtbot, desk):
    ribbon = desk.day.ribbon
    qtbot.waitUntil(lambda: ribbon.complete, timeout=120_000)
    ribbon.grab()
    selected = ribbon._pegged[2]
    before = ribbon.grab().toImage()
    for hour in (9.0, 13.5, 22.25):
        desk.session.playhead.scrub(hour)
        ribbon.grab()
        assert ribbon._pegged[2] is selected
    desk.session.playhead.scrub(10.0)
    assert ribbon.grab().toImage() == before
    desk.session.peg("peg", "look/compensation", PegTime(hours=15.0))
    pegged = ribbon.grab().toImage()
    assert ribbon._pegged[2] is not selected
    x, y = round(ribbon.x_of(15.0)), ribbon.height() - 20
    around = [(x + dx, y + dy) for dx in range(-6, 7) for dy in range(-8, 9)]
    assert any(pegged.pixelColor(*at) != before.pixelColor(*at) for at in around)


def test_the_ribbon_shows_the_computed_day(qtbot, desk):
    ribbon = desk.day.ribbon
    qtbot.waitUntil(lambda: ribbon.complete, timeout=120_000)
    picture = ribbon.grab().toImage()
    noon, night = (picture.pixelColor(round(ribbon.x_of(h)) + 12, 4) for h in (11.0, 2.0))
    assert noon.lightness() > night.lightness() + 20
    assert noon.blue() > noon.red()
    before = ribbon._key
    desk.session.set_text("latitude", "setting/latitude", "-88")
    assert ribbon._key != before
    qtbot.waitUntil(lambda: ribbon.complete, timeout=120_000)
    assert "sunset" not in ribbon._events


def test_a_date_is_typed_stepped_and_refused(desk):
    date = desk.day.date
    date.setText("2027-12-21")
    date.setModified(True)
    date.editingFinished.emit()
    assert desk.session.project.setting.date == "2027-12-21"
    assert desk.session.history.undo_label == "date"
    date.setText("yesterday")
    date.setModified(True)
    date.editingFinished.emit()
    assert date.text() == "2027-12-21"
    assert desk.bar.isVisible()
    desk.day._step_date(-1)
    assert desk.session.project.setting.date == "2027-12-20"
    desk.session.undo()
    assert date.text() == "2027-12-21"


def test_a_value_is_pegged_at_this_hour_edited_there_and_between(desk):
    desk.session.selection.select("lamp")
    row = row_of(desk, "Intensity")
    QTest.mouseClick(row.peg, LEFT)
    assert desk.session.history.undo_label == "Lamp, intensity, peg"
    desk.session.playhead.set_hour(20.0)
    desk.session.set_value("brighter", "sources/@lamp/intensity", 800.0)
    (lane,) = desk.session.project.lanes
    assert [(peg.at.hours, peg.value) for peg in lane.pegs] == [(10.0, 200.0), (20.0, 800.0)]
    assert desk.session.project.source("lamp").intensity == 200.0  # its own value is untouched
    desk.session.playhead.set_hour(15.0)
    desk.tune.refresh()
    field = row.widget
    assert isinstance(field, NumberField)
    assert field.value == pytest.approx(400.0)  # half way, in stops
    # Near a peg its value moves; a drag is one step.
    desk.session.playhead.set_hour(20.1)
    steps = len(desk.session.history._done)
    desk.session.preview("sources/@lamp/intensity", 900.0)
    desk.session.preview("sources/@lamp/intensity", 1000.0)
    desk.session.commit("drag")
    assert len(desk.session.history._done) == steps + 1
    assert [peg.value for peg in desk.session.project.lanes[0].pegs] == [200.0, 1000.0]
    desk.session.undo()
    assert [peg.value for peg in desk.session.project.lanes[0].pegs] == [200.0, 800.0]


def test_a_vector_is_pegged_by_its_parts_too(desk):
    desk.session.selection.select("lamp")
    desk.session.peg("peg", "sources/@lamp/position", _clock(10.0))
    desk.session.playhead.set_hour(20.0)
    assert desk.session.set_text("place", "sources/@lamp/position/x", "3")
    values = [peg.value for peg in desk.session.project.lanes[0].pegs]
    assert values == [(0.0, 2.0, 1.0), (3.0, 2.0, 1.0)]


def _clock(hours):
    from wallum.document.lanes import PegTime

    return PegTime(hours=hours)


def test_the_peg_button_takes_pegs_out_and_offers_the_sunset(qtbot, desk):
    desk.session.selection.select("lamp")
    desk.session.playhead.set_hour(17.7)
    button = row_of(desk, "Intensity").peg
    assert isinstance(button, PegButton)
    texts = [action.text() for action in button._menu().actions() if action.text()]
    assert "Peg at sunset" in texts
    next(a for a in button._menu().actions() if a.text() == "Peg at sunset").trigger()
    assert desk.session.project.lanes[0].pegs[0].at.text() == "sunset"
    desk.session.playhead.set_hour(17.805)
    desk.tune.refresh()
    assert "click takes the peg out" in button.toolTip()
    easing = next(a for a in button._menu().actions() if a.text() == "Goes on: late")
    easing.trigger()
    assert desk.session.project.lanes[0].pegs[0].easing == "late"
    QTest.mouseClick(button, LEFT)
    assert desk.session.project.lanes == ()


def test_taking_a_lane_out_leaves_the_value_of_this_hour(desk):
    desk.session.peg("peg", "sources/@lamp/intensity", _clock(10.0))
    desk.session.playhead.set_hour(20.0)
    desk.session.set_value("more", "sources/@lamp/intensity", 800.0)
    desk.session.take_lane("plain", "sources/@lamp/intensity")
    assert desk.session.project.lanes == ()
    assert desk.session.project.source("lamp").intensity == pytest.approx(800.0)


def test_typing_the_clock_moves_the_playhead(desk):
    desk.tune.show_group("setting")
    assert desk.session.set_text("clock", "setting/clock", "18:30")
    assert desk.session.playhead.hour == 18.5
    assert desk.session.set_text("clock", "setting/clock", "25:00") is False
    assert desk.session.playhead.hour == 18.5


def test_picture_air_and_place_have_their_panes(desk):
    for group, heading in (("air", "Air"), ("setting", "Place and day"), ("look", "Picture")):
        desk.tune._tabs[group].click()
        assert desk.tune.pane._title.text() == heading
        assert desk.tune._tabs[group].isChecked()
    desk.session.selection.select("moon")
    assert desk.tune.pane._title.text() == "Moon"
    assert not any(tab.isChecked() for tab in desk.tune._tabs.values())


def test_until_probes_are_there_it_says_that_all_sees_the_sky(qtbot, desk):
    came = frames_of(desk)
    qtbot.waitUntil(lambda: bool(came) and came[-1].all_sky, timeout=120_000)
    assert "all of the sky" in desk._state.text()
    # A closed room: by day it is dark once they are there; kept beside the project.
    qtbot.waitUntil(lambda: knows_the_sky(came[-1]), timeout=120_000)
    qtbot.waitUntil(lambda: "all of the sky" not in desk._state.text(), timeout=120_000)


def knows_the_sky(frame):
    """Whether what is seen of the sky was found, by probes."""
    return any(pass_.name == "probe light" for pass_ in frame.passes)


def test_a_killed_renderer_gets_its_probes_again(qtbot, desk):
    came = frames_of(desk)
    qtbot.waitUntil(lambda: bool(came) and knows_the_sky(came[-1]), timeout=120_000)
    desk.link.client._send(("crash",))
    came.clear()
    qtbot.waitUntil(lambda: desk.link.client.restarts == 1, timeout=120_000)
    qtbot.waitUntil(lambda: bool(came) and knows_the_sky(came[-1]), timeout=120_000)


def test_a_part_is_made_a_hero_and_glow_follows_a_lamp(qtbot, desk):
    from wallum.desk.session.part_tools import toggle_body, toggle_follow, toggle_hero

    part = desk.session.level.level.parts[0]
    toggle_hero(desk.session, part.id, part.name)
    assert desk.session.project.marks_of(part.id).hero
    assert desk.session.history.undo_label == f"{part.name} is a hero"
    camera = desk.picture.camera.with_aspect(16 / 9)
    weighted = desk.session.now.look.revised(exposed="metered", weighted="heroes")
    assert heroes_for(desk.session, weighted, camera).sum() > 0
    toggle_hero(desk.session, part.id, part.name)
    assert desk.session.project.marks == ()
    messages = []
    desk.session.told.connect(messages.append)
    toggle_follow(desk.session, part.id, part.name)
    assert "Select the lamp first" in messages[-1]
    desk.session.selection.select("lamp")
    toggle_follow(desk.session, part.id, part.name)
    assert desk.session.project.follows == {part.id: "lamp"}
    qtbot.waitUntil(lambda: desk.session.level.follows == {part.id: "lamp"}, timeout=120_000)
    toggle_follow(desk.session, part.id, part.name)
    qtbot.waitUntil(lambda: desk.session.level.follows == {}, timeout=120_000)
    # What is a lamp's body follows it, and is none any more where it does not.
    toggle_body(desk.session, part.id, part.name)
    assert desk.session.project.bodies == {part.id}
    assert desk.session.project.follows == {part.id: "lamp"}
    toggle_body(desk.session, part.id, part.name)
    assert not desk.session.project.bodies
    toggle_body(desk.session, part.id, part.name)
    toggle_follow(desk.session, part.id, part.name)
    assert desk.session.project.marks == ()
    desk.session.selection.select("")
    toggle_body(desk.session, part.id, part.name)
    assert "whose light this glow is" in messages[-1]


def test_what_is_under_no_pointer_cannot_be_marked(desk, monkeypatch):
    monkeypatch.setattr(desk.picture, "mapFromGlobal", lambda _: QPoint(-50, -50))
    desk.act["hero"].trigger()
    assert "Point at a part" in desk._told.text()
    assert desk.session.project.marks == ()


def test_a_new_lamp_shows_at_the_exposure_that_is_seen(qtbot, desk):
    came = frames_of(desk)
    qtbot.waitUntil(lambda: bool(came), timeout=120_000)
    desk.session.shown_ev = 2.0
    dim = desk.session.add_lamp("point", (0.0, 0.0, 0.0), (0.0, 1.0, 0.0)).intensity
    desk.session.shown_ev = 12.0
    bright = desk.session.add_lamp("point", (0.0, 0.0, 0.0), (0.0, 1.0, 0.0)).intensity
    assert bright / dim == pytest.approx(1024.0, rel=0.1)


def test_undo_and_the_hour_do_not_meddle(desk):
    desk.session.set_value("off", "sources/@lamp/on", False)
    desk.session.playhead.set_hour(4.0)
    desk.session.undo()
    assert desk.session.playhead.hour == 4.0
    assert desk.session.project.source("lamp").on
    assert put(desk.session.project, "setting/clock", 4.0) != desk.session.project
    assert np.isclose(desk.session.now.setting.clock, 4.0)
    assert desk.picture.surface_at(QPointF(10.0, 10.0)) is not None


def test_glow_follows_from_the_start_without_packing_twice(qtbot, desk, day_file):
    project = load(day_file)
    part = desk.session.level.level.parts[0].id
    save(project.with_marks(project.marks_of(part).revised(follows="lamp")), day_file)
    packed = []
    desk.background.repacked.connect(packed.append)
    assert desk.open_reference(str(day_file))
    qtbot.waitUntil(lambda: desk.session.level is not None, timeout=120_000)
    assert desk.session.level.follows == {part: "lamp"}
    qtbot.wait(300)
    assert packed == []
