"""Pictures are asked for no oftener than they can be drawn, and the last move is always seen."""

import os
import signal

from desk_frames import frames
from PyQt6.QtWidgets import QApplication

from wallum.desk.jobs.render_link import REST_MS
from wallum.document.air import Air
from wallum.document.owners import OWNERS
from wallum.document.project import Figure, Setting, base_light
from wallum.document.sources import LAMP_KINDS
from wallum.document.targets import Target
from wallum.moment.camera import Camera
from wallum_dev.tours.tour import wait_for


def counted(monkeypatch):
    """How often a scene was evaluated for a picture."""
    from wallum.desk.viewport import frame_scheduler as asking

    calls, real = [], asking.picture_scene

    def picture_scene(project, moment, camera, size):
        calls.append(moment.clock)
        return real(project, moment, camera, size)

    monkeypatch.setattr(asking, "picture_scene", picture_scene)
    return calls


def at_peace(window):
    wait_for(lambda: not window.link.client.busy, "the picture before")


def test_of_many_moves_only_those_are_evaluated_that_can_be_drawn(window, monkeypatch):
    at_peace(window)
    calls = counted(monkeypatch)
    for step in range(200):
        window.session.playhead.scrub(8.0 + 0.01 * step)
    assert len(calls) == 2  # one that is drawn, one that waits
    assert calls[0] == 8.0


def test_the_last_of_many_moves_is_shown(window, monkeypatch):
    at_peace(window)
    calls = counted(monkeypatch)
    for step in range(50):
        window.session.playhead.scrub(8.0 + 0.01 * step)
    wait_for(lambda: bool(calls) and calls[-1] == window.session.playhead.hour, "the last hour's picture")
    number = window.link.client.latest_number
    shown = []
    window.picture.painted.connect(lambda frame: shown.append(frame.number) if frame else None)
    window.picture.update()
    wait_for(lambda: bool(shown) and shown[-1] >= number, "its painting")
    assert calls[-1] == 8.0 + 0.01 * 49


def test_a_hand_that_rests_is_never_held_back(window, monkeypatch):
    at_peace(window)
    calls = counted(monkeypatch)
    for step in range(5):
        window.session.playhead.rest_at(9.0 + step)
    assert calls == [9.0, 10.0, 11.0, 12.0, 13.0]


def test_camera_moves_are_held_back_alike_and_end_where_the_hand_ended(window):
    at_peace(window)
    before = window.link.client.latest_number
    for step in range(30):
        window.picture._move(Camera((0.0, 1.5, 3.0 - 0.02 * step), (0.0, 0.0, -1.0)))
    assert window.link.client.latest_number - before == 2
    wait_for(lambda: window.link.client.latest_number - before > 2, "the camera where it ended")
    assert window.session.camera.eye[2] == 3.0 - 0.02 * 29


def test_panes_are_built_when_they_are_shown_or_in_idle_moments(window):
    tune = window.tune
    tune._unbuilt.stop()
    for group in ("air", "setting", "target", "figure"):
        tune.show_group(group)
        assert tune.pane.rows
    assert {Air, Setting, Target, Figure} <= set(tune._panes)
    tune.build_ahead()
    wait_for(lambda: not tune._unbuilt.isActive(), "all panes")
    QApplication.processEvents()
    kinds = len(base_light()) + len(LAMP_KINDS) + 5  # and pockets, rooms, zones, cards and veils
    assert len(tune._panes) == sum(bool(owner.tab) for owner in OWNERS.values()) + kinds
    shown = tune.pane
    window.session.selection.select("sun")
    tune.show_group("figure")
    assert tune.pane is shown


def test_a_hand_rests_once_it_has_seen_its_answer(window, qtbot):
    """Pictures that take as long as a rest must not make one: a whole picture would come between two moves."""
    frames(window)
    qtbot.waitUntil(lambda: not window.link.client.busy, timeout=20_000)
    rest, left = window.link._rest, []
    window.link.frame_came.connect(lambda frame, _: left.append(rest.remainingTime()))
    os.kill(window.link.client.pid, signal.SIGSTOP)
    try:
        window.ask_picture(moving=True)
        qtbot.wait(int(1.8 * REST_MS))
        left.clear()
    finally:
        os.kill(window.link.client.pid, signal.SIGCONT)
    qtbot.waitUntil(lambda: bool(left), timeout=20_000)
    assert left[0] > 0.7 * REST_MS


def test_light_that_comes_while_the_hour_moves_asks_for_no_whole_picture(window, monkeypatch):
    at_peace(window)
    asked, show = [], window.link.show
    monkeypatch.setattr(window.link, "show", lambda *words: asked.append(words[4]) or show(*words))
    window.session.playhead.scrub(9.0)
    at_peace(window)
    window.ask_picture()  # as whatever does that finds light from surfaces
    # On a busy machine light may come more than once.
    assert len(asked) >= 2
    assert all(asked)
    at_peace(window)
    window.session.playhead.rest_at(9.0)
    assert all(asked[:-1])
    assert asked[-1] is False
