"""What the hand holds may need rays cast anew, or not: then light that is being worked out waits for it."""

import threading

import pytest
from PyQt6.QtCore import QObject, pyqtSignal

from wallum.desk.jobs.bounce_thread import BounceThread, rest_s
from wallum.desk.session.background import Background
from wallum.desk.session.session import Session
from wallum.document.project import Project, base_light
from wallum.document.sources import PanelSource, PointSource

LAMPS = PointSource(id="a", name="a"), PanelSource(id="p", name="p")


@pytest.mark.parametrize(
    ("path", "value", "needs"),
    [
        ("sources/@a/intensity", 50.0, False),
        ("sources/@a/kelvin", 3000.0, False),
        ("sources/@p/luminance", 50.0, False),
        ("sources/@p/trim", 1.0, False),
        ("sources/@a/position", (1.0, 2.0, 3.0), True),
        ("sources/@a/position/x", 2.0, True),
        ("sources/@sky/trim", 1.0, True),
        ("air/visibility", 300.0, False),
        ("balance/lamps", 1.0, False),
        ("look/contrast", 1.1, False),
    ],
)
def test_what_is_dragged_says_whether_light_may_fall_elsewhere(qtbot, path, value, needs):
    session = Session(Project(sources=(*base_light(), *LAMPS)))
    assert not session.hand_holds
    session.preview(path, value)
    assert session.hand_holds
    assert session.hand_needs_rays == needs
    session.commit("drag")
    assert not session.hand_holds
    assert session.hand_needs_rays


def test_a_group_under_the_hand_is_all_its_sources(qtbot):
    session = Session(Project(sources=(*base_light(), *LAMPS)))
    session.preview("balance/lamps", 1.0)
    assert session.active == {"a", "p"}
    assert session.light_dragged
    session.preview("balance/base", 1.0)
    assert session.active == {item.id for item in base_light()}
    session.cancel()
    assert session.active == frozenset()


class Stale:
    """Light of three sources that is another than the scene's."""

    units: dict[str, object] = {}

    def __init__(self):
        self.begun, self.whole = 0, False

    def stale(self, scene, draft_quality=False):
        return ["lamp"] if draft_quality or not self.whole else []

    def relight(self, scene, together, draft_quality=False):
        for _ in range(3):
            self.begun += 1
            yield ()
        self.whole = not draft_quality


def test_light_waits_for_a_hand_that_needs_none_and_then_comes(qtbot):
    thread, bounce = BounceThread(object(), None, ()), Stale()
    thread.pause(True, waits=True)
    thread.follow(object())
    working = threading.Thread(target=lambda: thread._follow_once(bounce))
    working.start()
    working.join(0.5)
    assert working.is_alive()
    assert bounce.begun == 0
    thread.pause(False)
    working.join(30.0)
    assert bounce.begun == 3


def test_light_follows_a_hand_that_moves_it_slowly(qtbot):
    thread, bounce = BounceThread(object(), None, ()), Stale()
    thread.pause(True)
    thread.follow(object())
    working = threading.Thread(target=lambda: thread._follow_once(bounce))
    working.start()
    working.join(30.0)
    assert bounce.begun == 3


def test_what_was_hurried_for_a_hand_is_done_whole_once_it_rests(qtbot):
    thread, bounce, settled = BounceThread(object(), None, ()), Stale(), []
    thread._made_by, thread.bounce = (), bounce
    thread.settled.connect(settled.append)
    thread.pause(True)
    thread.follow(object())
    thread._follow_once(bounce)
    assert settled[-1] is False
    assert not thread._asked.is_set()
    thread.pause(False)
    assert thread._asked.is_set()
    thread._follow_once(bounce)
    assert bounce.whole
    assert settled[-1] is True


class Brings(QObject):
    """Stands for the thread that works light out."""

    lit = pyqtSignal(object)

    def pause(self, paused, waits=False):
        pass

    def give_up(self):
        pass


@pytest.fixture
def brought(qtbot):
    """Background work, what brings light to it, and what came of that."""
    background = Background(Session(Project(sources=LAMPS)))
    background._bounce, came = Brings(), []
    background._bounce.lit.connect(background._take_bounce)
    background.bounce_lit.connect(came.append)
    yield background, background._bounce.lit, came
    background.dispose()


def test_light_under_way_when_a_hand_takes_hold_comes_once_it_rests(qtbot, brought):
    background, lit, came = brought
    lit.emit({"a": 1})
    assert came == [{"a": 1}]
    background.hand_moves(needs_rays=False)
    for units in ({"a": 2, "p": 3}, {"a": 4}):
        lit.emit(units)
    assert came == [{"a": 1}]
    assert not background.at_rest
    qtbot.waitUntil(lambda: len(came) == 2)
    assert came[1] == {"a": 4, "p": 3}
    assert background.at_rest


def test_light_that_waits_comes_at_once_to_a_hand_that_moves_light_itself(brought):
    background, lit, came = brought
    background.hand_moves(needs_rays=False)
    lit.emit({"a": 2})
    assert not came
    background.hand_moves(needs_rays=True)
    lit.emit({"a": 3})
    assert came == [{"a": 2}, {"a": 3}]


@pytest.mark.parametrize("took", [0.001, 0.02, 0.04, 0.1, 0.17, 0.3])
def test_under_a_moving_hand_light_takes_a_tenth_of_the_time_but_follows_twice_a_second(took):
    whole = took + rest_s(took)
    assert whole <= 0.5
    assert took <= 0.1001 * whole or whole > 0.45


def test_light_that_takes_longer_than_that_does_not_rest():
    assert rest_s(0.6) == 0.0
