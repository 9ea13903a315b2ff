"""Nothing lost, nothing left behind: offers, two writers, faults of ours, levels let go of; in the real window."""

import threading

import pytest
from desk_frames import frames, tick, wait_frame
from kept_work import end_of, leave_work
from PyQt6.QtCore import QTimer
from PyQt6.QtWidgets import QMessageBox

from wallum.desk.session.offers import ELSEWHERE, UNSAVED, WRITTEN
from wallum.desk.session.project_store import AUTOSAVE_MS
from wallum.desk.shell.guard import Guard
from wallum.desk.shell.window import DeskWindow
from wallum.document import autosave
from wallum.document.lanes import PegTime
from wallum.document.storage import load, save
from wallum.faults import keep_log, log_file


def test_unsaved_work_is_offered_after_a_crash_and_taken_up(window, qtbot, room_file):
    window.session.set_value("Picture, exposure", "look/ev100", 2.0)
    sitting = window.session.keeping._sitting
    qtbot.waitUntil(sitting.path.exists, timeout=120_000)
    window.session.keeping.finish()
    end_of(sitting)
    assert load(room_file).look.ev100 == 4.0
    again = DeskWindow()
    again.show()
    again.open_reference(str(room_file))
    assert "Unsaved work" in again.offers.texts[UNSAVED]
    again.offers.answer(UNSAVED, "Go on with it")
    assert again.session.project.look.ev100 == 2.0
    assert again.session.history.dirty
    assert not sitting.path.exists()  # it is kept as the work of this sitting now
    assert again.session.keeping._sitting.path.exists()
    assert again.offers.texts == {}
    again.session.history.mark_saved(again.session.history.present)
    again.close()


def test_opening_alone_neither_edits_nor_lets_go_of_unsaved_work(qtbot, room_file):
    """What is found of a level when it is opened is no edit; the offer stands until it is answered."""
    lost = load(room_file).revised(look=load(room_file).look.revised(ev100=2.0))
    leave_work(lost, room_file)
    window = DeskWindow()
    window.show()
    window.open_reference(str(room_file))
    qtbot.waitUntil(lambda: window.session.level is not None, timeout=120_000)
    assert window.session.project.floors == window.session.level.floors
    assert not window.session.history.dirty
    qtbot.wait(int(AUTOSAVE_MS * 1.5))
    (result,) = autosave.recoverable(room_file)
    assert result.project.look.ev100 == 2.0
    window.close()


def test_an_offer_outlasts_all_that_is_said_and_all_that_is_saved(qtbot, room_file):
    lost = load(room_file).revised(look=load(room_file).look.revised(ev100=2.0))
    path = leave_work(lost, room_file)
    window = DeskWindow()
    window.show()
    window.open_reference(str(room_file))
    qtbot.waitUntil(lambda: window.session.level is not None, timeout=120_000)
    window.session.failed.emit("something else")
    window._level_failed("something else again")
    window.session.set_value("Picture, exposure", "look/ev100", 7.0)
    assert window.save()
    qtbot.wait(int(AUTOSAVE_MS * 1.2))
    assert UNSAVED in window.offers.texts
    assert window.offers.isVisible()
    assert path.exists()
    window.offers.answer(UNSAVED, "Forget it")
    assert not path.exists()
    window.close()


def test_later_leaves_unsaved_work_for_the_next_time(qtbot, room_file):
    path = leave_work(load(room_file).revised(name="Lost"), room_file)
    window = DeskWindow()
    window.show()
    window.open_reference(str(room_file))
    window.offers.answer(UNSAVED, "Later")
    assert window.offers.texts == {}
    window.close()
    assert path.exists()


def test_work_that_never_had_a_file_is_offered_at_an_empty_start(qtbot, room_file):
    selected = load(room_file).revised(level=str(room_file.with_name("room.glb")))
    leave_work(selected, None)
    window = DeskWindow()
    window.show()
    window.open_reference("")
    window.offers.answer(UNSAVED, "Go on with it")
    assert window.session.project == selected
    assert window.session.history.dirty
    qtbot.waitUntil(lambda: window.session.level is not None, timeout=120_000)
    window.session.history.mark_saved(window.session.history.present)
    window.close()


def test_several_sittings_are_listed_and_each_is_answered(qtbot, room_file):
    level = str(room_file.with_name("room.glb"))
    works = [load(room_file).revised(level=level, name=f"Work {n}") for n in range(3)]
    paths = [leave_work(work, None, edits=n + 1) for n, work in enumerate(works)]
    window = DeskWindow()
    window.show()
    window.open_reference("")
    assert "3 sittings" in window.offers.texts[UNSAVED]
    window.offers.answer(UNSAVED, "Show it")
    assert UNSAVED in window.offers.texts  # looking is no answer
    result = window.project_offers._found
    assert any("Work 2" in text and "3 edits" in text and "room.glb" in text for text in window.sheet.texts)
    second = next(n for n, item in enumerate(result) if item.project.name == "Work 1")
    tick(window.sheet, str(second), True)
    window.sheet.press("Go on with what is ticked")
    assert window.session.project.name == "Work 1"
    assert [path.exists() for path in paths] == [True, False, True]
    assert "2 sittings" in window.offers.texts[UNSAVED]
    qtbot.waitUntil(lambda: window.session.level is not None, timeout=120_000)
    assert UNSAVED in window.offers.texts
    window.session.history.mark_saved(window.session.history.present)
    window.close()


def test_a_level_from_afar_is_offered_and_read_once_the_artist_says_so(qtbot, room_file, tmp_path):
    stranger = tmp_path / "stranger" / "s.wallum"
    stranger.parent.mkdir()
    save(load(room_file).revised(level=str(room_file.with_name("room.glb"))), stranger)
    window = DeskWindow()
    window.show()
    window.open_reference(str(stranger))
    assert "room.glb" in window.offers.texts[ELSEWHERE]
    qtbot.waitUntil(lambda: "have not chosen it" in window.bar.text, timeout=120_000)
    assert window.session.level is None
    window.offers.answer(ELSEWHERE, "Read it from there")
    qtbot.waitUntil(lambda: window.session.level is not None, timeout=120_000)
    assert ELSEWHERE not in window.offers.texts
    window.close()


def test_work_that_is_given_up_for_another_level_stays_kept_until_that_is_there(
    window, qtbot, monkeypatch, tmp_path
):
    asked = []

    def discard(*_):
        asked.append(True)
        return QMessageBox.StandardButton.Discard

    monkeypatch.setattr(QMessageBox, "question", discard)
    window.session.set_value("Picture, exposure", "look/ev100", 2.0)
    selected = window.session.keeping._sitting.path
    qtbot.waitUntil(selected.exists, timeout=120_000)
    (tmp_path / "broken.glb").write_bytes(b"glTF nonsense")
    window._open_file(str(tmp_path / "broken.glb"))
    qtbot.waitUntil(lambda: "could not be opened" in window.bar.text, timeout=120_000)
    assert window.session.project.look.ev100 == 2.0
    assert selected.exists()
    window._open_file(str(tmp_path / "room.glb"))
    qtbot.waitUntil(lambda: window.session.keeping.file is None, timeout=120_000)
    assert len(asked) == 2  # once for each file that was opened
    assert not selected.exists()


def test_work_done_while_a_level_is_read_is_asked_for(window, qtbot, monkeypatch, tmp_path):
    answers = []

    def cancel(*_):
        answers.append(True)
        return QMessageBox.StandardButton.Cancel

    monkeypatch.setattr(QMessageBox, "question", cancel)
    window.open_reference(str(tmp_path / "room.glb"))
    window.session.set_value("Picture, exposure", "look/ev100", 2.0)
    qtbot.waitUntil(lambda: bool(answers), timeout=120_000)
    qtbot.wait(100)
    assert window.session.project.look.ev100 == 2.0
    assert window.session.keeping.file is not None


# -- two writers -----------------------------------------------------------------------


@pytest.fixture
def crossed(window, room_file):
    """The project is edited here while another changes the file."""
    other = load(room_file)
    save(other.revised(look=other.look.revised(compensation=3.0)), room_file)
    window.session.set_value("Picture, exposure", "look/ev100", 2.0)
    assert not window.save()
    assert load(room_file).look.compensation == 3.0
    assert WRITTEN in window.offers.texts
    return window


def test_what_another_wrote_is_not_written_over_unasked(crossed, room_file):
    crossed.offers.answer(WRITTEN, "Keep mine")
    assert load(room_file).look.ev100 == 2.0
    assert load(room_file).look.compensation == 0.8
    assert not crossed.session.history.dirty
    assert crossed.offers.texts == {}


def test_what_another_wrote_can_be_taken_and_undone(crossed, room_file):
    crossed.offers.answer(WRITTEN, "Take theirs")
    look = crossed.session.project.look
    assert (look.ev100, look.compensation) == (4.0, 3.0)
    assert not crossed.session.history.dirty
    crossed.session.undo()
    assert crossed.session.project.look.ev100 == 2.0
    crossed.session.redo()
    assert crossed.save()


def test_what_differs_is_shown_and_the_choice_stays(crossed, room_file):
    crossed.offers.answer(WRITTEN, "See what differs")
    assert any("exposure" in text for text in crossed.sheet.texts)
    assert any("compensation" in text for text in crossed.sheet.texts)
    assert WRITTEN in crossed.offers.texts
    crossed.offers.answer(WRITTEN, "Save beside")
    assert load(room_file.with_name("room-mine.wallum")).look.ev100 == 2.0
    assert load(room_file).look.compensation == 3.0
    assert crossed.session.keeping.file == room_file.with_name("room-mine.wallum")


# -- faults of ours --------------------------------------------------------------------


def test_a_fault_in_a_slot_is_logged_and_told_and_ends_nothing(window, qtbot):
    keep_log()
    guard = Guard(window)
    guard.caught.connect(window.fault)
    window.session.set_value("Picture, exposure", "look/ev100", 2.0)

    def broken():
        raise ZeroDivisionError("of ours")

    with guard.installed():
        for _ in range(20):
            QTimer.singleShot(0, broken)
        qtbot.waitUntil(lambda: "Your work is kept" in window.bar.text, timeout=5000)
        qtbot.wait(50)
    assert str(log_file()) in window.bar.text
    assert log_file().read_text().count("ZeroDivisionError: of ours") == 3  # the same fault again is not told
    window.session.keeping._pool.waitForDone()
    assert window.session.keeping._sitting.path.exists()


# -- pictures and levels that come --------------------------------------------------------


def test_a_picture_that_comes_while_one_is_painted_waits_for_its_turn(window, qtbot, monkeypatch):
    """Asking for it at once would be a repaint within a repaint."""
    seen = frames(window)
    frame, image = wait_frame(qtbot, window, seen)
    calls = []

    def within(_painter):
        if not calls:
            calls.append("painting")
            window.picture.show_frame(frame, image)

    monkeypatch.setattr(window.picture, "repaint", lambda: calls.append("repaint"))
    window.picture.overlays.append(within)
    window.picture.update()
    qtbot.waitUntil(lambda: bool(calls), timeout=5000)
    qtbot.wait(50)
    assert "repaint" not in calls[:2]
    window.picture.overlays.remove(within)
    monkeypatch.undo()


def test_a_level_file_is_read_once_and_not_in_the_windows_thread(qtbot, room_file, monkeypatch):

    import wallum.desk.jobs.loading as loading

    read = []
    was = loading.open_level

    def noted(*given):
        read.append(threading.current_thread() is threading.main_thread())
        return was(*given)

    monkeypatch.setattr(loading, "open_level", noted)
    monkeypatch.setattr("wallum.level.opening.open_level", noted)
    window = DeskWindow()
    window.show()
    window.open_reference(str(room_file.with_name("room.glb")))
    qtbot.waitUntil(lambda: window.session.level is not None, timeout=120_000)
    assert read == [False]
    assert window.session.project.floors == window.session.level.floors
    assert not window.session.history.dirty
    window.close()


def test_what_is_on_the_desk_stays_until_another_level_has_been_read(window, qtbot, tmp_path):
    seen = frames(window)
    wait_frame(qtbot, window, seen)
    project, level = window.session.project, window.session.level
    (tmp_path / "broken.glb").write_bytes(b"glTF nonsense")
    window.open_reference(str(tmp_path / "broken.glb"))
    qtbot.waitUntil(lambda: "could not be opened" in window.bar.text, timeout=120_000)
    assert (window.session.project, window.session.level) == (project, level)
    assert window.picture._image is not None


def test_a_level_that_is_let_go_of_leaves_nothing_behind(window, qtbot):
    """Threads that have ended keep no level."""
    import gc
    import weakref

    def repacked():
        before = window.session.level
        part = before.plain.parts[0].id
        marks = window.session.project.marks_of(part)
        ignored = marks.revised(ignored=not marks.ignored)
        window.session.history.edit("out", window.session.project.with_marks(ignored))
        qtbot.waitUntil(lambda: window.session.level is not before, timeout=120_000)
        return weakref.ref(before)

    gone = [repacked() for _ in range(4)]

    def let_go():
        gc.unfreeze()
        gc.collect()
        return sum(item() is not None for item in gone) == 0

    qtbot.waitUntil(let_go, timeout=120_000)


def test_what_is_worked_out_at_rest_waits_while_a_level_is_opened(window, qtbot, tmp_path, monkeypatch):
    import wallum.desk.jobs.loading as loading

    seen, inputs, may_go_on, was = frames(window), [], threading.Event(), loading.open_level

    def held(*what):
        may_go_on.wait(20.0)
        return was(*what)

    wait_frame(qtbot, window, seen)
    qtbot.waitUntil(lambda: not window.link.client.busy, timeout=120_000)
    window.at_rest.worked_out.connect(inputs.append)
    monkeypatch.setattr(loading, "open_level", held)
    (tmp_path / "broken.glb").write_bytes(b"glTF nonsense")
    window.open_reference(str(tmp_path / "broken.glb"))
    qtbot.wait(100)  # what was on its way may still come
    inputs.clear()
    window.at_rest.asked()
    qtbot.wait(900)
    assert not inputs
    may_go_on.set()  # and once the file was refused, the level that stays is worked out again
    qtbot.waitUntil(lambda: bool(inputs), timeout=120_000)


@pytest.mark.parametrize("press", ["peg", "take_lane"])
def test_a_press_on_a_value_that_has_just_gone_is_refused_in_a_sentence(window, press):
    """A peg's button outlived its source by a moment, and what it raised left the slot."""
    session, messages = window.session, []
    session.failed.connect(messages.append)
    before = session.history.present
    more = (PegTime(hours=8.0),) if press == "peg" else ()
    getattr(session, press)("press", "sources/@gone/intensity", *more)
    assert len(messages) == 1
    assert "@gone" in messages[0]
    assert session.history.present is before
