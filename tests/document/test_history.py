from hypothesis import settings
from hypothesis import strategies as st
from hypothesis.stateful import RuleBasedStateMachine, invariant, rule

from wallum.document.history import History
from wallum.document.paths import put
from wallum.document.project import Project


def with_ev(project, value):
    return put(project, "look/ev100", float(value))


class UndoIsATape(RuleBasedStateMachine):
    """Any run of edits, drags, undo and redo behaves like a tape with a head."""

    def __init__(self):
        super().__init__()
        self.history = History(Project())
        self.tape, self.head = [self.history.present], 0
        self.dragging = None

    def _record(self, project):
        if project != self.tape[self.head]:
            self.tape = [*self.tape[: self.head + 1], project]
            self.head += 1

    @rule(value=st.integers(-12, 20))
    def edit(self, value):
        self.dragging = None
        built = with_ev(self.history.present, value)
        self.history.edit(f"exposure {value}", built)
        self._record(built)

    @rule(values=st.lists(st.integers(-12, 20), min_size=1, max_size=5))
    def drag(self, values):
        for value in values:
            self.dragging = with_ev(self.history.present, value)
            self.history.preview(self.dragging)

    @rule()
    def release(self):
        self.history.commit("drag")
        if self.dragging is not None:
            self._record(self.dragging)
            self.dragging = None

    @rule()
    def cancel(self):
        self.history.cancel()
        self.dragging = None

    @rule()
    def undo(self):
        self.dragging = None
        messages = self.history.undo()
        assert bool(messages) == (self.head > 0)
        self.head = max(self.head - 1, 0)

    @rule()
    def redo(self):
        self.dragging = None
        messages = self.history.redo()
        assert bool(messages) == (self.head < len(self.tape) - 1)
        self.head = min(self.head + 1, len(self.tape) - 1)

    @invariant()
    def the_present_is_under_the_head(self):
        assert self.history.present == self.tape[self.head]
        assert self.history.shown == (self.dragging or self.tape[self.head])


TestUndoIsATape = UndoIsATape.TestCase
TestUndoIsATape.settings = settings(max_examples=60, stateful_step_count=30, deadline=None)


def test_a_drag_is_one_step_with_its_name():
    history = History(Project())
    start = history.present
    for value in range(20):
        history.preview(with_ev(start, value))
    history.commit("Picture, exposure")
    assert history.undo_label == "Picture, exposure"
    assert history.undo() == "Picture, exposure"
    assert history.present is start
    assert history.undo() == ""


def test_an_edit_that_changes_nothing_is_no_step():
    history = History(Project())
    history.edit("nothing", with_ev(history.present, 13))
    assert history.undo_label == ""
    assert not history.dirty


def test_undoing_back_to_what_was_saved_is_clean_again():
    history = History(Project())
    history.mark_saved(history.present)
    history.edit("brighter", with_ev(history.present, 4))
    assert history.dirty
    history.undo()
    assert not history.dirty


def test_listeners_hear_each_change_until_they_leave():
    history, heard = History(Project()), []
    leave = history.listen(lambda: heard.append(history.shown.look.ev100))
    history.preview(with_ev(history.present, 3))
    history.cancel()
    leave()
    history.edit("x", with_ev(history.present, 5))
    assert heard == [3.0, 13.0]


def test_restating_is_no_step_and_keeps_what_counts_as_saved():
    history = History(Project(name="a", level="room.glb"))
    history.edit("two", history.present.revised(name="b"))
    history.mark_saved(history.present)
    history.edit("three", history.present.revised(name="c"))
    history.undo()
    history.restate(lambda project: project.revised(level="else/room.glb"))
    assert not history.dirty
    assert (history.undo_label, history.redo_label) == ("two", "three")
    history.redo()
    assert (history.present.name, history.present.level) == ("c", "else/room.glb")
    assert history.dirty
    history.undo()
    assert not history.dirty
    history.undo()
    assert (history.present.name, history.present.level) == ("a", "else/room.glb")
