"""Shots in the real window: kept, named, ordered, removed, looked through, pictured."""

import pytest
from desk_frames import wait_light
from PyQt6.QtCore import Qt
from PyQt6.QtTest import QTest

from wallum.moment.camera import Camera


def names(window):
    return [shot.name for shot in window.session.project.shots]


def listed(window):
    return [window.shots.item(row).text() for row in range(window.shots.count())]


def test_a_camera_is_kept_as_a_shot_and_looked_through_again(window):
    here = Camera((0.5, 1.2, 2.0), (0.0, 0.0, -1.0), 40.0, far=50.0)
    window.shot_navigation.look_from(here)
    before = names(window)
    window.act["shot"].trigger()
    assert names(window) == [*before, "Shot 1"]
    assert listed(window) == names(window)
    assert window.session.history.undo_label == "keep Shot 1"
    window.shot_navigation.look_from(Camera((0.0, 1.0, 3.0), (1.0, 0.0, 0.0), 70.0, far=50.0))
    window.shots.chosen.emit(window.session.project.shots[-1].id)
    assert window.picture.camera.eye == here.eye
    assert window.picture.camera.fov == 40.0
    window.act["shot"].trigger()
    assert names(window)[-1] == "Shot 2"
    window.session.undo()
    assert listed(window) == [*before, "Shot 1"]


def test_a_shot_is_renamed_ordered_and_removed(window):
    first = window.session.project.shots[0]
    window.shots.item(0).setText("Arrival")
    assert names(window)[0] == "Arrival"
    window.shots.item(0).setText("   ")
    assert listed(window)[0] == "Arrival"
    window.shots.setCurrentRow(0)
    QTest.keyClick(window.shots, Qt.Key.Key_Down, Qt.KeyboardModifier.ControlModifier)
    assert names(window)[1] == "Arrival"
    assert window.shots.currentItem().text() == "Arrival"
    QTest.keyClick(window.shots, Qt.Key.Key_Up, Qt.KeyboardModifier.ControlModifier)
    QTest.keyClick(window.shots, Qt.Key.Key_Up, Qt.KeyboardModifier.ControlModifier)  # already first
    assert names(window)[0] == "Arrival"
    count = len(names(window))
    QTest.keyClick(window.shots, Qt.Key.Key_Delete)
    assert len(names(window)) == count - 1
    window.session.undo()
    assert window.session.project.shots[0].id == first.id


def test_each_shot_shows_how_it_looks_and_follows_the_light(qtbot, window):
    came = {}
    window.link.thumb_came.connect(lambda name, image: came.update({name: image}))
    shots = window.session.project.shots
    qtbot.waitUntil(lambda: set(came) == {shot.id for shot in shots}, timeout=120_000)
    bright = came[shots[0].id]
    assert (bright.width(), bright.height()) == (88, 50)
    level = sum(bright.pixelColor(x, 25).lightness() for x in range(0, 88, 4))
    came.clear()
    window.session.set_value("dark", "balance/lamps", -8.0)
    window.session.set_value("darker", "balance/accents", -8.0)
    qtbot.waitUntil(lambda: set(came) == {shot.id for shot in shots}, timeout=120_000)
    darker = came[shots[0].id]
    assert sum(darker.pixelColor(x, 25).lightness() for x in range(0, 88, 4)) < 0.7 * level


@pytest.mark.parametrize("times", [3])
def test_thumbs_do_not_change_the_picture(qtbot, window, times):
    """Cameras take turns at the same lamps' shadows: the picture stays what it is."""
    frames, images = [], []
    window.link.frame_came.connect(lambda f, image: (frames.append(f), images.append(image.copy())))
    pictures, client = [], window.link.client
    wait_light(qtbot, window)  # none of before

    def drawn_from(number):
        """The first unsettled picture from one on."""
        pairs = zip(frames, images, strict=True)
        whole = (pair for pair in pairs if pair[0].settled == 0 and pair[0].detail == "full")
        return next((image for frame, image in whole if frame.number >= number), None)

    def drawn_after(edit):
        before = client.latest_number
        edit()
        qtbot.waitUntil(lambda: client.latest_number > before, timeout=120_000)
        number = client.latest_number
        qtbot.waitUntil(lambda: drawn_from(number) is not None, timeout=60_000)
        return drawn_from(number)

    for _ in range(times):
        # Between is another light, so that the picture is drawn and not shown as it has settled.
        drawn_after(lambda: window.session.set_value("darker", "balance/accents", -8.0))
        number = client.latest_number
        qtbot.waitUntil(
            lambda n=number: any(frame.settled > 0 and frame.number >= n for frame in frames), timeout=120_000
        )
        window.at_rest._thumbs_of = (None, None, None)
        pictures.append(drawn_after(window.session.undo))
        qtbot.wait(900)
    assert all(picture == pictures[0] for picture in pictures[1:])
