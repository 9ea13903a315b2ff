"""A level of many triangles is drawn before its rays are there; what needs them waits, and then has them."""

import threading

import pytest
from desk_frames import frames, wait_frame

from wallum.desk.jobs import loading
from wallum.level.model.generated_sheets import grove, write_level


@pytest.fixture
def held_rays(monkeypatch):
    """Rays of large levels grow only once they are let."""
    let, ready = threading.Event(), loading._ready
    monkeypatch.setattr(loading, "DRAWN_FIRST", 2000)

    def held(level, triangles):
        if len(triangles.faces) >= 2000:
            assert let.wait(20.0)
        return ready(level, triangles)

    monkeypatch.setattr(loading, "_ready", held)
    yield let
    let.set()


def test_the_picture_comes_before_the_rays(window, qtbot, tmp_path, held_rays):
    path = write_level(grove(30, 100), tmp_path / "grove.glb")
    seen = frames(window)
    assert window.open_reference(str(path))
    qtbot.waitUntil(lambda: window.session.project.level.endswith("grove.glb"), timeout=120_000)
    wait_frame(qtbot, window, seen)
    loaded = window.session.level
    assert loaded is not None
    assert not loaded.whole
    assert window.picture.surface_at(window.picture.rect().center().toPointF()) is None
    messages = []
    window.session.told.connect(messages.append)
    window.checks.begin()
    assert "made ready" in messages[-1]
    assert window.background.at_rest  # no probes without rays
    held_rays.set()
    qtbot.waitUntil(lambda: window.session.level is not None and window.session.level.whole, timeout=120_000)
    assert window.session.level.block is loaded.block
    assert window.session.level.plain is loaded.plain
    qtbot.waitUntil(lambda: not window.background.at_rest, timeout=5_000)


def test_a_level_left_before_its_rays_came_is_not_taken_up_again(
    window, qtbot, tmp_path, held_rays, room_file
):
    path = write_level(grove(30, 100), tmp_path / "grove.glb")
    assert window.open_reference(str(path))
    qtbot.waitUntil(lambda: window.session.project.level.endswith("grove.glb"), timeout=120_000)
    assert window.open_reference(str(room_file))
    qtbot.waitUntil(lambda: window.session.level is not None and window.session.level.whole, timeout=120_000)
    held_rays.set()
    qtbot.wait(500)
    assert window.session.level.plain.name == "room"
    assert window.session.level.whole
