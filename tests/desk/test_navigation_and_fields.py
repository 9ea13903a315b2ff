import numpy as np
import pytest
from hypothesis import given
from hypothesis import strategies as st
from PyQt6.QtCore import QPoint, QPointF, Qt
from PyQt6.QtGui import QWheelEvent

from wallum.desk.session.session import fitting_intensity
from wallum.desk.viewport.navigation import approach, fly, frame, look, orbit, slide
from wallum.desk.widgets.number_field import NumberField, dragged
from wallum.desk.widgets.tokens import TOKENS
from wallum.document.fields import Parameter, declared
from wallum.document.sources import PointSource
from wallum.moment.camera import Camera

CAMERA = Camera((1.0, 2.0, 6.0), (0.0, -0.28, -0.96), 50.0, 1.6)
turn = st.floats(-170.0, 170.0)
LOG = declared(PointSource(id="a", name="A"))["intensity"]
PLAIN = Parameter("Elevation", "Height.", unit="deg", low=-90.0, high=90.0, step=0.5)


@given(turn, turn)
def test_orbit_keeps_the_pivots_distance_and_place(right, up):
    pivot = np.array([0.5, 0.3, -1.0])
    moved = orbit(CAMERA, pivot, right, up)
    before, after = (camera.place_in_picture(pivot[None])[0] for camera in (CAMERA, moved))
    assert after == pytest.approx(before, abs=1e-6)


@given(st.lists(st.tuples(turn, turn), max_size=8))
def test_no_turning_goes_over_the_top(turns):
    camera = CAMERA
    for right, up in turns:
        camera = look(camera, right, up)
    assert abs(camera.direction[1]) <= np.sin(np.radians(89.01))
    assert np.linalg.norm(camera.direction) == pytest.approx(1.0)


def test_looking_right_turns_clockwise_from_north():
    east = look(Camera((0, 0, 0), (0, 0, -1)), 90.0, 0.0)
    assert east.direction == pytest.approx((1, 0, 0), abs=1e-9)


def test_slide_moves_across_and_fly_ahead():
    right, up, _ = CAMERA.rotation()
    assert np.array(slide(CAMERA, 2.0, -1.0).eye) == pytest.approx(np.array(CAMERA.eye) + 2 * right - up)
    assert np.array(fly(CAMERA, 0, 0, 3.0).eye) == pytest.approx(
        np.array(CAMERA.eye) + 3 * np.array(CAMERA.direction), abs=1e-3
    )
    assert fly(CAMERA, 0, 1.5, 0).eye[1] == pytest.approx(3.5)


def test_approach_goes_part_of_the_way_and_never_through():
    target = np.array([1.0, 2.0, 0.0])
    assert approach(CAMERA, target, 0.5).eye[2] == pytest.approx(3.0)
    camera = CAMERA
    for _ in range(200):
        camera = approach(camera, target, 0.2)
    assert camera.eye[2] > 0.1


@pytest.mark.parametrize("size", [0.2, 3.0, 80.0])
def test_a_framed_box_lies_within_the_picture(size):
    low, high = np.array([3.0, 0.0, -9.0]), np.array([3.0, 0.0, -9.0]) + size
    camera = frame(CAMERA, low, high)
    corners = np.array(np.meshgrid(*zip(low, high, strict=True))).reshape(3, -1).T
    places = camera.place_in_picture(corners)
    assert (places[:, 2] > 0).all()
    assert ((places[:, :2] > 0) & (places[:, :2] < 1)).all()


def test_a_drag_of_60_pixels_doubles_and_back_again():
    assert dragged(100.0, 60, LOG, fine=False) == pytest.approx(200.0)
    assert dragged(200.0, -60, LOG, fine=False) == pytest.approx(100.0)
    assert dragged(100.0, 60, LOG, fine=True) == pytest.approx(100.0 * 2**0.1, rel=1e-5)
    assert dragged(0.0, 60, LOG, fine=False) > 0.0


@given(st.floats(-90, 90), st.integers(-5000, 5000))
def test_a_drag_never_leaves_the_limits(value, pixels):
    assert -90.0 <= dragged(value, pixels, PLAIN, fine=False) <= 90.0


def test_a_linear_drag_moves_in_steps():
    assert dragged(10.0, 8, PLAIN, fine=False) == pytest.approx(11.0)
    assert dragged(10.0, 8, PLAIN, fine=True) == pytest.approx(10.1)


def test_a_new_lamp_suits_the_exposure():
    # Half a stop over mid grey on an 18 % surface, two digits.
    for ev in (-3.0, 4.0, 13.0):
        candela = fitting_intensity(ev, 2.0)
        luminance = candela / 4.0 * 0.18 / np.pi
        assert np.log2(luminance / (0.18 * 1.2 * 2.0**ev)) == pytest.approx(0.5, abs=0.05)


@pytest.fixture
def field(qtbot):
    number_field = NumberField(LOG)
    qtbot.addWidget(number_field)
    number_field.resize(120, 24)
    number_field.show()
    number_field.show_value(100.0)
    return number_field


def test_showing_a_value_emits_nothing(field, qtbot):
    with qtbot.assertNotEmitted(field.previewed), qtbot.assertNotEmitted(field.committed):
        field.show_value(5.0)
    assert field.text == "5 cd"


def test_a_drag_previews_and_ends_once(field, qtbot):
    previews, commits = [], []
    field.previewed.connect(previews.append)
    field.committed.connect(lambda: commits.append(1))
    qtbot.mousePress(field, Qt.MouseButton.LeftButton, pos=QPoint(10, 10))
    for x in (20, 40, 70):
        qtbot.mouseMove(field, QPoint(x, 10))
    qtbot.mouseRelease(field, Qt.MouseButton.LeftButton, pos=QPoint(70, 10))
    assert len(previews) == 3
    assert previews[-1] == pytest.approx(200.0)
    assert commits == [1]


def test_a_click_without_a_drag_changes_nothing(field, qtbot):
    with qtbot.assertNotEmitted(field.committed):
        qtbot.mouseClick(field, Qt.MouseButton.LeftButton)


def test_escape_ends_a_drag(field, qtbot):
    qtbot.mousePress(field, Qt.MouseButton.LeftButton, pos=QPoint(10, 10))
    qtbot.mouseMove(field, QPoint(50, 10))
    with qtbot.waitSignal(field.cancelled, timeout=500):
        qtbot.keyClick(field, Qt.Key.Key_Escape)
    with qtbot.assertNotEmitted(field.previewed):
        qtbot.mouseMove(field, QPoint(90, 10))


def test_a_value_is_typed_with_a_unit(field, qtbot):
    field.setFocus()
    texts = []
    field.typed.connect(texts.append)
    qtbot.keyClicks(field, "8")
    qtbot.keyClicks(field._editor, "00 lm")
    qtbot.keyClick(field._editor, Qt.Key.Key_Return)
    assert texts == ["800 lm"]


def test_arrows_step_and_delete_asks_for_the_default(field, qtbot):
    with qtbot.waitSignal(field.previewed) as seen:
        qtbot.keyClick(field, Qt.Key.Key_Up)
    assert seen.args[0] == pytest.approx(100 * 2 ** (1 / 3), rel=1e-5)
    with qtbot.waitSignal(field.reset_asked):
        qtbot.keyClick(field, Qt.Key.Key_Delete)


def wheel(widget, turns):
    return QWheelEvent(
        QPointF(5, 5),
        widget.mapToGlobal(QPointF(5, 5)),
        QPoint(),
        QPoint(0, 120 * turns),
        Qt.MouseButton.NoButton,
        Qt.KeyboardModifier.NoModifier,
        Qt.ScrollPhase.NoScrollPhase,
        False,
    )


def test_the_wheel_steps_only_what_has_the_focus(field, qtbot):
    field.clearFocus()
    with qtbot.assertNotEmitted(field.previewed):
        field.wheelEvent(wheel(field, 1))


def contrast(item, two):
    """WCAG 2.2 contrast ratio."""

    def light(token):
        parts = np.array([int(TOKENS[token][i : i + 2], 16) for i in (1, 3, 5)]) / 255
        linear = np.where(parts <= 0.04045, parts / 12.92, ((parts + 0.055) / 1.055) ** 2.4)
        return linear @ [0.2126, 0.7152, 0.0722]

    high, low = sorted((light(item), light(two)), reverse=True)
    return (high + 0.05) / (low + 0.05)


def test_text_and_edges_can_be_read():
    assert contrast("text", "raised") >= 7.0
    assert contrast("quiet", "raised") >= 4.5
    assert contrast("edge", "pane") >= 3.0
