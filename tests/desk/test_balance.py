"""The balance in the real window, both ways."""

import pytest
from PyQt6.QtCore import QPoint, Qt
from PyQt6.QtTest import QTest

from wallum.desk.panes.balance import RANGE_STOPS, TRACK_BOTTOM, TRACK_TOP
from wallum.document.project import base_light
from wallum.document.sources import PointSource

LEFT, PLAIN = Qt.MouseButton.LeftButton, Qt.KeyboardModifier.NoModifier
PER_STOP = (TRACK_BOTTOM - TRACK_TOP) / (2 * RANGE_STOPS)


def at(balance, key, y):
    return QPoint(round(balance.centre_of(balance.strip_of(key))), round(y))


def drag(balance, key, stops):
    start = at(balance, key, balance.y_of(0.0))
    QTest.mousePress(balance, LEFT, PLAIN, start)
    for part in (0.5, 1.0):
        QTest.mouseMove(balance, start - QPoint(0, round(stops * part * PER_STOP)))
    QTest.mouseRelease(balance, LEFT, PLAIN, start - QPoint(0, round(stops * PER_STOP)))


def test_there_is_a_strip_for_each_source_under_its_group(window):
    strips = window.balance.strips()
    sources = [strip.source.id for strip in strips if strip.source is not None]
    assert sorted(sources) == sorted(source.id for source in window.session.project.sources)
    groups = [strip.group for strip in strips if strip.source is None]
    assert groups == ["base", "lamps", "accents", "glow"]
    window.session.add_lamp("point", (0.0, 0.0, 0.0), (0.0, 1.0, 0.0))
    assert len(window.balance.strips()) == len(strips) + 1


def test_a_fader_drag_is_one_step_in_stops(window):
    balance = window.balance
    drag(balance, "spot", 3.0)
    spot = window.session.project.source("spot")
    assert spot.trim == pytest.approx(3.0, abs=0.25)
    assert window.session.history.undo_label == "Block Spot, trim"
    assert window.session.selection.lead == "spot"
    window.session.undo()
    assert window.session.project.source("spot").trim == 0.0
    window.session.set_value("by hand", "sources/@spot/trim", -2.0)
    assert balance.trim_of(balance.strip_of("spot")) == -2.0


def test_a_group_trims_all_of_it(window):
    drag(window.balance, "group lamps", -2.0)
    assert window.session.project.balance.lamps == pytest.approx(-2.0, abs=0.25)
    assert window.session.history.undo_label == "Lamps, trim"


def test_escape_gives_a_fader_back(window):
    balance = window.balance
    start = at(balance, "spot", balance.y_of(0.0))
    QTest.mousePress(balance, LEFT, PLAIN, start)
    QTest.mouseMove(balance, start - QPoint(0, 20))
    assert window.session.project.source("spot").trim > 1.0
    balance.setFocus()
    QTest.keyClick(balance, Qt.Key.Key_Escape)
    QTest.mouseRelease(balance, LEFT, PLAIN, start)
    assert window.session.project.source("spot").trim == 0.0
    assert window.session.history.undo_label == ""


def test_lamps_switch_and_one_is_seen_alone(qtbot, window):
    balance, came = window.balance, []
    window.link.frame_came.connect(lambda frame, _: came.append(frame))
    lamp = at(balance, "spot", 11.0) - QPoint(9, 0)
    QTest.mouseClick(balance, LEFT, PLAIN, lamp)
    assert not window.session.project.source("spot").on
    QTest.mouseClick(balance, LEFT, PLAIN, lamp)
    assert window.session.project.source("spot").on
    ring = at(balance, "spot", 11.0) + QPoint(10, 0)
    steps = len(window.session.history._done)
    QTest.mouseClick(balance, LEFT, PLAIN, ring)
    assert balance.only == "spot"
    assert window._alone.text() == "Block Spot alone"
    assert window.link._wanted.scene.lamps.ids == ("spot",)
    QTest.mouseClick(balance, LEFT, PLAIN, ring)
    assert balance.only == ""
    assert len(window.link._wanted.scene.lamps.ids) == 2
    assert len(window.session.history._done) == steps  # looking is no edit


def test_keys_go_from_strip_to_strip_trim_switch_and_type(window):
    balance = window.balance
    balance.setFocus()
    window.session.selection.select("spot")
    QTest.keyClick(balance, Qt.Key.Key_Up)
    assert window.session.project.source("spot").trim == pytest.approx(0.1)
    QTest.keyClick(balance, Qt.Key.Key_Down, Qt.KeyboardModifier.ShiftModifier)
    assert window.session.project.source("spot").trim == pytest.approx(0.09)
    QTest.keyClick(balance, Qt.Key.Key_Space)
    assert not window.session.project.source("spot").on
    before = window.session.selection.lead
    QTest.keyClick(balance, Qt.Key.Key_Right)
    QTest.keyClick(balance, Qt.Key.Key_Left)
    assert window.session.selection.lead == before
    for typed, path, value in (("1.5", "trim", 1.5), ("900 lm", "intensity", None)):
        balance._edit(balance.strip_of("spot"), "")
        balance._editor.setText(typed)
        QTest.keyClick(balance._editor, Qt.Key.Key_Return)
        result = getattr(window.session.project.source("spot"), path)
        exact = window.session.project.source("spot").strength_for(900.0) if value is None else value
        assert result == pytest.approx(exact)
    balance._edit(balance.strip_of("spot"), "")
    balance._editor.setText("much")
    QTest.keyClick(balance._editor, Qt.Key.Key_Return)
    assert window.bar.isVisible()


def test_shares_come_behind_the_window_and_go_stale(qtbot, window):
    balance = window.balance
    qtbot.waitUntil(lambda: not balance.stale, timeout=120_000)
    assert sum(item.share for item in balance.given.values()) == pytest.approx(1.0)
    assert balance.share_of(balance.strip_of("spot")) > 0.05
    window.session.set_value("darker", "sources/@spot/trim", -10.0)
    assert balance.stale
    qtbot.waitUntil(lambda: not balance.stale, timeout=120_000)
    assert balance.share_of(balance.strip_of("spot")) < 0.05


def test_strips_are_sorted_by_share_and_by_name(qtbot, window):
    balance = window.balance
    qtbot.waitUntil(lambda: not balance.stale, timeout=120_000)
    for order in ("share", "name", "group"):
        balance.sort_by(order)
        lamps = [strip.source for strip in balance.strips() if strip.source and strip.group == "lamps"]
        if order == "share":
            shares = [balance.given[lamp.id].share for lamp in lamps if lamp.id in balance.given]
            assert shares == sorted(shares, reverse=True)
        elif order == "name":
            assert [lamp.name for lamp in lamps] == sorted(lamp.name for lamp in lamps)


def test_three_hundred_strips_scroll_and_paint(qtbot, window):
    lamps = tuple(PointSource(id=f"n{i}", name=f"Number {i}") for i in range(300))
    project = window.session.project.revised(sources=(*base_light(), *lamps))
    window.session.history.edit("many", project)
    balance = window.balance
    assert len(balance.strips()) > 300
    window.session.selection.select("n299")
    place = balance.centre_of(balance.strip_of("n299"))
    assert 0.0 < place < balance.width()
    assert not balance.grab().isNull()


def test_an_undo_in_the_middle_of_a_drag_lets_go_of_the_exposure(window):
    window.session.preview("sources/@spot/trim", 2.0)
    assert window.session.light_dragged
    window.session.undo()
    assert not window.session.light_dragged
    assert window.session.active == frozenset()
