"""A real window; its level is opened at once, its renderer is a real process."""

import pytest
from PyQt6.QtCore import QCoreApplication

from wallum.desk.shell.app import application
from wallum.desk.shell.window import DeskWindow
from wallum.document.storage import save
from wallum.exchange.gltf_export import export_gltf
from wallum.level.demos.pale_room import pale_room, pale_room_project


@pytest.fixture(scope="session")
def qapp():
    return application()


@pytest.fixture
def room_file(tmp_path):
    """A project file on a level file, both of the pale room."""
    level = tmp_path / "room.glb"
    project = pale_room_project()
    export_gltf(project.revised(sources=(), shots=()), pale_room(), level)
    file = tmp_path / "room.wallum"
    save(project.revised(level="room.glb"), file)
    return file


@pytest.fixture
def window(qtbot, room_file):
    desk_window = DeskWindow()
    desk_window.resize(900, 560)
    desk_window.show()
    assert desk_window.open_reference(str(room_file))
    qtbot.waitUntil(lambda: desk_window.session.level is not None, timeout=120_000)
    yield desk_window
    desk_window.session.history.mark_saved(desk_window.session.history.present)
    desk_window.close()
    desk_window.deleteLater()
    QCoreApplication.processEvents()
