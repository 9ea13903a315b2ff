"""Rooms of the artist's own, put and pulled in the picture."""

import numpy as np
import pytest
from desk_frames import wait_light
from PyQt6.QtCore import QPointF

from wallum.desk.viewport.pocket_shape import SideGrip, outline_of, side_handles
from wallum.document.stripping import light_givers, stripped
from wallum.document.variants import kept
from wallum.moment.evaluate import evaluate


@pytest.fixture
def room(window):
    picture = window.picture
    window.pointer.put_room(QPointF(picture.width() * 0.5, picture.height() * 0.8))
    return window.session.selection.source


def test_a_room_is_put_on_the_floor_pulled_at_a_side_and_taken_back(window, room):
    """It reaches a little below the floor, so that this lies within it."""
    session, picture = window.session, window.picture
    assert (room.kind, room.name) == ("room", "Room 1")
    assert room.position[1] - 0.5 * room.size[1] == pytest.approx(-0.05, abs=0.02)
    camera = picture.camera_as_shown
    assert len(outline_of(room, session.project, session.playhead.moment)) == 12
    handles = side_handles(room, camera, picture.width(), picture.height())
    number = next(handle.number for handle in handles)
    grip = SideGrip(session, room, number, QPointF(100.0, 100.0), picture._single_ray)
    grip.drag(QPointF(160.0, 100.0))
    grip.let_go()
    pulled = session.project.source(room.id)
    assert pulled.size != room.size
    session.undo()
    assert session.project.source(room.id).size == room.size
    session.undo()
    assert session.project.source(room.id) is None


def test_it_lights_the_scene_is_kept_in_variants_and_goes_with_the_dark(window, room):
    session = window.session
    session.set_values("strength", room.id, {"ambient": 250.0})
    project = session.project
    assert room.id in light_givers(project)
    dark = stripped(project, [room.id])
    assert not dark.source(room.id).on
    (lit,) = evaluate(project).rooms
    assert np.dot(lit.light, [0.2126, 0.7152, 0.0722]) == pytest.approx(250.0, rel=1e-3)
    assert not evaluate(dark).rooms
    with_variant = kept(project, "Dim")
    assert with_variant.variants[-1].sources[-1].ambient == 250.0


def test_where_there_is_no_surface_none_is_put(window, monkeypatch):
    monkeypatch.setattr(window.picture, "surface_at", lambda _: None)
    messages = []
    window.session.told.connect(messages.append)
    before = window.session.project
    window.pointer.put_room(QPointF(-500.0, -500.0))
    assert window.session.project is before
    assert "no surface" in messages[-1]


def test_probes_lie_closer_in_it_once_it_says_so_and_light_stays_until_they_do(qtbot, window, room):
    """What was known stays in the picture, and follows the light, until the new is whole."""
    background, session = window.background, window.session
    session.set_values("dark", room.id, {"ambient": 0.0})
    lit = _lightness(wait_light(qtbot, window))
    assert lit > 20.0
    first, images = background.bounce, []
    window.link.frame_came.connect(lambda frame, image: images.append(_lightness(image)))
    session.set_values("closer", room.id, {"probes": "closer"})
    assert not background.at_rest
    qtbot.waitUntil(lambda: background.bounce is not first and background.at_rest, timeout=120_000)
    assert len(background.bounce.made.probes.parts) > 0
    assert len(background.bounce.made.probes) > len(first.made.probes)
    assert background.bounce.stale(evaluate(session.project)) == []
    window.ask_picture()
    qtbot.waitUntil(lambda: len(images) > 1, timeout=120_000)
    assert min(images) > 0.9 * lit
    session.undo()
    qtbot.waitUntil(lambda: len(background.bounce.made.probes.parts) == 0, timeout=120_000)
    assert np.array_equal(background.bounce.made.probes.cells, first.made.probes.cells)


def _lightness(image):
    size = image.width(), image.height()
    return np.mean(
        [image.pixelColor(x, y).lightness() for x in range(0, size[0], 40) for y in range(0, size[1], 40)]
    )
