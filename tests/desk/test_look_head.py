"""The head of the look: its curves dragged, what is said of it, scopes, keys that are held, other looks."""

from dataclasses import replace

import numpy as np
import pytest
from PyQt6.QtCore import QEvent, QPointF, Qt
from PyQt6.QtGui import QGuiApplication
from PyQt6.QtTest import QTest
from PyQt6.QtWidgets import QApplication

from wallum.desk.look import reading
from wallum.desk.look.reading import around
from wallum.desk.viewport.pixels import pixels_of
from wallum.document.look import Look
from wallum.document.own_looks import own_look
from wallum.errors import ValueProblem
from wallum.moment.zones import zoned
from wallum.physics.grade import balance_matrix


@pytest.fixture
def desk(qtbot, window):
    """The look's values are shown, and a picture has been read."""
    window.tune.show_group("look")
    qtbot.waitUntil(lambda: window.look.reader.latest is not None, timeout=120_000)
    return window


def next_reading(qtbot, window, change):
    with qtbot.waitSignal(window.look.reader.came, timeout=60_000):
        change()
    return window.look.reader.latest


def dragged(widget, start, by):
    end = (start + QPointF(*by)).toPoint()
    QTest.mousePress(widget, Qt.MouseButton.LeftButton, pos=start.toPoint())
    QTest.mouseMove(widget, (start + QPointF(*by) / 2).toPoint())
    QTest.mouseMove(widget, end)
    QTest.mouseRelease(widget, Qt.MouseButton.LeftButton, pos=end)


def test_the_head_says_how_far_the_look_moves_the_picture(qtbot, desk):
    assert desk.tune.look.told.text() == "The look leaves the picture as it is"
    desk.session.set_value("more", "look/saturation", 0.0)
    qtbot.waitUntil(lambda: "delta E" in desk.tune.look.told.text(), timeout=60_000)
    desk.session.set_value("too much", "look/contrast", 4.0)
    qtbot.waitUntil(lambda: "Loud" in desk.tune.look.told.text(), timeout=60_000)
    desk.session.undo()
    desk.session.undo()
    qtbot.waitUntil(lambda: "as it is" in desk.tune.look.told.text(), timeout=60_000)


def test_rings_of_the_curve_are_dragged_as_one_step_each(desk):
    chart, session = desk.tune.look.curve, desk.session
    before = session.project.look
    dragged(chart, chart.handles["white"], (-20, 0))
    assert session.project.look.white < before.white
    dragged(chart, chart.handles["toe"], (0, -8))
    assert session.project.look.toe > before.toe
    session.undo()
    session.undo()
    assert session.project.look == before
    session.set_value("another", "look/curve", "neutral")
    assert chart.handles == {}


def test_a_curve_that_could_not_be_is_told_and_the_last_one_stays(desk):
    chart, session = desk.tune.look.curve, desk.session
    messages = []
    session.told.connect(messages.append)
    dragged(chart, chart.handles["white"], (-160, 0))
    look = session.project.look
    assert look.own_curve.rises_to(look.white)
    assert any("no curve has" in item for item in messages)
    session.undo()


def test_rings_of_the_night_change_how_dark_it_stays(desk):
    session, chart = desk.session, desk.tune.look.night
    session.set_value("meter", "look/exposed", "metered")
    desk.tune.look._tabs[1].click()
    before = session.project.look.dark_dusk
    dragged(chart, chart.rings[3], (0, 12))
    assert session.project.look.dark_dusk > before
    session.undo()
    assert session.project.look.dark_dusk == before


def test_scopes_count_the_picture_and_point_into_it(qtbot, desk):
    dock = desk.look.dock
    reading = next_reading(qtbot, desk, lambda: desk.act["scopes"].trigger())
    reader = desk.look.reader
    qtbot.waitUntil(lambda: (reader.latest or reading).signal is not None, timeout=60_000)
    reading = reader.latest
    height, width = reading.taken.values.shape[:2]
    assert reading.signal.sum() == reading.vectors.sum() == height * width
    assert reading.histogram.sum() == pytest.approx(1.0)
    light = dock.scopes[0]
    dock.resize(dock.width(), 200)
    qtbot.wait(50)
    box = light._box()
    marked = [
        light.mask_at(QPointF(x, box.center().y())) for x in np.linspace(box.left() + 1, box.right() - 1, 400)
    ]
    assert np.stack(marked).any(axis=0).all()
    light.pointed.emit(marked[200])
    assert desk.look.pointed._image is not None
    dock.of_light.click()
    qtbot.waitUntil(lambda: reader.latest.taken.scopes.of_light, timeout=60_000)
    assert (reader.latest.signal != reading.signal).any()
    dock.by_channel.click()
    qtbot.waitUntil(lambda: reader.latest.signal.ndim == 3, timeout=60_000)
    assert (reader.latest.signal.sum(axis=(1, 2)) == height * width).all()
    desk.act["scopes"].trigger()
    assert desk.look.pointed._image is None
    assert not reader.scopes


def test_while_a_key_is_held_the_look_is_gone_or_alone(qtbot, desk):
    session, images = desk.session, []

    def shown(change):
        change()
        number = desk.link.client.latest_number
        qtbot.waitUntil(lambda: bool(images) and images[-1][0].number >= number, timeout=60_000)
        return images[-1][1]

    def note(frame, image):
        if frame.detail == "full":
            images.append((frame, pixels_of(image).astype(int)))

    desk.link.frame_came.connect(note)
    desk.picture.setFocus()
    # All light is there, so that only the look changes from here on.
    qtbot.waitUntil(lambda: desk.link.client.light_number > 0 and not desk.indirect.text, timeout=120_000)
    qtbot.wait(300)
    plain = shown(lambda: desk.ask_picture())
    session.set_value("grey", "look/saturation", 0.0)
    looked = shown(lambda: session.set_value("dim", "look/slope", (0.5, 0.5, 0.5)))
    assert np.abs(looked - plain).mean() > 3.0
    before = shown(lambda: QTest.keyPress(desk.picture, Qt.Key.Key_Comma))
    assert np.abs(before - plain).mean() < 0.5
    again = shown(lambda: QTest.keyRelease(desk.picture, Qt.Key.Key_Comma))
    assert np.abs(again - looked).mean() < 0.5
    session.set_value("shade", "look/shade", 4.0)
    alone = shown(lambda: QTest.keyPress(desk.picture, Qt.Key.Key_Period))
    shown(lambda: QTest.keyRelease(desk.picture, Qt.Key.Key_Period))
    middle = np.s_[
        alone.shape[0] // 2 - 5 : alone.shape[0] // 2 + 5, alone.shape[1] // 2 - 5 : alone.shape[1] // 2 + 5
    ]
    assert np.abs(alone[middle] - plain[middle]).mean() < 4.0
    assert alone[:4, :4].mean() < 0.5 * plain[:4, :4].mean()
    for _ in range(3):
        session.undo()


def test_other_looks_are_taken_in_part_copied_and_pasted(qtbot, desk, tmp_path):
    head, session = desk.tune.look, desk.session
    before = session.project.look
    head.take_own("Soot and brass")
    assert session.project.look.grain == own_look("Soot and brass").grain
    assert session.project.look.ev100 == before.ev100
    head.copy()
    session.undo()
    assert session.project.look == before
    head.paste()
    assert session.project.look.grain == own_look("Soot and brass").grain
    head.save_file(str(tmp_path / "look.json"))
    head.take_none()
    assert session.project.look.grain == 0.0
    for switch in head.parts:
        head._parts[switch] = switch == "with_grain"
    head.take_file(str(tmp_path / "look.json"))
    assert session.project.look == Look(**{**before.model_dump(), "grain": 200.0})


def test_a_look_goes_from_one_shot_to_another_and_no_further(qtbot, desk):
    head, session = desk.tune.look, desk.session
    first, second = session.project.shots[:2]
    before = session.project

    def seen_at(shot):
        desk.shot_navigation.look_through(shot.id)
        return zoned(session.now, np.array(session.camera.eye)).look

    small = {"position": first.eye, "size": (0.4,) * 3, "blend": 0.3}
    session.set_values("look", session.add_zone(first.eye).id, {"with_grain": True, "grain": 320.0, **small})
    session.selection.select("")
    assert seen_at(first).grain == 320.0
    head.copy()
    assert seen_at(second).grain == 0.0
    head.paste_for_shot()
    assert seen_at(second).grain == 320.0
    assert session.project.look == before.look
    for other in session.project.shots[2:]:
        assert seen_at(other).grain == 0.0
    seen_at(second)
    QGuiApplication.clipboard().setText('{"grain": 100.0}')
    head.paste_for_shot()
    assert seen_at(second).grain == 100.0
    assert len(session.project.sources) == len(before.sources) + 2
    session.camera = replace(session.camera, eye=(50.0, 9.0, 50.0))
    with qtbot.waitSignal(session.told, timeout=5_000) as text:
        head.paste_for_shot()
    assert "shot" in text.args[0]
    for _ in range(4):
        session.undo()
    assert session.project == before


@pytest.mark.parametrize(
    "text", ["", "no look", '{"kind": "wallum look", "version": 99, "look": {}}', '{"bloom": 7}']
)
def test_what_is_no_look_changes_nothing(qtbot, desk, text):
    before = desk.session.project
    QGuiApplication.clipboard().setText(text)
    with qtbot.waitSignal(desk.session.failed, timeout=5_000) as message:
        desk.tune.look.paste()
    assert "\n" not in message.args[0]
    assert desk.session.project is before


def test_all_three_channels_move_together(desk):
    from wallum.desk.widgets.number_field import NumberField

    session = desk.session
    session.set_value("warm", "look/slope", (1.2, 1.0, 0.8))
    field = next(
        item for item in desk.tune.pane.findChildren(NumberField) if item.accessibleName() == "Slope of all"
    )
    assert field.value == pytest.approx(1.0)
    field.previewed.emit(1.3)
    field.committed.emit()
    assert session.project.look.slope == pytest.approx((1.5, 1.3, 1.1))
    field.typed.emit("0.9")
    assert session.project.look.slope == pytest.approx((0.9, 0.9, 0.9))


def test_what_is_picked_looks_grey(qtbot, desk):
    session = desk.session
    at = QPointF(desk.picture.width() * 0.5, desk.picture.height() * 0.6)
    before = around(desk.look.reader.values, 0.5, 0.6)
    assert np.ptp(before / before.mean()) > 0.05
    desk.look.pick_at(at)
    look = session.project.look
    shown = balance_matrix(look.neutral_kelvin, look.neutral_tint) @ before
    assert np.ptp(shown / shown.mean()) < 0.02
    session.undo()
    assert session.project.look.neutral_kelvin == Look.NEUTRAL_K


def test_picking_waits_for_the_pictures_values_where_no_one_looks(qtbot, window):
    window.tune.show_group("air")
    window.look.reader.forget()
    window.look.pick_at(QPointF(window.picture.width() * 0.5, window.picture.height() * 0.6))
    qtbot.waitUntil(lambda: window.session.project.look.neutral_kelvin != Look.NEUTRAL_K, timeout=120_000)
    window.session.undo()


def test_a_wipe_shows_the_picture_without_its_look(qtbot, desk):
    session, wipe = desk.session, desk.wipe
    session.set_value("grey", "look/saturation", 0.0)
    desk.act["wipe_look"].trigger()
    assert desk.state.shown == "wipe"
    qtbot.waitUntil(lambda: wipe.fits, timeout=120_000)
    without = pixels_of(wipe._image).astype(int)
    assert np.ptp(without, axis=2).mean() > 5.0
    desk.act["wipe_look"].trigger()
    assert desk.state.shown == ""
    session.undo()


def test_pictures_stay_as_they_are_delivered_while_that_is_asked(qtbot, desk):
    frames = []
    desk.session.set_value("several", "target/edges", "samples")
    desk.act["delivered"].trigger()
    desk.link.frame_came.connect(lambda frame, _: frames.append(frame))
    desk.ask_picture()
    qtbot.waitUntil(lambda: any(frame.settled == 4 for frame in frames), timeout=120_000)
    qtbot.wait(600)
    assert max(frame.settled for frame in frames) == 4
    assert "as delivered" in desk._state.text()
    desk.act["delivered"].trigger()
    qtbot.waitUntil(lambda: any(frame.settled > 4 for frame in frames), timeout=120_000)
    # One picture each is what is delivered then, though its light has settled.
    desk.session.set_value("one", "target/edges", "none")
    frames.clear()
    desk.act["delivered"].trigger()
    qtbot.waitUntil(lambda: any(desk.link.client.is_current(frame) for frame in frames), timeout=120_000)
    assert next(frame for frame in frames if desk.link.client.is_current(frame)).settled == 0
    desk.act["delivered"].trigger()
    desk.session.undo()
    desk.session.undo()


def test_a_key_that_is_let_go_elsewhere_is_held_no_more(desk):
    QTest.keyPress(desk.picture, Qt.Key.Key_Comma)
    assert desk.look.held.effect == ""
    QApplication.sendEvent(desk, QEvent(QEvent.Type.WindowDeactivate))
    assert desk.look.held.effect is None


def test_the_focus_is_picked_in_the_picture(desk):
    session = desk.session
    at = QPointF(desk.picture.width() * 0.5, desk.picture.height() * 0.6)
    desk.look.focus_at(at)
    look = session.project.look
    result, camera = desk.picture.surface_at(at), desk.picture.camera
    assert look.focus == "far and near"
    assert look.focus_at == pytest.approx(
        (result[0] - np.array(camera.eye)) @ np.array(camera.direction), abs=0.01
    )
    session.undo()
    assert session.project.look.focus == "off"


def test_a_reading_that_fails_is_said_once_and_again_after_a_good_one(qapp, monkeypatch):
    thread, text = reading.ReaderThread(), []
    thread.failed.connect(text.append)

    def refused(_):
        raise ValueProblem("the table is gone", "look.cube")

    monkeypatch.setattr(reading, "read", refused)
    thread.work_on(None)
    thread.work_on(None)
    assert len(text) == 1
    assert "look.cube" in text[0]
    monkeypatch.setattr(reading, "read", lambda taken: taken)
    thread.work_on(None)
    monkeypatch.setattr(reading, "read", refused)
    thread.work_on(None)
    assert len(text) == 2
