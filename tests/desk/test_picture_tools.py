"""Aim, kick, pull a shadow and the meter, in the real window."""

import numpy as np
import pytest
from PyQt6.QtCore import QPointF, Qt
from PyQt6.QtTest import QTest

from wallum.document.quantities import format_quantity
from wallum.moment.camera import Camera
from wallum.moment.evaluate import evaluate
from wallum.physics.colour import luminance

BEHIND = Camera((2.5, 2.9, -2.0), (0.0, -1.0, -0.0001), 90.0, far=50.0)
LEFT, PLAIN = Qt.MouseButton.LeftButton, Qt.KeyboardModifier.NoModifier


@pytest.fixture
def above(window):
    """The room from under its ceiling, looking down: floor, and the block on it."""
    window.shot_navigation.look_from(Camera((0.0, 2.9, 0.0), (0.0, -1.0, -0.0001), 90.0, far=50.0))
    return window


def place(window, point):
    camera = window.picture.camera.with_aspect(window.picture.width() / window.picture.height())
    x, y, _ = camera.place_in_picture(np.array([point]))[0]
    return QPointF(x * window.picture.width(), y * window.picture.height())


def test_aim_turns_the_spot_to_the_point_in_one_step(above):
    above.session.selection.select("spot")
    above.tools.aim(place(above, (-1.0, 0.0, 1.0)))
    spot = above.session.project.source("spot")
    offset = np.array([-1.0, 0.0, 1.0]) - np.array(spot.position)
    assert np.array(spot.direction) @ offset / np.linalg.norm(offset) > 0.9995
    assert above.session.history.undo_label == "aim Block Spot"
    above.session.undo()
    assert above.session.project.source("spot").direction != spot.direction


def test_tools_say_what_they_need(above):
    messages = []
    above.session.told.connect(messages.append)
    above.session.selection.select("lamp")
    above.tools.aim(QPointF(100, 100))
    assert "that can be aimed" in messages[-1]
    above.session.selection.select("sun")
    above.tools.kick(QPointF(100, 100))
    assert "Select a lamp" in messages[-1]
    above.tools.make_it_read(50.0)
    assert "Read a place first" in messages[-1]
    assert above.session.history.undo_label == ""


def test_kick_puts_the_highlight_under_the_pointer(above):
    above.session.selection.select("lamp")
    at = place(above, (0.8, 0.0, 1.2))
    above.tools.kick(at)
    lamp = above.session.project.source("lamp")
    point = above.picture.surface_at(at)[0]
    to_lamp, to_eye = np.array(lamp.position) - point, np.array(above.picture.camera.eye) - point
    half = to_lamp / np.linalg.norm(to_lamp) + to_eye / np.linalg.norm(to_eye)
    assert half / np.linalg.norm(half) == pytest.approx([0.0, 1.0, 0.0], abs=0.02)
    assert above.session.history.undo_label == "kick with Ceiling Lamp"


def test_a_shadow_is_pulled_by_the_mouse_as_one_step(above):
    """The block's shadow by the ceiling lamp, dragged along the floor."""
    above.shot_navigation.look_from(BEHIND)
    above.session.selection.select("lamp")
    above.act["pull"].setChecked(True)
    above._pull_mode()
    lamp = np.array(above.session.project.source("lamp").position)
    # The block stands at 1..2, 0..1, -2.5..-1.5: behind it, seen from the lamp, lies shadow.
    start = place(above, (2.2, 0.0, -2.2)).toPoint()
    goal = np.array([2.4, 0.0, -1.2])
    QTest.mousePress(above.picture, LEFT, PLAIN, start)
    assert above.picture.held
    caster = above.shadow._caster
    QTest.mouseMove(above.picture, place(above, goal).toPoint())
    QTest.mouseRelease(above.picture, LEFT, PLAIN, place(above, goal).toPoint())
    moved = np.array(above.session.project.source("lamp").position)
    assert not np.allclose(moved, lamp)
    result = above.picture.surface_at(QPointF(place(above, goal).toPoint()))[0]
    ray, away = caster - result, moved - caster
    assert np.cross(ray, away) == pytest.approx(np.zeros(3), abs=0.02)
    assert above.session.history.undo_label == "pull the shadow of Ceiling Lamp"
    above.session.undo()
    assert np.array(above.session.project.source("lamp").position) == pytest.approx(lamp)


def test_escape_gives_a_shadow_back(above):
    above.shot_navigation.look_from(BEHIND)
    above.session.selection.select("lamp")
    grip = above.shadow.take(place(above, (2.2, 0.0, -2.2)))
    grip.drag(place(above, (2.4, 0.0, -1.2)))
    assert above.session.project is not above.session.history.present
    grip.give_back()
    assert above.session.project is above.session.history.present


def test_on_lit_ground_a_stick_is_stood_and_its_shadow_pulled(above):
    above.session.selection.select("lamp")
    assert above.shadow.take(place(above, (-1.2, 0.0, 1.5))) is None
    assert above.shadow.stick.foot == pytest.approx([-1.2, 0.0, 1.5], abs=0.02)
    lamp, end = np.array(above.session.project.source("lamp").position), above.shadow.stick.end
    # By hand: the lamp, the stick's end and the end of its shadow lie on one line.
    fallen = above.shadow.shadow_end()
    assert np.cross(end - lamp, fallen - end) == pytest.approx(np.zeros(3), abs=1e-3)
    grip = above.shadow.take(place(above, fallen))
    goal = fallen + np.array([0.1, 0.0, -0.4])
    grip.drag(place(above, goal))
    assert above.shadow.shadow_end() == pytest.approx(goal, abs=0.02)
    grip.let_go()
    assert above.session.history.undo_label == "pull the shadow of Ceiling Lamp"
    above.shadow.put_away()
    assert above.shadow.shadow_end() is None


def test_the_meter_reads_and_a_source_delivers_what_is_typed(above):
    at = place(above, (-1.0, 0.0, 0.8))
    reading = above.tools.meter(at)
    assert reading.direct_lx > 1.0
    assert above.reading.field.text().endswith("lx")
    above.session.selection.select("lamp")
    above.reading.field.setText("50 lx")
    QTest.keyClick(above.reading.field, Qt.Key.Key_Return)
    assert above.tools.meter(at).direct_lx == pytest.approx(50.0, rel=0.03)
    assert above.session.history.undo_label == "Ceiling Lamp to 50 lx"
    above.reading.field.setText("50 K")
    QTest.keyClick(above.reading.field, Qt.Key.Key_Return)
    assert above.bar.isVisible()


def test_the_meter_tells_what_comes_back_from_surfaces(qtbot, above):
    """As much as probes have there; what glows by its material."""
    background, messages = above.background, []
    above.session.told.connect(messages.append)
    qtbot.waitUntil(lambda: background.bounce is not None and background.at_rest, timeout=120_000)
    reading = above.tools.meter(place(above, (-1.0, 0.0, 0.8)))
    scene = evaluate(above.session.project, above.session.playhead.moment)
    point, normal = above.tools._metered
    shares = background.bounce.shares(scene, point[None], normal[None])
    wanted = sum(float(luminance(share.astype(float))[0]) for share in shares.values())
    assert 0.05 * reading.direct_lx < wanted < reading.direct_lx
    assert f"direct, {format_quantity(wanted, 'lx')} from surfaces, grey" in messages[-1]
    grey = (reading.direct_lx + wanted) * 0.18 / np.pi
    assert format_quantity(grey, "cd/m2") in messages[-1]


def test_the_sky_cannot_be_read(above):
    above.shot_navigation.look_from(Camera((0.0, 50.0, 0.0), (0.0, 1.0, 0.0001), 60.0, far=50.0))
    assert above.tools.meter(QPointF(50.0, 50.0)) is None


def test_views_are_chosen_both_ways_and_are_no_edit(qtbot, window):
    came = []
    window.link.frame_came.connect(lambda frame, _: came.append(frame))
    window.views.setCurrentText("false colour")
    assert window.link._wanted.view == "false colour"
    qtbot.waitUntil(lambda: bool(came) and window.link.client.is_current(came[-1]), timeout=120_000)
    scale = window.picture.grab().toImage()
    colours = {scale.pixelColor(20, y).name() for y in range(scale.height())}
    assert len(colours) > 10  # the scale is there
    window.act["view"].trigger()
    assert window.views.currentText() == "zebra"
    window.views.setCurrentText("final")
    assert window.session.history.undo_label == ""
