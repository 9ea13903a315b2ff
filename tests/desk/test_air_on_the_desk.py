"""The air at the desk: its layers, its profile, and pockets put and pulled in the picture."""

import numpy as np
import pytest
from PyQt6.QtCore import QPointF

from wallum.desk.viewport.pocket_shape import SideGrip
from wallum.document.air import Air


def test_the_air_has_its_layers_and_a_profile(window):
    window.session.set_all("fog", {"air/on": True, "air/visibility": 400.0, "mist/visibility": 50.0})
    window.tune.show_group("air")
    head = window.tune._air
    assert head.isVisible()
    assert "1 km" not in head.profile.told()
    assert "400 m" in head.profile.told()
    head._layers["mist"].click()
    assert window.tune._group == "mist"
    window.session.set_value("mist", "mist/on", True)
    # Both are thick at the ground: extinctions add.
    assert f"{1.0 / (1.0 / 400.0 + 1.0 / 50.0):.0f} m" in head.profile.told()
    window.tune.show_group("look")
    assert not head.isVisible()


def test_a_layer_is_brought_to_the_ground_in_one_step(window):
    window.session.set_all("fog", {"mist/on": True, "mist/base_height": 90.0})
    window.tune.show_group("mist")
    window.tune._air.to_ground()
    low = float(window.session.level.bounds[0, 1])
    assert window.session.now.mist.base_height == pytest.approx(low, abs=0.01)
    window.session.undo()
    assert window.session.now.mist.base_height == 90.0


def test_all_white_is_one_step(window):
    window.session.set_all("smoke", {"air/on": True, "air/colour": (0.9, 0.5, 0.2), "air/absorption": 2.0})
    window.tune.show_group("air")
    window.tune._air.all_white()
    assert window.session.now.air.colour == (1.0, 1.0, 1.0)
    assert window.session.now.air.absorption == 0.0
    window.session.undo()
    assert window.session.now.air != Air()


def test_a_pocket_is_put_pulled_and_taken_back(window, qtbot):
    picture = window.picture
    window.pointer.put_pocket(QPointF(picture.width() * 0.5, picture.height() * 0.75))
    pocket = window.session.selection.source
    assert pocket.kind == "pocket"
    low = pocket.position[1] - 0.5 * pocket.size[1]
    assert low == pytest.approx(0.0, abs=0.05)
    sides = [handle for handle in picture.handles() if handle.kind == "side"]
    assert sides
    top = next(side for side in sides if side.number == 3)  # up
    grip = SideGrip(window.session, pocket, top.number, top.at, picture._single_ray)
    messages = grip.drag(top.at - QPointF(0.0, 30.0))
    grip.let_go()
    assert "m" in messages
    pulled = window.session.now.source(pocket.id)
    assert pulled.size[1] > pocket.size[1]
    # The side on the ground stays there.
    assert pulled.position[1] - 0.5 * pulled.size[1] == pytest.approx(low, abs=0.01)
    window.session.undo()
    assert window.session.now.source(pocket.id).size == pocket.size
    window.session.undo()
    assert window.session.now.source(pocket.id) is None


def test_a_pocket_without_size_is_refused_in_one_sentence(window):
    window.pointer.put_pocket(QPointF(window.picture.width() * 0.5, window.picture.height() * 0.75))
    pocket = window.session.selection.source
    messages = []
    window.session.failed.connect(messages.append)
    assert not window.session.set_value("flat", f"sources/@{pocket.id}/size", (3.0, 0.0, 3.0))
    assert "0.05 m" in messages[-1]
    assert window.session.now.source(pocket.id) == pocket


def test_the_meter_says_how_much_contrast_is_left(window):
    messages = []
    window.session.told.connect(messages.append)
    at = QPointF(window.picture.width() * 0.5, window.picture.height() * 0.75)
    window.tools.meter(at)
    assert "contrast" not in messages[-1]
    window.session.set_all("fog", {"air/on": True, "air/visibility": 40.0, "air/base_height": 50.0})
    window.tools.meter(at)
    surface = window.picture.surface_at(at)
    away = float(np.linalg.norm(surface[0] - np.array(window.session.camera.eye)))
    assert f"{np.exp(-3.912 / 40.0 * away):.0%} of contrast" in messages[-1]


def test_pockets_are_listed_with_the_layers_and_chosen_there(window):
    window.pointer.put_pocket(QPointF(window.picture.width() * 0.5, window.picture.height() * 0.75))
    pocket = window.session.selection.source
    window.session.selection.select("")
    window.tune.show_group("air")
    places = window.tune._air.places
    assert [places.itemText(n) for n in range(places.count())] == [
        "Pockets, cards and veils (1)",
        pocket.name,
    ]
    places.activated.emit(1)
    assert window.session.selection.lead == pocket.id
    window.session.set_value("off", f"sources/@{pocket.id}/on", False)
    window.session.selection.select("")
    window.tune.show_group("air")
    assert places.itemText(1) == f"{pocket.name}, off"
