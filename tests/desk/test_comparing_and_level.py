"""Wipes, the wall, stripping, receiving a level again, the figure, settings: in the real window."""

import json
import os
from dataclasses import replace

import numpy as np
import pytest
from desk_frames import tick
from PyQt6.QtCore import QMimeData, QPointF, Qt, QUrl
from PyQt6.QtGui import QImage
from PyQt6.QtTest import QTest

from wallum.desk.session.fit_menu import FitMenu
from wallum.desk.session.offers import FIT, LEVEL
from wallum.desk.shell.actions import COMMANDS, key_lines
from wallum.desk.shell.recent import dropped_file
from wallum.desk.shell.settings import DeskSettings, settings_file
from wallum.desk.shell.window import DeskWindow
from wallum.desk.viewport.truth import Truth
from wallum.document.lanes import PegTime
from wallum.document.project import SCHEMA_VERSION, Project
from wallum.document.storage import load
from wallum.exchange.gltf_export import export_gltf
from wallum.level.demos.pale_room import pale_room, pale_room_project
from wallum.level.importers.gltf.reader import load_gltf
from wallum.level.model.figure import FIGURE_PARTS
from wallum.moment.camera import Camera

LEFT, PLAIN = Qt.MouseButton.LeftButton, Qt.KeyboardModifier.NoModifier


def mean(image):
    bits = image.convertToFormat(QImage.Format.Format_RGB32).constBits()
    bits.setsize(image.sizeInBytes())
    return np.frombuffer(bits, np.uint8).mean()


def test_a_wipe_shows_the_variant_for_this_camera_and_follows_it(qtbot, window):
    window.act["wipe"].trigger()
    assert not window.wipe.against  # there is nothing to wipe against yet
    window.variants.keep("Bright")
    window.session.set_value("dark", "balance/lamps", -6.0)
    window.session.set_value("dark", "balance/accents", -6.0)
    window.act["wipe"].trigger()
    assert not window.wipe.fits
    qtbot.waitUntil(lambda: window.wipe.fits, timeout=120_000)
    qtbot.waitUntil(lambda: not window.link.client.busy, timeout=120_000)
    bright = mean(window.wipe._image)
    shown = window.picture.grab().toImage()
    half = shown.width() // 2
    left, right = shown.copy(10, 40, half - 80, 200), shown.copy(half + 10, 40, half - 80, 200)
    assert mean(right) > mean(left) + 20.0
    line = QPointF(window.wipe._x(), 200.0)
    QTest.mousePress(window.picture, LEFT, PLAIN, line.toPoint())
    QTest.mouseMove(window.picture, QPointF(line.x() - 60.0, 200.0).toPoint())
    QTest.mouseMove(window.picture, QPointF(line.x() - 120.0, 200.0).toPoint())
    QTest.mouseRelease(window.picture, LEFT, PLAIN, QPointF(line.x() - 120.0, 200.0).toPoint())
    assert window.wipe._x() == pytest.approx(line.x() - 120.0, abs=3.0)
    window.shot_navigation.look_from(Camera((0.0, 1.2, 2.0), (0.6, 0.0, -1.0), 60.0))
    assert not window.wipe.fits  # of the camera before
    qtbot.waitUntil(lambda: window.wipe.fits, timeout=120_000)
    assert mean(window.wipe._image) != bright
    QTest.keyClick(window.picture, Qt.Key.Key_Escape)
    assert not window.wipe.against


def test_a_picture_is_pinned_as_one_step_and_a_wrong_file_is_refused(qtbot, window, tmp_path):
    good, bad = tmp_path / "mood.png", tmp_path / "mood.jpg"
    image = QImage(64, 48, QImage.Format.Format_RGB32)
    image.fill(Qt.GlobalColor.red)
    assert image.save(str(good))
    bad.write_text("no picture")
    window.comparison.pin_picture(str(bad))
    assert "cannot be read as a picture" in window.bar.text
    assert not window.session.project.pinned
    qtbot.waitUntil(lambda: window.picture._image is not None, timeout=120_000)
    window.comparison.pin_picture(str(good))
    assert window.wipe.against == "pinned"
    assert window.wipe.fits
    assert window.session.history.undo_label == "pin mood.png"
    grabbed = window.picture.grab().toImage().pixelColor(window.picture.width() - 30, 100)
    assert grabbed.red() > 200
    assert grabbed.green() < 40
    window.session.undo()
    assert not window.session.project.pinned


def test_the_wall_shows_every_shot_and_a_choice_looks_through_it(qtbot, window):
    window.act["shot"].trigger()
    window.shot_navigation.look_from(Camera((0.0, 1.5, 3.0), (0.3, 0.0, -1.0), 60.0))
    window.act["shot"].trigger()
    window.shot_navigation.look_from(Camera((0.0, 1.0, 0.0), (0.0, 0.0, 1.0), 40.0))
    window.act["wall"].trigger()
    assert window.wall.isVisible()
    qtbot.waitUntil(lambda: window.wall.complete, timeout=120_000)
    places = [window.wall.place_of(i) for i in range(len(window.wall.shots()))]
    assert all(window.wall.rect().contains(place.toRect()) for place in places)
    assert not any(a.intersects(b) for i, a in enumerate(places) for b in places[i + 1 :])
    last = window.session.project.shots[-1]
    QTest.keyClick(window.wall, Qt.Key.Key_Left)
    QTest.mouseClick(window.wall, LEFT, PLAIN, places[-1].center().toPoint())
    assert not window.wall.isVisible()
    assert window.picture.camera.eye == pytest.approx(last.eye)


def test_a_shot_is_looked_through_for_a_moment_or_to_stay(window):
    window.act["shot"].trigger()
    shot = window.session.project.shots[-1]
    here = Camera((0.0, 1.0, 0.0), (0.0, 0.0, 1.0), 40.0)
    window.shot_navigation.look_from(here)
    window.shot_navigation.peek(shot.id)
    assert window.picture.camera.eye == pytest.approx(shot.eye)
    QTest.keyClick(window.picture, Qt.Key.Key_Escape)
    assert window.picture.camera.eye == here.eye
    window.shot_navigation.peek(shot.id)
    QTest.keyClick(window.picture, Qt.Key.Key_Return)
    QTest.keyClick(window.picture, Qt.Key.Key_Escape)
    assert window.picture.camera.eye == pytest.approx(shot.eye)


def test_the_targets_frame_holds_its_whole_width(window):
    window.session.set_all("wide", {"target/width": 3840, "target/height": 1080})
    window.act["frame_lines"].setChecked(True)
    window._frame_lines()
    shown = window.picture.camera_as_shown
    assert shown.tangents[0] == pytest.approx(window.picture.camera.tangents[1] * 3840 / 1080, rel=1e-6)
    window.act["frame_lines"].setChecked(False)
    window._frame_lines()
    assert window.picture.camera_as_shown.fov == window.picture.camera.fov


def test_the_figure_stands_where_it_is_put_is_lit_and_goes_again(qtbot, window):
    window.shot_navigation.look_from(Camera((-1.5, 1.6, 3.4), (0.35, -0.35, -0.93), 75.0, far=50.0))
    at = QPointF(window.picture.width() * 0.4, window.picture.height() * 0.75)
    window.pointer.stand_figure(at)
    assert window.session.project.figure.on
    qtbot.waitUntil(lambda: window.session.level.dress.figure is not None, timeout=120_000)
    level = window.session.level
    assert {part.id for part in level.level.parts} >= set(FIGURE_PARTS)
    body = [part for part in level.level.parts if part.id in FIGURE_PARTS]
    points = np.concatenate([p.positions @ item.matrix[:3, :3].T + item.matrix[:3, 3]
                             for item in body for p in level.level.meshes[item.mesh].primitives])  # fmt: skip
    assert np.ptp(points[:, 1]) == pytest.approx(1.8, abs=0.01)
    assert level.lasting is not level.rays  # its sky is the room's, without the figure
    chest = np.array(window.session.project.figure.position) + np.array([0.0, 1.2, 0.0])
    window.pointer.stand_figure(window.picture.place_of(chest))
    assert not window.session.project.figure.on
    window.session.undo()
    assert window.session.project.figure.on


def test_what_lights_the_level_is_listed_and_stripped_in_one_step(qtbot, window):
    qtbot.waitUntil(lambda: not window.balance.stale, timeout=120_000)
    window.act["strip"].trigger()
    text = " ".join(window.sheet.texts)
    for source in window.session.project.sources:
        if source.on:
            assert source.name in text
    assert "% of the light" in text
    before = window.session.project
    tick(window.sheet, "spot", False)
    window.sheet.press("Strip what is ticked")
    assert {source.id for source in window.session.project.sources if source.on} == {"spot"}
    assert not window.sheet.isVisible()
    window.session.undo()
    assert window.session.project == before
    window.act["strip"].trigger()
    window.sheet.press("Strip all to dark")
    assert not any(source.on for source in window.session.project.sources)
    assert window.session.history.undo_label == "strip to dark"
    window.act["strip"].trigger()
    assert any("dark" in item for item in window.sheet.texts)
    QTest.keyClick(window.sheet, Qt.Key.Key_Escape)
    assert not window.sheet.isVisible()


def test_a_level_that_changed_on_disk_is_received_with_all_sources_kept(qtbot, window, room_file):
    level = room_file.with_name("room.glb")
    loaded = load_gltf(level)
    window.session.history.edit(
        "hero", window.session.history.present.with_marks(
            window.session.project.marks_of(loaded.parts[-1].id).revised(hero=True)))  # fmt: skip
    window.shot_navigation.look_from(Camera((0.0, 1.5, 2.0), (0.0, 0.0, -1.0), 60.0))
    room = pale_room()
    from dataclasses import replace as put

    gone = put(room, parts=tuple(part for part in room.parts if part.name != loaded.parts[-1].name))
    export_gltf(pale_room_project().revised(sources=(), shots=()), gone, level)
    os.utime(level, ns=(10**18, 10**18))
    qtbot.waitUntil(lambda: "has changed on disk" in window.offers.texts.get(LEVEL, ""), timeout=120_000)
    before = window.session.project
    window.receiver.receive()
    qtbot.waitUntil(lambda: window.sheet.isVisible(), timeout=120_000)
    assert window.session.project.sources == before.sources
    assert window.session.project.marks == ()
    text = " ".join(window.sheet.texts)
    assert "Removed: 1" in text
    assert "Marks lost" in text
    assert window.session.history.undo_label == "receive room.glb again"
    assert len(window.session.level.plain.parts) == len(loaded.parts) - 1
    assert window.session.project.floors == window.session.level.floors
    window.session.undo()
    assert window.session.project.marks == before.marks
    assert [mark.part for mark in before.marks] == [loaded.parts[-1].id]


def test_a_broken_level_is_not_received_and_the_one_before_stays(qtbot, window, room_file):
    level, before = room_file.with_name("room.glb"), window.session.level
    level.write_bytes(b"glTF, but not really")
    window.receiver.receive()
    qtbot.waitUntil(lambda: "was not received" in window.bar.text, timeout=120_000)
    assert window.session.level is before


def test_undo_brings_the_level_before_back(qtbot, window, room_file):
    other = room_file.with_name("other.glb")
    other.write_bytes(room_file.with_name("room.glb").read_bytes())
    window.receiver.receive("other.glb")
    qtbot.waitUntil(lambda: window.session.project.level == "other.glb", timeout=120_000)
    window.session.undo()
    assert window.session.project.level == "room.glb"
    qtbot.waitUntil(lambda: window.session.level is not None, timeout=120_000)
    assert window.files._shown == ("room.glb", room_file)


def test_a_project_saved_elsewhere_keeps_its_level_its_picture_and_its_undo(qtbot, window, room_file):
    mood = QImage(40, 30, QImage.Format.Format_RGB32)
    mood.fill(Qt.GlobalColor.red)
    assert mood.save(str(room_file.with_name("mood.png")))
    window.comparison.pin_picture(str(room_file.with_name("mood.png")))
    assert window.session.project.pinned == "mood.png"
    window.session.set_value("dark", "look/ev100", 2.0)
    on_desk, elsewhere = window.session.level, room_file.parent / "elsewhere"
    elsewhere.mkdir()
    assert window.save_to(elsewhere / "copy.wallum")
    assert window.session.level is on_desk  # the same file by another name: nothing to read anew
    selected = load(elsewhere / "copy.wallum")
    assert selected.level == "../room.glb"
    assert selected.pinned == "../mood.png"
    assert not window.session.history.dirty
    assert window.session.history.undo_label == "dark"  # where it is saved is no step
    window.session.undo()
    assert window.session.level is on_desk
    assert window.session.project.level == selected.level
    assert window.wipe.fits
    assert window.save_to(room_file.with_name("back.wallum"))
    back = load(room_file.with_name("back.wallum"))
    assert (back.level, back.pinned) == ("room.glb", "mood.png")


def test_pegs_are_dragged_in_the_ribbon_as_one_step(window):
    session = window.session
    session.playhead.set_hour(9.0)
    session.peg("peg", "look/ev100", PegTime(tie="noon", hours=-3.0))
    ribbon = window.day.ribbon
    (hour,) = ribbon.pegs()
    at = QPointF(ribbon.x_of(hour), ribbon.height() - 16.0)
    goal = QPointF(ribbon.x_of(hour + 2.0), at.y())
    QTest.mousePress(ribbon, LEFT, PLAIN, at.toPoint())
    QTest.mouseMove(ribbon, goal.toPoint())
    QTest.mouseRelease(ribbon, LEFT, PLAIN, goal.toPoint())
    peg = session.project.lane("look", "ev100").pegs[0]
    assert peg.at.tie == "noon"  # what it is tied to stays
    assert peg.at.hours == pytest.approx(-1.0, abs=0.05)
    assert "hour of the peg" in session.history.undo_label
    session.undo()
    assert session.project.lane("look", "ev100").pegs[0].at.hours == -3.0


def test_every_key_is_listed_and_none_stands_twice(window):
    keys = [command.key for command in COMMANDS if command.key]
    assert len(set(keys)) == len(keys)
    assert {command.name for command in COMMANDS} == set(window.act)
    listed = {line.detail for line in key_lines()}
    assert set(keys) <= listed
    window.act["keys"].trigger()
    assert "Meter" in window.sheet.texts


def test_settings_keep_recent_files_and_the_window_and_a_broken_file_counts_as_none(window, room_file):
    assert str(room_file) in window.settings.recent
    window.resize(1000, 640)
    window.dispose()
    again = DeskSettings()
    assert again.recent == [str(room_file)]
    assert again.window_state("window")
    room_file.rename(room_file.with_name("moved.wallum"))
    assert DeskSettings().recent == []
    settings_file().write_text("{ broken")
    broken = DeskSettings()
    assert broken.recent == []
    assert not broken.started_before
    copy = settings_file().with_name("desk.unreadable.json")
    assert str(copy) in broken.problem
    broken.note_start()  # writes the file anew
    assert copy.read_text() == "{ broken"
    assert DeskSettings().problem == ""


def test_a_drop_takes_projects_levels_and_pictures_only(tmp_path):
    def drop(name):
        data = QMimeData()
        data.setUrls([QUrl.fromLocalFile(str(tmp_path / name))])
        return dropped_file(data)

    assert drop("a.wallum").name == "a.wallum"
    assert drop("a.GLB").name == "a.GLB"
    assert drop("a.png").name == "a.png"
    assert drop("a.doc") is None
    assert dropped_file(QMimeData()) is None


def test_the_first_path_goes_on_by_itself_and_is_left_for_good(qtbot):
    desk_window = DeskWindow()
    desk_window.show()
    try:
        desk_window.path.begin()
        assert desk_window.path.isVisible()
        desk_window.session.playhead.set_hour(desk_window.session.playhead.hour + 3.0)
        assert desk_window.path.number == 1
        sun = desk_window.session.project.sources[0]
        desk_window.session.set_value("trim", f"sources/@{sun.id}/trim", 1.0)
        assert desk_window.path.number == 2
        desk_window.path.leave()
        assert DeskSettings().started_before
    finally:
        desk_window.session.history.mark_saved(desk_window.session.history.present)
        desk_window.close()
        desk_window.deleteLater()


def test_a_project_keeps_the_level_light_figure_target_and_pin(window, tmp_path):
    values = {"level_light/glow": False, "figure/on": True, "target/width": 1280}
    window.session.set_all("x", values)
    file = tmp_path / "kept.wallum"
    assert window.save_to(file)
    selected = load(file)
    assert selected.level_light.glow is False
    assert selected.figure.on
    assert selected.target.width == 1280
    assert json.loads(file.read_text())["schema_version"] == SCHEMA_VERSION


def test_half_of_the_truth_is_shown_before_all_of_it(qtbot, window, monkeypatch):
    # By what works them out: it begins anew where more of the light is known.
    shown, refined = {}, Truth._refined

    def told(truth, rgb, paths, noise):
        refined(truth, rgb, paths, noise)
        if truth.sender() is truth._thread:
            shown.setdefault(truth._thread, []).append((paths, rgb.shape, truth._text))

    monkeypatch.setattr(Truth, "_refined", told)
    window.shot_navigation.look_from(Camera((-1.5, 1.6, 3.4), (0.35, -0.12, -0.93), 75.0, far=50.0))
    window.views.setCurrentText("truth")
    qtbot.waitUntil(lambda: any(len(item) >= 3 for item in shown.values()), timeout=120_000)
    half, first, second = next(item for item in shown.values() if len(item) >= 3)[:3]
    assert [half[0], first[0], second[0]] == [0, 1, 2]
    assert half[1] == first[1], "of the whole picture's size"
    assert "a path for every second column" in half[2]
    assert "1 path a pixel" in first[2]
    assert "second column" not in first[2]
    window.views.setCurrentText("final")


def test_the_truth_view_refines_while_one_waits_and_goes_with_the_hands_move(qtbot, window):
    window.shot_navigation.look_from(Camera((-1.5, 1.6, 3.4), (0.35, -0.12, -0.93), 75.0, far=50.0))
    qtbot.waitUntil(lambda: window.picture._image is not None, timeout=120_000)
    window.views.setCurrentText("truth")
    assert window.link._wanted.view == "final"  # the real-time picture goes on beneath
    qtbot.waitUntil(lambda: window.truth.paths >= 2, timeout=120_000)
    traced = window.truth._image
    assert (traced.width(), traced.height()) == (window.picture.width() // 2, window.picture.height() // 2)
    assert "6 bounces" in window.truth._text
    lit = mean(traced)
    assert lit > 5.0
    qtbot.waitUntil(lambda: window.truth._clean is not None, timeout=120_000)
    paths = window.truth.paths
    window.views.setCurrentText("truth raw")  # of the same paths, its noise with it
    assert window.truth.paths >= paths
    assert window.truth._clean is not None
    assert window.truth.raw
    window.views.setCurrentText("truth")
    assert window.truth.paths >= paths
    # It goes on being exposed as the picture beneath is, whose exposure may change after it began.
    thread = window.truth._thread
    thread.ev100 += 9.0
    qtbot.waitUntil(lambda: thread.ev100 == window.session.shown_ev, timeout=120_000)
    window.shot_navigation.look_from(Camera((0.0, 1.2, 2.0), (0.6, 0.0, -1.0), 60.0))
    assert window.truth._image is None
    qtbot.waitUntil(lambda: window.truth.paths >= 1, timeout=120_000)
    window.views.setCurrentText("final")
    assert not window.truth.on


def test_one_source_is_seen_alone_by_the_list_of_views(window):
    window.session.selection.select("spot")
    window.views.setCurrentText("one source")
    assert window.balance.only == "spot"
    window.views.setCurrentText("final")
    assert window.balance.only == ""


def test_findings_are_listed_and_a_remedy_is_one_step(qtbot, window):
    lamp = window.session.project.source("lamp")
    window.session.set_values("bury", "lamp", {"position": (1.5, 0.5, -2.0), "radius": 0.02})
    window.act["shot"].trigger()
    window.act["check"].trigger()
    qtbot.waitUntil(lambda: window.sheet.isVisible() and bool(window.checks.findings), timeout=120_000)
    number = next(
        str(i) for i, finding in enumerate(window.checks.findings) if finding.kind == "source in a solid"
    )
    tick(window.sheet, number, True)
    window.sheet.press("Apply what is ticked")
    assert window.session.project.source("lamp").position != (1.5, 0.5, -2.0)
    assert "nearest free place" in window.session.history.undo_label
    window.session.undo()
    assert window.session.project.source("lamp").position == (1.5, 0.5, -2.0)
    for _ in ("keep a shot", "bury"):
        window.session.undo()
    assert window.session.project.source("lamp") == lamp


def test_a_profile_that_is_not_there_is_told_where_the_cost_would_be(qtbot, window):
    qtbot.waitUntil(lambda: window.cost.cost is not None, timeout=120_000)
    window.session.set_value("other profile", "target/profile", "gone.json")
    qtbot.waitUntil(lambda: bool(window.cost.refused), timeout=120_000)
    assert "no cost" in window.cost.words
    assert "gone.json" in window.cost.tip_at(QPointF(1.0, 1.0))
    assert window.balance.cost == {}
    window.session.undo()
    qtbot.waitUntil(lambda: not window.cost.refused and bool(window.balance.cost), timeout=120_000)


def test_the_frames_cost_stands_under_strips_and_in_the_bar(qtbot, window):
    qtbot.waitUntil(lambda: window.cost.cost is not None and not window.cost.stale, timeout=120_000)
    strips = {strip.key: strip for strip in window.balance.strips()}
    assert window.balance.cost_of(strips["spot"]) > 0.0
    total = sum(window.cost.cost.passes.values())
    assert f"{total:.1f} of" in window.cost.words
    assert "uncalibrated" in window.cost.words
    window.session.set_all("tight", {"target/frame_rate": 500.0, "target/share": 0.01})
    qtbot.waitUntil(lambda: window.cost.cost.over, timeout=120_000)
    assert "over" in window.cost.words
    window.balance.sort_by("cost")
    lamps = [strip for strip in window.balance.strips() if strip.group == "lamps" and strip.source]
    costs = [window.balance.cost_of(lamp) for lamp in lamps]
    assert costs == sorted(costs, reverse=True)


def test_a_level_in_centimetres_is_offered_as_such_and_what_stands_in_it_goes_along(qtbot, tmp_path):
    level = pale_room()
    grown = replace(
        level,
        parts=tuple(
            replace(part, matrix=np.diag([100.0, 100.0, 100.0, 1.0]) @ part.matrix) for part in level.parts
        ),
    )
    large = pale_room_project().shots[0]
    shot = large.revised(eye=tuple(100.0 * part for part in large.eye))
    export_gltf(Project(sources=(), shots=(shot,)), grown, tmp_path / "room.glb")
    window = DeskWindow()
    window.show()
    window.open_reference(str(tmp_path / "room.glb"))
    qtbot.waitUntil(lambda: FIT in window.offers.texts, timeout=120_000)
    assert "centimetres" in window.offers.texts[FIT]
    assert not window.bar.text  # said once
    before = window.session.level
    window.offers.answer(FIT, "Take it as such")
    qtbot.waitUntil(lambda: window.session.level is not before, timeout=120_000)
    size = np.ptp(window.session.level.level.bounds, axis=0)
    assert size == pytest.approx(np.ptp(level.bounds, axis=0), rel=1e-6)
    assert window.session.project.shots[0].eye == pytest.approx(large.eye, abs=1e-4)
    assert window.picture.camera.eye == pytest.approx(large.eye, abs=1e-4)  # and so does one's own eye
    menu = FitMenu(window.session, window)
    menu.aboutToShow.emit()
    assert [action.text() for action in menu.actions() if action.isChecked()] == ["In centimetres", "Y is up"]
    next(action for action in menu.actions() if action.text() == "In metres").trigger()
    assert window.session.project.level_fit.scale == 1.0
    window.session.undo()
    window.session.undo()
    assert window.session.project.shots[0].eye == pytest.approx(shot.eye)
    window.close()


def test_ways_of_light_from_all_around_stand_beside_each_other(window, qtbot, monkeypatch):
    """Each with its picture, its price and how far it is off; a click takes one; Escape leads back."""
    monkeypatch.setattr("wallum.judge.indirect_methods.PATHS", 6)
    around = window.comparison.around
    window.act["around"].trigger()
    assert around.isVisible()
    assert window.state.shown == "around"
    qtbot.waitUntil(
        lambda: len(around.found) == 4
        and all(item.off is not None for item in around.found.values())
        and around.complete,
        timeout=180_000,
    )  # fmt: skip
    assert around.found["sky alone"].off < around.found["none"].off + 1e-6
    assert "stops off" in around.name_of(0)
    place = around.place_of(3).center().toPoint()
    qtbot.mouseClick(around, Qt.MouseButton.LeftButton, pos=place)
    assert not around.isVisible()
    assert window.session.project.look.indirect == "none"
    window.session.undo()
    assert window.session.project.look.indirect == "probes"
    window.act["around"].trigger()
    qtbot.keyClick(around, Qt.Key.Key_Escape)
    assert window.state.shown == ""
