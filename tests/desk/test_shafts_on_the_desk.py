"""Cards, veils and the three ways of shafts at the desk; the base of the air in the picture."""

import numpy as np
import pytest
from PyQt6.QtCore import QPointF
from PyQt6.QtGui import QColor, QImage

from wallum.desk.panes.lists import source_icon
from wallum.desk.viewport.pixels import pixels_of
from wallum.desk.viewport.pocket_shape import outline_of
from wallum.document.sources import CardSource, PocketSource, VeilSource


def _at(window, x, y):
    return QPointF(window.picture.width() * x, window.picture.height() * y)


def _lamp(window, kind="spot"):
    window.pointer.put_at(kind, _at(window, 0.5, 0.7))
    return window.session.selection.source


def _said(window):
    messages = []
    window.session.told.connect(messages.append)
    return messages


def test_a_card_is_fitted_to_a_spot_and_follows_it(window):
    spot = _lamp(window)
    window.pointer.shafts.put_card(_at(window, 0.5, 0.5))
    card = window.session.selection.source
    assert (card.kind, card.of, card.shape) == ("card", spot.id, "beam")
    # Down to the floor, which it fades before.
    assert card.length == pytest.approx(
        np.linalg.norm(np.array(spot.position) - [spot.position[0], 0.0, spot.position[2]]) / 0.85, rel=0.5
    )
    now, moment = window.session.project, window.session.playhead.moment
    lines = outline_of(card, now, moment)
    assert len(lines) == card.sheets
    moved = window.session.set_value("move", f"sources/@{spot.id}/position", (0.5, 3.0, 0.5))
    assert moved
    again = outline_of(card, window.session.project, moment)
    assert not np.allclose(lines[0], again[0])
    window.session.undo()
    window.session.undo()
    assert window.session.now.source(card.id) is None


def test_lamps_that_shine_all_around_have_no_card(window):
    _lamp(window, "point")
    messages = _said(window)
    window.pointer.shafts.put_card(_at(window, 0.5, 0.5))
    assert "shines all around" in messages[-1]
    assert all(source.kind != "card" for source in window.session.now.sources)


def test_where_there_is_no_opening_it_is_said(window):
    window.session.selection.select("")
    messages = _said(window)
    window.pointer.shafts.put_card(_at(window, 0.5, 0.95))
    assert "opening" in messages[-1]


def test_a_veil_is_put_and_sized_in_the_picture(window):
    window.pointer.shafts.put_veil(_at(window, 0.5, 0.75))
    veil = window.session.selection.source
    assert veil.kind == "veil"
    assert 0.02 <= veil.lit <= 1.0
    # It faces the camera.
    eye = np.array(window.session.camera.eye) - veil.position
    turn = np.radians(veil.turn)
    facing = np.array([-np.sin(turn), 0.0, np.cos(turn)])
    flat = eye * [1.0, 0.0, 1.0]
    assert float(facing @ flat / np.linalg.norm(flat)) > 0.99
    assert sum(handle.kind == "side" for handle in window.picture.handles()) >= 4
    messages = []
    window.session.failed.connect(messages.append)
    assert not window.session.set_value("flat", f"sources/@{veil.id}/size", (0.0, 1.0, 1.0))
    assert "0.05 m" in messages[-1]


def test_true_shafts_become_cards_and_true_again_each_in_one_step(window):
    window.session.set_all("fog", {"air/on": True, "air/visibility": 60.0})
    spot = _lamp(window)
    shafts = window.pointer.shafts
    before = window.session.now
    assert shafts.turn_into_card(_at(window, 0.5, 0.5))
    assert window.session.now.source(spot.id).in_air == 0.0
    assert window.session.selection.source.kind == "card"
    assert shafts.turn_into("true")
    assert window.session.now.sources == before.sources
    window.session.undo()
    window.session.undo()
    assert window.session.now.sources == before.sources
    messages = _said(window)
    assert not shafts.turn_into("screen")
    assert "only sun and moon" in messages[-1]


def test_without_a_source_nothing_is_turned(window):
    window.session.selection.select("sky")
    messages = _said(window)
    assert not window.pointer.shafts.turn_into("true")
    assert "Select the lamp" in messages[-1]


def test_three_ways_beside_each_other_with_their_price(window, qtbot):
    window.session.set_all("fog", {"air/on": True, "air/visibility": 60.0, "air/base_height": 50.0})
    spot = _lamp(window)
    ways = window.comparison.ways
    window.act["three_ways"].trigger()
    assert ways.shown
    assert window.state.shown == "ways"

    def measured():
        assert len(ways.found) == 3
        assert set(ways.images) == {"true", "card"}
        assert ways.found["true"].off is not None

    qtbot.waitUntil(lambda: _passes(measured), timeout=120_000)
    assert "ms on" in ways.words("card")[1]
    assert ways.words("screen")[1] == "only sun and moon have screen shafts"
    assert 0.0 < ways.found["card"].gain < 20.0
    # A line is dragged, and the strips go with it.
    line = _at(window, ways.places[0], 0.5)
    assert ways.take(line) is ways
    ways.drag(_at(window, 0.2, 0.5))
    assert ways.places[0] == pytest.approx(0.2, abs=0.01)
    ways.drag(_at(window, 0.99, 0.5))
    assert ways.places[0] < ways.places[1]
    ways._buttons["card"].click()
    assert not ways.shown
    assert window.state.shown == ""
    assert window.session.now.source(spot.id).in_air == 0.0


def test_escape_leads_back_from_the_three_ways(window):
    _lamp(window)
    window.act["three_ways"].trigger()
    assert window.comparison.ways.shown
    window.shot_navigation.go_back()
    assert not window.comparison.ways.shown
    window.act["three_ways"].trigger()
    window.act["three_ways"].trigger()
    assert not window.comparison.ways.shown


def test_the_base_of_a_layer_is_dragged_at_a_mark(window):
    window.session.set_all("fog", {"air/on": True, "air/base_height": 1.0})
    window.session.selection.select("")
    window.tune.show_group("air")
    mark = window.base_mark
    place = mark.place()
    assert place is not None
    assert mark.take(place + QPointF(0.0, 40.0)) is None
    grip = mark.take(place)
    messages = grip.drag(place - QPointF(0.0, 25.0))
    grip.let_go()
    raised = window.session.now.air.base_height
    assert raised > 1.0
    assert f"{raised:g}" in messages
    window.session.undo()
    assert window.session.now.air.base_height == 1.0
    window.tune.show_group("look")
    assert mark.place() is None


def test_a_pocket_alone_is_what_it_adds(window):
    window.pointer.put_pocket(_at(window, 0.5, 0.75))
    pocket = window.session.selection.lead
    asked = []
    window.link.show = lambda *args: asked.append(args)
    window.chosen.see_only()
    scene, view = asked[-1][0], asked[-1][-2]
    assert view == "air"
    assert [item.id for item in scene.air.pockets] == [pocket]
    assert scene.lamps.ids  # what lights it stays


def test_each_has_a_diagram_of_its_own():
    sources = CardSource(id="c", name="Card"), VeilSource(id="v", name="Veil"), PocketSource(id="p", name="P")
    drawn = [pixels_of(source_icon(source).pixmap(18, 18).toImage()) for source in sources]
    assert all(item.any() for item in drawn)
    assert not np.array_equal(drawn[0], drawn[1])
    assert not np.array_equal(drawn[1], drawn[2])


def test_pixels_are_those_of_the_picture():
    image = QImage(5, 3, QImage.Format.Format_RGB32)
    image.fill(QColor(10, 20, 30))
    image.setPixelColor(4, 2, QColor(200, 100, 50))
    pixels = pixels_of(image)
    assert pixels.shape == (3, 5, 3)
    assert pixels[0, 0].tolist() == [10, 20, 30]
    assert pixels[2, 4].tolist() == [200, 100, 50]


def _passes(check):
    try:
        check()
    except AssertionError:
        return False
    return True
