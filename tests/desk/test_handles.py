"""Handles of the selected lamp, dragged by the mouse in the real window; several at once."""

import numpy as np
import pytest
from PyQt6.QtCore import QPointF, Qt
from PyQt6.QtTest import QTest

from wallum.desk.viewport import pool_lines
from wallum.document.paths import look_up
from wallum.moment.camera import Camera

LEFT, PLAIN, SHIFT = (
    Qt.MouseButton.LeftButton,
    Qt.KeyboardModifier.NoModifier,
    Qt.KeyboardModifier.ShiftModifier,
)
CONTROL = Qt.KeyboardModifier.ControlModifier


@pytest.fixture
def aside(window):
    """The room from one end, so that heights and the floor are both seen."""
    window.shot_navigation.look_from(Camera((-1.5, 1.6, 3.4), (0.35, -0.12, -0.93), 75.0, far=50.0))
    window.session.selection.select("spot")
    return window


def handle(window, kind):
    return next(item.at for item in window.picture.handles() if item.kind == kind)


def drag(window, start, moved, modifier=PLAIN, release=True):
    start, end = start.toPoint(), (start + QPointF(*moved)).toPoint()
    QTest.mousePress(window.picture, LEFT, modifier, start)
    QTest.mouseMove(window.picture, start + (end - start) / 2)
    event_moves(window, end, modifier)
    if release:
        QTest.mouseRelease(window.picture, LEFT, modifier, end)


def event_moves(window, at, modifier):
    """QTest's moves carry no modifiers: send one that does."""
    from PyQt6.QtCore import QEvent
    from PyQt6.QtGui import QMouseEvent

    place = QPointF(at)
    window.picture.mouseMoveEvent(QMouseEvent(QEvent.Type.MouseMove, place, place, LEFT, LEFT, modifier))


def spot(window):
    return window.session.project.source("spot")


def place(window, source_id="spot"):
    return np.array(window.session.project.source(source_id).position)


def test_the_bar_changes_the_height_alone(aside):
    before = place(aside)
    drag(aside, handle(aside, "height"), (0, 60))
    after = place(aside)
    assert after[1] < before[1] - 0.1
    assert after[[0, 2]] == pytest.approx(before[[0, 2]], abs=1e-3)
    assert aside.session.history.undo_label == "Block Spot, height"
    aside.session.undo()
    assert place(aside) == pytest.approx(before)


def test_the_foot_slides_it_over_the_ground_at_its_height(aside):
    before = place(aside)
    drag(aside, handle(aside, "foot"), (-60, 10))
    after = place(aside)
    assert np.linalg.norm(after[[0, 2]] - before[[0, 2]]) > 0.1
    assert after[1] == pytest.approx(before[1], abs=0.02)
    assert spot(aside).direction == pytest.approx(
        aside.session.history._done[-1].before.source("spot").direction
    )


def test_the_knot_moves_it_along_its_aim_alone(aside):
    before, direction = place(aside), np.array(spot(aside).direction)
    knot = handle(aside, "along")
    ring = handle(aside, "move")
    step = knot - ring
    drag(aside, knot, (step.x(), step.y()))
    moved = place(aside) - before
    assert np.linalg.norm(moved) > 0.05
    assert np.cross(moved / np.linalg.norm(moved), direction) == pytest.approx(np.zeros(3), abs=2e-3)
    assert moved @ direction > 0.0


def test_the_bow_turns_it_about_what_it_lights(aside):
    stand = aside.picture._stand_of_selected()
    before, target = place(aside), stand.target
    drag(aside, handle(aside, "turn"), (50, 0))
    after = place(aside)
    assert np.linalg.norm(after - before) > 0.1
    assert np.linalg.norm(after - target) == pytest.approx(np.linalg.norm(before - target), rel=1e-3)
    assert after[1] == pytest.approx(before[1], abs=1e-3)
    aim = (target - after) / np.linalg.norm(target - after)
    assert np.array(spot(aside).direction) @ aim > 0.99999


def test_the_sticks_end_aims_it(aside):
    goal = handle(aside, "aim") + QPointF(-40, 12)
    drag(aside, handle(aside, "aim"), (-40, 12))
    result = aside.picture.surface_at(QPointF(goal.toPoint()))[0]
    aim = (result - place(aside)) / np.linalg.norm(result - place(aside))
    assert np.array(spot(aside).direction) @ aim > 0.9999


def test_shift_moves_a_tenth_and_escape_gives_back_with_words_beside(aside):
    before = place(aside)
    drag(aside, handle(aside, "height"), (0, 60), release=False)
    coarse = before[1] - place(aside)[1]
    assert "above ground" in aside.picture._label
    QTest.keyClick(aside.picture, Qt.Key.Key_Escape)
    assert place(aside) == pytest.approx(before)
    assert not aside.picture.held
    drag(aside, handle(aside, "height"), (0, 60), SHIFT, release=False)
    assert before[1] - place(aside)[1] == pytest.approx(coarse / 10.0, rel=0.15)
    QTest.keyClick(aside.picture, Qt.Key.Key_Escape)


def test_several_are_selected_moved_locked_hidden_and_copied_each_as_one_step(aside):
    session = aside.session
    session.selection.select("lamp", "spot")
    lamp, block = place(aside, "lamp"), place(aside)
    drag(aside, handle(aside, "move"), (20, 0))
    assert place(aside, "lamp") - lamp == pytest.approx(place(aside) - block, abs=2e-4)
    assert session.history.undo_label == "2 sources, place"
    aside.act["duplicate"].trigger()
    copies = session.selection.sources
    assert [copy.name for copy in copies] == ["Ceiling Lamp 2", "Block Spot 2"]
    assert copies[1].position != tuple(place(aside))
    aside.act["lock"].trigger()
    assert all(source.locked for source in session.selection.sources)
    assert aside.picture.handles() == []
    aside.act["remove"].trigger()
    assert len(session.selection.sources) == 2
    assert not session.set_value("x", f"sources/@{copies[1].id}/intensity", 5.0)
    assert session.set_value("x", f"sources/@{copies[1].id}/on", False)
    aside.act["lock"].trigger()
    aside.act["hide"].trigger()
    session.selection.select("")
    assert {mark.source_id for mark in aside.picture.marks()}.isdisjoint({copy.id for copy in copies})
    aside.act["select_all"].trigger()
    assert set(session.selection.ids) == {"lamp", "spot"}


def test_control_adds_a_ring_and_a_box_adds_all_inside(aside):
    aside.session.selection.select("")
    aside.shot_navigation.look_from(Camera((0.0, 1.5, 5.5), (0.0, -0.05, -1.0), 100.0, far=50.0))
    marks = {mark.source_id: mark.at for mark in aside.picture.marks()}
    for name in ("lamp", "spot"):
        QTest.mouseClick(aside.picture, LEFT, CONTROL, marks[name].toPoint())
    assert aside.session.selection.ids == ("lamp", "spot")
    QTest.mouseClick(aside.picture, LEFT, CONTROL, marks["lamp"].toPoint())
    assert aside.session.selection.ids == ("spot",)
    aside.session.selection.select("")
    corner = QPointF(2.0, 2.0)
    drag(aside, corner, (aside.picture.width() - 5.0, aside.picture.height() - 5.0), CONTROL)
    assert set(aside.session.selection.ids) == set(marks)


def test_several_are_edited_alike_and_what_differs_is_marked(aside):
    session = aside.session
    session.selection.select("lamp", "spot")
    rows = {row._name: row for row in aside.tune.pane.rows}
    field = rows["intensity"].widget
    before = [session.project.source(name).intensity for name in ("spot", "lamp")]
    assert field.differs == (before[0] != before[1])
    field.previewed.emit(before[0] * 2.0)
    field.committed.emit()
    after = [session.project.source(name).intensity for name in ("spot", "lamp")]
    assert after == pytest.approx([2.0 * value for value in before], rel=1e-5)
    assert session.history.undo_label.startswith("Block Spot and 1 more")
    field.typed.emit("120 cd")
    assert [session.project.source(name).intensity for name in ("spot", "lamp")] == [120.0, 120.0]
    assert not field.differs
    assert not rows["outer"].widget.isEnabled()  # a point has no cone
    session.undo()
    session.undo()
    assert [session.project.source(name).intensity for name in ("spot", "lamp")] == before


def test_the_colour_field_sets_temperature_and_tint_in_one_step(aside):
    from wallum.desk.panes.colour_field import kelvin_at

    field = aside.tune.pane._field
    box = field._field()
    at = QPointF(box.left() + box.width() * 0.75, box.top() + box.height() * 0.5)
    QTest.mousePress(field, LEFT, PLAIN, at.toPoint())
    QTest.mouseRelease(field, LEFT, PLAIN, at.toPoint())
    assert spot(aside).kelvin == pytest.approx(kelvin_at(0.75), rel=0.03)
    assert spot(aside).tint == pytest.approx(0.0, abs=0.003)
    assert aside.session.history.undo_label == "Block Spot, colour"
    QTest.keyClick(field, Qt.Key.Key_Up)
    assert spot(aside).tint > 0.0
    aside.session.set_value("own", "sources/@spot/colour_by", "colour")
    QTest.mouseClick(field, LEFT, PLAIN, at.toPoint())
    red, green, blue = look_up(aside.session.project, "sources/@spot/colour")
    assert blue > green
    assert red > green  # three quarters around the hues lies violet


def test_the_path_chart_moves_the_hour_or_the_body(aside):
    from wallum.desk.timeline.path_chart import on_chart

    session = aside.session
    session.set_all(
        "free sun", {"sources/@sun/stands": "by the clock", "sources/@sun/light": "through the air"}
    )
    session.selection.select("sun")
    chart = aside.tune.pane._chart
    azimuth, elevation = chart._paths[0][60]  # 15:00
    at = chart._at(float(azimuth), float(elevation)).toPoint()
    steps = session.history.undo_label
    QTest.mouseClick(chart, LEFT, PLAIN, at)
    assert session.playhead.hour == pytest.approx(15.0, abs=0.26)
    assert session.history.undo_label == steps  # the hour is no step
    session.set_value("free", "sources/@sun/stands", "where set")
    middle, radius = chart._circle()
    x, y = on_chart(135.0, 40.0)
    QTest.mouseClick(chart, LEFT, PLAIN, (middle + QPointF(x, y) * radius).toPoint())
    sun = session.project.source("sun")
    assert (sun.azimuth, sun.elevation) == pytest.approx((135.0, 40.0), abs=1.5)
    assert session.history.undo_label == f"{sun.name}, place on the sky"


def test_isolux_lines_come_at_rest_and_fit_the_meter(qtbot, aside):
    qtbot.waitUntil(lambda: bool(aside.pool.levels), timeout=120_000)
    level, part = aside.pool._lines[0]
    size = np.array([aside.picture.width(), aside.picture.height()])
    cell = size / (160.0, 90.0)

    def read(x, y):
        surface = aside.picture.surface_at(QPointF(x, y))
        aside.tools._metered = (surface[0], surface[1])
        return aside.tools._read().by_source["spot"]

    places = part[:: max(len(part) // 12, 1), 0] * size
    directions = [(x, y) for x in (-1.0, -0.5, 0.0, 0.5, 1.0) for y in (-1.0, -0.5, 0.0, 0.5, 1.0)]
    for place in places:  # within a cell lies more, and less
        around = [read(*(place + np.array(direction) * cell)) for direction in directions]
        assert min(around) * 0.9 <= level <= max(around) * 1.1


def test_numbers_of_isolux_lines_lie_on_no_other(qtbot, aside, monkeypatch):
    qtbot.waitUntil(lambda: bool(aside.pool.levels), timeout=120_000)
    # As many lines as there can be, hardly apart.
    first = max(aside.pool._lines, key=lambda line: len(line[1]))
    aside.pool._lines = [(10.0 * (n + 1), first[1] + 0.002 * n) for n in range(5)]
    boxes = []

    def drawn(painter, at, text, inside):
        boxes.append(pool_lines.label_box(painter, at, text, inside))

    monkeypatch.setattr(pool_lines, "draw_label", drawn)
    aside.picture.grab()
    assert len(boxes) > 1
    for number, box in enumerate(boxes):
        assert not any(box.intersects(other) for other in boxes[:number])


def test_a_source_shines_from_the_camera_when_aligned(aside):
    aside.act["align"].trigger()
    assert spot(aside).position == pytest.approx(aside.picture.camera.eye)
    assert spot(aside).direction == pytest.approx(aside.picture.camera.direction, abs=1e-3)
