"""The real window on a real renderer, offscreen: document to widget and widget to document."""

import os
import signal
import time

import numpy as np
import pytest
from desk_frames import frames, wait_frame, wait_light
from PyQt6.QtCore import QPoint, QPointF, Qt
from PyQt6.QtWidgets import QCheckBox, QComboBox

from wallum.desk.shell.window import DeskWindow
from wallum.desk.widgets.number_field import NumberField
from wallum.document.paths import put
from wallum.document.storage import load, save

LONG_MS = 120_000


def field(window, label, index=0):
    return [f for f in window.tune.pane.findChildren(NumberField) if f.info.label == label][index]


def lamp(window, name="Ceiling Lamp"):
    return next(source for source in window.session.project.sources if source.name == name)


def brightness(image):
    data = image.constBits().asarray(image.sizeInBytes())
    return float(np.frombuffer(data, np.uint8).reshape(-1, 4)[:, :3].mean())


def drag(qtbot, widget, start, end, button=Qt.MouseButton.LeftButton):
    qtbot.mousePress(widget, button, pos=start)
    for share in (0.25, 0.5, 0.75, 1.0):
        qtbot.mouseMove(widget, start + (end - start) * share)
    qtbot.mouseRelease(widget, button, pos=end)


# -- the done-when ---------------------------------------------------------------------


def test_a_lamp_is_put_dragged_brighter_saved_killed_and_found_again(window, qtbot, room_file):
    wait_light(qtbot, window)
    seen = frames(window)
    window.pointer.put_at("point", QPointF(window.picture.width() * 0.5, window.picture.height() * 0.7))
    added = window.session.selection.source
    assert added.name == "Point 2"
    before = brightness(wait_frame(qtbot, window, seen, lambda f: f.settled == 0)[1])
    seen.clear()
    strength = field(window, "Intensity")
    drag(qtbot, strength, QPoint(10, 8), QPoint(130, 8))
    after = brightness(wait_frame(qtbot, window, seen)[1])
    assert after > before + 3
    assert window.session.selection.source.intensity == pytest.approx(4 * added.intensity, rel=0.01)
    assert window.save()
    saved = window.session.history.present
    os.kill(window.link.client.pid, signal.SIGKILL)
    qtbot.waitUntil(lambda: window.link.client.restarts == 1, timeout=LONG_MS)
    assert window.session.history.present is saved
    again = DeskWindow()
    again.open_reference(str(room_file))
    assert again.session.project.sources == saved.sources
    qtbot.waitUntil(lambda: again.session.level is not None, timeout=120_000)
    assert again.picture.camera.eye == pytest.approx(window.picture.camera.eye)
    again.close()


# -- both ways -------------------------------------------------------------------------


def test_the_pane_shows_what_is_selected_and_follows_the_document(window):
    window.session.selection.select(lamp(window).id)
    assert field(window, "Intensity").value == 90.0
    window.session.set_value("set", f"sources/@{lamp(window).id}/intensity", 33.0)
    assert field(window, "Intensity").value == 33.0
    window.session.selection.select("")
    assert field(window, "Exposure").value == 4.0


def test_at_most_eight_values_are_shown_at_first(window):
    for source in window.session.project.sources:
        window.session.selection.select(source.id)
        rows = [row for row in window.tune.pane.rows if row.widget.isVisibleTo(window.tune)]
        assert 1 <= len(rows) <= 8, source.name


def test_a_drag_in_the_pane_is_one_step_with_its_name(window, qtbot):
    window.session.selection.select(lamp(window).id)
    drag(qtbot, field(window, "Intensity"), QPoint(10, 8), QPoint(70, 8))
    history = window.session.history
    assert lamp(window).intensity == pytest.approx(180.0)
    assert history.undo_label == "Ceiling Lamp, intensity"
    window.act["undo"].trigger()
    assert lamp(window).intensity == 90.0
    assert history.undo_label == ""
    window.act["redo"].trigger()
    assert lamp(window).intensity == pytest.approx(180.0)


def test_a_typed_value_with_a_unit_and_one_that_is_refused(window, qtbot):
    window.session.selection.select(lamp(window).id)
    field(window, "Intensity").typed.emit("800 lm")
    assert lamp(window).lumens() == pytest.approx(800.0)
    field(window, "Intensity").typed.emit("-3")
    assert lamp(window).lumens() == pytest.approx(800.0)
    assert "at least 0" in window.bar.text


def test_switches_choices_and_vectors_edit_the_document(window, qtbot):
    window.session.selection.select(lamp(window).id)
    boxes = {box.accessibleName(): box for box in window.tune.pane.findChildren(QCheckBox)}
    boxes["Casts shadows"].click()
    assert lamp(window).shadow is False
    assert window.session.history.undo_label == "Ceiling Lamp, casts shadows"
    choice = next(b for b in window.tune.pane.findChildren(QComboBox) if b.accessibleName() == "Role")
    choice.textActivated.emit("rim")
    assert lamp(window).role == "rim"
    field(window, "Place", 1).typed.emit("2.2")
    assert lamp(window).position == (-1.2, 2.2, 0.4)
    field(window, "Place", 0).reset_asked.emit()
    assert lamp(window).position == (0.0, 2.0, 0.0)


def test_a_refresh_never_writes_the_document(window):
    window.session.selection.select(lamp(window).id)
    present = window.session.history.present
    window.tune.refresh()
    window.sources.refresh()
    assert window.session.history.present is present


def test_the_list_switches_selects_and_removes(window, qtbot):
    row = next(i for i in range(window.sources.count()) if window.sources.item(i).text() == "Block Spot")
    place = window.sources.visualItemRect(window.sources.item(row))
    qtbot.mouseClick(window.sources.viewport(), Qt.MouseButton.LeftButton, pos=place.center())
    assert window.session.selection.source.name == "Block Spot"
    icon = QPoint(place.left() + 8, place.center().y())
    qtbot.mouseClick(window.sources.viewport(), Qt.MouseButton.LeftButton, pos=icon)
    assert lamp(window, "Block Spot").on is False
    window.sources.setFocus()
    qtbot.keyClick(window.sources, Qt.Key.Key_Delete)
    assert "Block Spot" not in [source.name for source in window.session.project.sources]
    window.act["undo"].trigger()
    assert lamp(window, "Block Spot").on is False


# -- the picture -----------------------------------------------------------------------


def test_a_lamps_ring_is_dragged_in_the_picture(window, qtbot):
    source = lamp(window)
    mark = next(m for m in window.picture.marks() if m.source_id == source.id)
    start = mark.at.toPoint()
    drag(qtbot, window.picture, start, start + QPoint(40, 0))
    assert window.session.selection.lead == source.id
    moved = np.array(lamp(window).position) - source.position
    right = window.picture.camera.rotation()[0]
    assert moved @ right > 0.1
    assert np.abs(moved - (moved @ right) * right).max() < 0.02
    assert window.session.history.undo_label == "Ceiling Lamp, place"


def test_escape_gives_a_dragged_lamp_back(window, qtbot):
    source = lamp(window)
    start = next(m for m in window.picture.marks() if m.source_id == source.id).at.toPoint()
    qtbot.mousePress(window.picture, Qt.MouseButton.LeftButton, pos=start)
    qtbot.mouseMove(window.picture, start + QPoint(30, 10))
    assert window.session.project.source(source.id).position != source.position
    qtbot.keyClick(window.picture, Qt.Key.Key_Escape)
    assert window.session.project.source(source.id).position == source.position
    assert window.session.history.undo_label == ""


def test_dragging_turns_about_what_is_under_the_pointer(window, qtbot):
    start = QPoint(window.picture.width() // 2, window.picture.height() // 2)
    pivot = window.picture.surface_at(QPointF(start))[0]
    eye = np.array(window.picture.camera.eye)
    drag(qtbot, window.picture, start, start + QPoint(60, 20))
    after = np.array(window.picture.camera.eye)
    assert np.linalg.norm(after - eye) > 0.2
    assert np.linalg.norm(after - pivot) == pytest.approx(np.linalg.norm(eye - pivot), rel=1e-6)
    assert window.session.history.undo_label == ""


def test_right_drag_looks_middle_drag_slides(window, qtbot):
    start = QPoint(window.picture.width() // 2, window.picture.height() // 2)
    camera = window.picture.camera
    drag(qtbot, window.picture, start, start + QPoint(50, 0), Qt.MouseButton.RightButton)
    assert window.picture.camera.eye == camera.eye
    assert window.picture.camera.direction != camera.direction
    camera = window.picture.camera
    drag(qtbot, window.picture, start, start + QPoint(50, 0), Qt.MouseButton.MiddleButton)
    assert window.picture.camera.direction == camera.direction
    assert window.picture.camera.eye != camera.eye


def test_keys_fly_while_they_are_held(window, qtbot):
    window.picture.setFocus()
    start = np.array(window.picture.camera.eye)
    qtbot.keyPress(window.picture, Qt.Key.Key_E)
    qtbot.waitUntil(lambda: np.linalg.norm(np.array(window.picture.camera.eye) - start) > 0.1, timeout=5000)
    qtbot.keyRelease(window.picture, Qt.Key.Key_E)
    offset = np.array(window.picture.camera.eye) - start
    assert offset @ np.array(window.picture.camera.direction) > 0
    stopped = window.picture.camera
    qtbot.wait(80)
    assert window.picture.camera is stopped


def test_a_click_names_what_is_under_the_pointer(window, qtbot):
    place = window.picture.camera.place_in_picture(np.array([[1.5, 0.5, -1.5]]))[0]
    at = QPoint(int(place[0] * window.picture.width()), int(place[1] * window.picture.height()))
    qtbot.mouseClick(window.picture, Qt.MouseButton.LeftButton, pos=at)
    assert window._told.text().startswith("block, pale")


def test_a_put_spot_looks_back_at_the_surface(window):
    at = QPointF(window.picture.width() * 0.5, window.picture.height() * 0.75)
    point, normal, _ = window.picture.surface_at(at)
    window.pointer.put_at("spot", at)
    spot = window.session.selection.source
    assert np.array(spot.position) == pytest.approx(point + 2.2 * normal, abs=1e-6)
    assert np.array(spot.direction) == pytest.approx(-normal, abs=1e-6)


def test_framing_brings_the_selected_into_view(window):
    window.session.selection.select(lamp(window).id)
    window.act["frame"].trigger()
    mark = next(m for m in window.picture.marks() if m.source_id == lamp(window).id)
    assert abs(mark.at.x() / window.picture.width() - 0.5) < 0.02


def test_shots_are_looked_through(window, qtbot):
    window.shots.chosen.emit(window.session.project.shots[1].id)
    assert window.picture.camera.eye == window.session.project.shots[1].eye
    assert window.picture.camera.fov == 100.0


def test_the_picture_settles_when_the_hand_rests_and_turns_to_what_is_newer(window, qtbot):
    wait_light(qtbot, window)
    seen = frames(window)
    wait_frame(qtbot, window, seen, lambda f: f.settled >= 2)
    assert "settl" in window._state.text()
    seen.clear()
    window.session.set_value("brighter", "look/ev100", 2.0)
    wait_frame(qtbot, window, seen)
    first = next(f for f, _ in seen if window.link.client.is_current(f))
    assert first.settled >= 2  # its light is the same
    seen.clear()
    window.session.set_value("off", "sources/ceiling-lamp/on", False)
    wait_frame(qtbot, window, seen)
    first = next(f for f, _ in seen if window.link.client.is_current(f))
    assert first.settled == 0


def test_the_window_does_not_wait_for_the_renderer(window, qtbot):
    """Asking a hundred times takes next to no time, however slow the pictures are."""
    frames(window)
    os.kill(window.link.client.pid, signal.SIGSTOP)
    try:
        start = time.perf_counter()
        for step in range(100):
            window.session.history.preview(
                put(window.session.history.present, "look/ev100", 3.0 + step * 0.01)
            )
        assert time.perf_counter() - start < 5.0
    finally:
        os.kill(window.link.client.pid, signal.SIGCONT)
    window.session.cancel()


def test_a_spare_renderer_waits_once_the_hand_rests_and_takes_over(window, qtbot):
    client, seen = window.link.client, frames(window)
    qtbot.waitUntil(lambda: client.spare_pid > 0, timeout=LONG_MS)
    spare = client.spare_pid
    seen.clear()
    os.kill(client.pid, signal.SIGKILL)
    qtbot.waitUntil(lambda: client.restarts == 1, timeout=LONG_MS)
    assert client.pid == spare
    seen.clear()
    wait_frame(qtbot, window, seen)
    assert client.restarts == 1
    qtbot.waitUntil(lambda: client.spare_pid not in (0, spare), timeout=LONG_MS)  # and the next one


# -- files -----------------------------------------------------------------------------


def test_a_wrong_file_is_refused_in_the_bar_and_the_work_stays(window, tmp_path):
    project = window.session.project
    (tmp_path / "bad.wallum").write_text("{")
    for name in ("bad.wallum", "gone.wallum", "picture.jpg"):
        assert not window.open_reference(str(tmp_path / name))
        assert name.split(".")[0] in window.bar.text
    assert window.session.project is project


def test_a_broken_level_is_told_and_the_window_lives(qtbot, tmp_path):
    (tmp_path / "broken.glb").write_bytes(b"glTF nonsense")
    window = DeskWindow()
    window.show()
    window.open_reference(str(tmp_path / "broken.glb"))
    qtbot.waitUntil(lambda: "broken.glb" in window.bar.text, timeout=120_000)
    window.close()


def test_another_level_never_shows_the_one_before(window, qtbot, tmp_path):
    seen = frames(window)
    wait_frame(qtbot, window, seen)
    (tmp_path / "broken.glb").write_bytes(b"glTF nonsense")
    save(window.session.project.revised(level="broken.glb"), tmp_path / "other.wallum")
    window.open_reference(str(tmp_path / "other.wallum"))
    assert window.picture._image is None
    qtbot.waitUntil(lambda: "could not be opened" in window.bar.text, timeout=120_000)
    qtbot.wait(300)  # settling pictures of the old level are still on their way
    assert window.picture._image is None
    assert window.picture._note == "No level to show"


def test_the_window_can_be_pulled_to_any_size_while_pictures_come(window, qtbot):
    seen = frames(window)
    for width, height in ((700, 420), (1300, 820), (760, 460), (1500, 900), (900, 560)):
        window.resize(width, height)
        qtbot.wait(60)
    shown, image = wait_frame(qtbot, window, seen)
    assert shown.size == window.picture.pixel_size()
    assert brightness(image) > 1


def test_a_bare_level_opens_as_a_new_project_and_saves_beside_it(qtbot, room_file, tmp_path):
    window = DeskWindow()
    window.show()
    window.open_reference(str(tmp_path / "room.glb"))
    qtbot.waitUntil(lambda: window.session.level is not None, timeout=120_000)
    assert window.session.keeping.file is None
    assert window.save_to(tmp_path / "new.wallum")
    assert load(tmp_path / "new.wallum").level == "room.glb"
    window.close()


def test_nothing_to_open_says_what_to_do(qtbot):
    window = DeskWindow()
    window.show()
    window.open_reference("")
    assert "Ctrl+O" in window.picture._note
    window.close()


def test_a_save_that_fails_is_told_and_stays_unsaved(window, tmp_path):
    window.session.set_value("x", "look/ev100", 1.0)
    assert not window.save_to(tmp_path / "nowhere" / "a.wallum")
    assert "nowhere" in window.bar.text
    assert window.session.history.dirty


def test_every_button_has_a_tip_and_every_field_a_name(window):
    from PyQt6.QtWidgets import QToolButton

    for button in window.findChildren(QToolButton):
        assert button.toolTip() or button.text(), button
    window.session.selection.select(lamp(window).id)
    for item in window.tune.pane.findChildren(NumberField):
        assert item.accessibleName()
        assert item.toolTip() or item.parentWidget().toolTip()
