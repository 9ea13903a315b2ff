"""Light is baked behind the window: paused, ended, gone on with, shown, cleared, put back."""

import pytest

from wallum.transport.lightmaps.bake_cache import load_bake

LONG_MS = 120_000


@pytest.fixture(autouse=True)
def at_once(monkeypatch):
    """Probes need not wait for the first pictures."""
    monkeypatch.setattr("wallum.desk.jobs.bounce_thread.LATER_S", 0.0)


@pytest.fixture
def baking(window, qtbot):
    session = window.session
    session.set_value("texels", "baking/texels", 1.0)
    session.set_value("paths", "baking/paths", 4)
    session.set_value("smallest", "baking/smallest", 0.1)
    window.tune.show_group("baking")
    field = window.background
    qtbot.waitUntil(lambda: field.bounce is not None and window.baking.key != "", timeout=LONG_MS)
    return window.baking


def baked_by(window, qtbot):
    window.act["bake"].trigger()
    qtbot.waitUntil(lambda: window.baking.baked is not None and window.baking.share is None, timeout=LONG_MS)


def head_text(window):
    return window.tune.baking._text.text()


def test_light_is_baked_shown_and_taken_away_again(window, qtbot, baking):
    session, head = window.session, window.tune.baking
    assert head_text(window) == "No light is baked."
    baked_by(window, qtbot)
    assert baking.fits
    assert baking._file().exists()
    assert window.background.bounce.baked is baking.baked
    assert "Baked as at" in head_text(window)
    assert "Stale" not in head_text(window)
    head.shown.click()
    assert session.project.look.indirect == "lightmaps"
    assert head.shown.isChecked()
    came = []
    window.link.frame_came.connect(lambda frame, _: came.append(frame))
    window.ask_picture()
    qtbot.waitUntil(
        lambda: any("baked light" in {pass_.name for pass_ in frame.passes} for frame in came),
        timeout=LONG_MS,
    )
    session.undo()
    assert session.project.look.indirect == "probes"
    head.clear.click()
    assert baking.baked is None
    assert window.background.bounce.baked is None
    head.back.click()
    qtbot.waitUntil(lambda: baking.baked is not None, timeout=LONG_MS)


def test_what_changed_since_is_named(window, qtbot, baking):
    baked_by(window, qtbot)
    lamp = next(source for source in window.session.project.sources if source.kind == "point")
    window.session.set_values("strength", lamp.id, {"intensity": lamp.intensity * 2.0})
    assert baking.changes() == [lamp.name]
    assert lamp.name in head_text(window)
    window.session.undo()
    assert baking.changes() == []


def test_it_waits_is_ended_and_goes_on_with_what_is_done(window, qtbot, baking):
    window.session.set_value("paths", "baking/paths", 4000)
    window.act["bake"].trigger()
    assert window.tune.baking.pause.isVisible()
    qtbot.waitUntil(lambda: (baking.share or 0.0) > 0.16, timeout=LONG_MS)
    baking.pause()
    assert "(paused)" in baking.text
    qtbot.wait(300)
    share = baking.share
    qtbot.wait(400)
    assert baking.share == share
    baking.pause()
    qtbot.waitUntil(lambda: baking.share > share, timeout=LONG_MS)
    messages = []
    window.session.told.connect(messages.append)
    window.act["bake"].trigger()
    assert "already" in messages[-1]
    baking.cancel()
    qtbot.waitUntil(lambda: baking.share is None, timeout=LONG_MS)
    assert baking.baked is None
    part = baking._file().with_name(f"{baking._file().stem}-unfinished.npz")
    assert part.exists()
    window.act["bake"].trigger()
    qtbot.waitUntil(lambda: (baking.share or 0.0) > 0.16, timeout=LONG_MS)
    baking.cancel()
    qtbot.waitUntil(lambda: baking.share is None, timeout=LONG_MS)


def test_a_broken_file_is_said_and_a_project_saved_elsewhere_takes_its_light_along(
    window, qtbot, baking, tmp_path
):
    baked_by(window, qtbot)
    elsewhere = tmp_path / "elsewhere" / "other.wallum"
    elsewhere.parent.mkdir()
    assert window.save_to(elsewhere)
    window.session.changed.emit()
    assert load_bake(baking._file()).ids == baking.baked.ids
    assert baking._file().is_relative_to(elsewhere.parent)
    baking._file().write_bytes(b"rubbish")
    failed = []
    window.session.failed.connect(failed.append)
    baking._look(True)
    qtbot.waitUntil(lambda: bool(failed), timeout=LONG_MS)
    assert "the baked light is broken" in failed[-1]


def test_before_the_probes_are_there_nothing_is_baked(window, monkeypatch):
    monkeypatch.setattr(type(window.background), "bounce", None)
    failed = []
    window.session.failed.connect(failed.append)
    window.act["bake"].trigger()
    assert "not there" in failed[-1]
    assert window.baking.share is None
