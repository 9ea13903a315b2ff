"""The picture area shows one thing at a time, and Escape always leads back."""

import pytest
from PyQt6.QtCore import QPointF, Qt
from PyQt6.QtTest import QTest

from wallum.desk.viewport.view_state import KINDS
from wallum.document.project import Shot, Walk
from wallum.document.variants import kept
from wallum.moment.walking import walk_camera
from wallum_dev.tours.tour import wait_for


@pytest.fixture
def window(window):
    """With a variant, a shot and a walk, so that all can be shown."""
    session = window.session
    project = kept(session.history.present, "Other")
    if not project.shots:
        camera = window.picture.camera
        shot = Shot(id="s", name="Shot", eye=camera.eye, direction=camera.direction, fov=camera.fov)
        project = project.revised(shots=(shot,))
    walk = Walk(id="w", name="W", points=((0.0, 1.0, 2.0), (0.5, 1.0, -2.0)))
    session.history.edit("for the test", project.revised(walks=(walk,)))
    yield window
    window.view_controller.plain()
    window.state.back()


def enter(window, kind):
    match kind:
        case "alone":
            window.balance.see_only(window.session.project.sources[0].id)
        case "truth":
            window.views.setCurrentText("truth")
        case "wall":
            window.wall.open()
        case "hours":
            window.bench.hours.open()
        case "wipe":
            window.wipe.begin("variant", window.session.project.variants[0].id)
        case "ways":
            window.session.selection.select(window.session.project.sources[0].id)
            window.comparison.ways.begin(QPointF(10.0, 10.0))
        case "around":
            window.comparison.around.open()
        case "walk":
            window.walker.changed.emit(True)


def there(window):
    """What is shown, by what shows it."""
    shown = {
        "alone": bool(window.balance.only),
        "truth": window.truth.on,
        "wall": window.wall.isVisible(),
        "hours": window.bench.hours.isVisible(),
        "wipe": bool(window.wipe.against),
        "ways": window.comparison.ways.shown,
        "around": window.comparison.around.isVisible(),
    }
    return [kind for kind, on in shown.items() if on]


def escape(window):
    all_grids = (window.wall, window.bench.hours, window.comparison.around)
    grids = [grid for grid in all_grids if grid.isVisible()]
    QTest.keyClick(grids[0] if grids else window.picture, Qt.Key.Key_Escape)


@pytest.mark.parametrize("first", KINDS)
def test_each_gives_way_to_every_other_and_escape_leads_back(window, first):
    for second in KINDS:
        enter(window, first)
        assert window.state.shown == first
        enter(window, second)
        assert window.state.shown == second
        assert there(window) == ([second] if second != "walk" else []), (first, second)
        escape(window)
        assert window.state.shown == ""
        assert there(window) == []


def test_what_ends_by_itself_is_known(window):
    for kind, end in (
        ("wipe", lambda: window.wipe.begin("")),
        ("alone", lambda: window.balance.see_only("")),
        ("truth", lambda: window.views.setCurrentText("grey")),
        ("wall", window.shot_navigation.leave_wall),
    ):
        enter(window, kind)
        end()
        assert window.state.shown == "", kind
    assert window.picture.view == "grey"


def test_a_wipe_goes_on_in_a_view_and_escape_leaves_the_wipe_first(window):
    window.views.setCurrentText("false colour")
    enter(window, "wipe")
    assert window.picture.view == "false colour"
    escape(window)
    assert window.picture.view == "false colour"
    assert there(window) == []
    escape(window)
    assert window.picture.view == "final"
    assert window.views.currentText() == "final"


def test_the_list_says_what_is_shown(window):
    window.views.setCurrentText("one source")
    enter(window, "truth")
    enter(window, "alone")
    assert window.views.currentText() == "final"
    assert not window.truth.on


def test_a_walk_is_left_where_one_is(window):
    walks = window.session.project.walks
    window.walker.toggle()
    assert window.state.shown == "walk"
    wait_for(lambda: window.picture.camera.eye != walk_camera(walks[0], 0.0).eye, "a step")
    escape(window)
    assert not window.walker.walking
