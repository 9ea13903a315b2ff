"""Zones at the desk: put, sized, said where they count, undone; the picture follows the camera into them."""

from dataclasses import replace

import numpy as np
import pytest
from PyQt6.QtCore import QPointF

from wallum.desk.viewport.zone_view import ZONES
from wallum.document.sources import ZoneSource


@pytest.fixture
def zone(window):
    """A zone put on the floor, and selected."""
    window.pointer.put_zone(QPointF(window.picture.width() * 0.5, window.picture.height() * 0.8))
    result = window.session.selection.source
    assert isinstance(result, ZoneSource)
    return result


def test_a_zone_is_put_pulled_by_its_sides_and_undone(window, zone):
    session = window.session
    assert {"side"} <= {item.kind for item in window.picture.handles()}
    handle = next(item for item in window.picture.handles() if item.kind == "side" and item.number == 1)
    grip = window.picture._take(handle.at)
    grip.drag(handle.at + QPointF(30.0, 0.0))
    grip.let_go()
    assert session.project.source(zone.id).size != zone.size
    session.undo()
    session.undo()
    assert session.project.source(zone.id) is None


def test_its_values_are_few_at_once_and_those_of_lamps_are_not_among_them(window, zone):
    names = [row.name for row in window.tune.pane.rows]
    assert names[:8] == ["on", "shape", "size", "blend", "rank", "exposure", "air", "sky"]
    assert not {"kelvin", "trim", "in_air", "baked"} & set(names)
    assert zone.id not in [strip.source.id for strip in window.balance._strips if strip.source is not None]


def test_the_pane_says_which_zone_has_a_say_and_in_which_values(window, zone):
    session = window.session
    x, y, z = zone.position
    session.set_values("all of it", zone.id, {"exposure": 1.5, "with_grade": True, "saturation": 0.3})
    window.tune.show_group("look")
    window.picture.look_through(replace(window.picture.camera, eye=(x, y, z)))
    window.tune.refresh()
    assert f"{zone.name} 100%" in window.tune.look.zones.text()
    marked = {row.name for row in window.tune.pane.rows if zone.name in row.label.toolTip()}
    assert {"saturation", "contrast", "compensation"} <= marked
    assert "vignette" not in marked
    window.picture.look_through(replace(window.picture.camera, eye=(x + 90.0, y, z)))
    window.tune.refresh()
    assert window.tune.look.zones.isHidden()
    assert not [row for row in window.tune.pane.rows if zone.name in row.label.toolTip()]


def test_the_picture_has_the_zone_where_the_camera_is_in_it(qtbot, window, zone):
    looks = []
    window.link.frame_came.connect(lambda frame, image: looks.append(frame.look))
    x, y, z = zone.position
    window.session.set_values("warm", zone.id, {"with_white": True, "neutral_kelvin": 3000.0})
    window.picture.look_through(replace(window.picture.camera, eye=(x, y, z)))
    whole = pytest.approx(3000.0)
    qtbot.waitUntil(lambda: (bool(looks) and (looks[-1].white or (0.0,))[0]) == whole, timeout=60_000)
    window.picture.look_through(replace(window.picture.camera, eye=(x, y + 90.0, z)))
    qtbot.waitUntil(lambda: looks[-1].white is None, timeout=60_000)


def test_the_view_of_zones_tints_what_lies_in_them(window, zone):
    window.views.setCurrentText(ZONES)
    assert window.picture.view == "final"
    image = window.view_controller.zones._tinted(window.view_controller.zones.zones)
    tinted = [
        image.pixelColor(x, y).alpha() > 20
        for x in range(0, image.width(), 4)
        for y in range(0, image.height(), 4)
    ]
    assert 0.02 < np.mean(tinted) < 1.0
    window.picture.grab()
    window.view_controller.plain()


def test_a_look_is_copied_from_a_zone_to_the_picture_and_back(window, zone):
    session, head = window.session, window.tune.look
    session.set_values("warm", zone.id, {"with_white": True, "neutral_kelvin": 3400.0, "contrast": 1.4})
    window.act["copy_look"].trigger()
    session.selection.select("")
    window.act["paste_look"].trigger()
    assert session.project.look.neutral_kelvin == 3400.0
    assert session.project.look.contrast == 1.0  # which the zone has no say in
    head.take_own("Soot and brass")
    window.act["copy_look"].trigger()
    session.selection.select(zone.id)
    window.act["paste_look"].trigger()
    pasted = session.project.source(zone.id)
    assert {"with_grade", "with_ranges", "with_grain", "with_lens", "with_bloom"} <= set(pasted.effects)
    assert pasted.grain == session.project.look.grain
    session.undo()
    assert session.project.source(zone.id).effects == ("with_white",)
