"""Grade, curve and table in the tune pane, and in the picture."""

import numpy as np
from desk_frames import wait_light

from wallum.desk.jobs.picture_file import PictureFileButton
from wallum.desk.widgets.number_field import NumberField


def _lightness(image):
    across, down = range(0, image.width(), 40), range(0, image.height(), 40)
    return np.mean([image.pixelColor(x, y).lightness() for x in across for y in down])


def test_a_table_is_read_beside_the_desk_and_a_broken_one_changes_nothing(qtbot, window, tmp_path):
    session, images = window.session, []
    before = _lightness(wait_light(qtbot, window))
    window.link.frame_came.connect(lambda frame, image: images.append(_lightness(image)))
    window.tune.show_group("look")
    buttons = window.tune.findChildren(PictureFileButton)
    button = next(item for item in buttons if item.accessibleName() == "Table")
    broken = tmp_path / "broken.cube"
    broken.write_text("LUT_3D_SIZE 2\n0 0 0\n")
    with qtbot.waitSignal(session.failed, timeout=120_000) as text:
        button.read(str(broken))
    assert "1 colours" in text.args[0]
    assert session.project.look.table == ""
    dark = tmp_path / "dark.cube"
    dark.write_text("LUT_1D_SIZE 2\n0 0 0\n0.3 0.3 0.3\n")
    images.clear()
    button.read(str(dark))
    qtbot.waitUntil(lambda: session.project.look.table == str(dark), timeout=120_000)
    qtbot.waitUntil(lambda: bool(images) and images[-1] < 0.4 * before, timeout=120_000)
    session.undo()
    assert session.project.look.table == ""
    qtbot.waitUntil(lambda: images[-1] > 0.9 * before, timeout=120_000)


def test_channels_are_named_by_their_colours(window):
    window.tune.show_group("look")
    fields = window.tune.findChildren(NumberField)
    named = {field.accessibleName() for field in fields}
    assert {"Slope R", "Slope G", "Slope B"} <= named
