"""The one door for change: named undo and redo, where a drag is one step."""

from collections.abc import Callable
from dataclasses import dataclass

from wallum.document.project import Project

__all__ = ["History"]


@dataclass(frozen=True)
class UndoStep:
    """A change that can be undone: its name, and the project before and after."""

    label: str
    before: Project
    after: Project


class History:
    """Holds the present project; tells listeners when what is shown has changed."""

    def __init__(self, project: Project) -> None:
        self._present = project
        self._saved = project
        self._preview: Project | None = None
        self._done: list[UndoStep] = []
        self._undone: list[UndoStep] = []
        self._listeners: list[Callable[[], None]] = []

    @property
    def present(self) -> Project:
        """The last committed project."""
        return self._present

    @property
    def shown(self) -> Project:
        """What the picture shows: a drag's preview, or the present."""
        return self._present if self._preview is None else self._preview

    @property
    def dirty(self) -> bool:
        """Whether the present differs from what was last saved."""
        return self._present is not self._saved

    @property
    def steps(self) -> int:
        """How many steps could be undone."""
        return len(self._done)

    @property
    def undo_label(self) -> str:
        return self._done[-1].label if self._done else ""

    @property
    def redo_label(self) -> str:
        return self._undone[-1].label if self._undone else ""

    def listen(self, listener: Callable[[], None]) -> Callable[[], None]:
        """Call `listener` after each change of what is shown; returns what ends that."""
        self._listeners.append(listener)
        return lambda: self._listeners.remove(listener)

    def _tell(self) -> None:
        for listener in tuple(self._listeners):
            listener()

    def edit(self, label: str, project: Project) -> None:
        """Make `project` the present, as one step that can be undone."""
        self._preview = None
        if project is not self._present and project != self._present:
            self._done.append(UndoStep(label, self._present, project))
            self._undone.clear()
            self._present = project
        self._tell()

    def preview(self, project: Project) -> None:
        """Show a project while a drag lasts; nothing is recorded."""
        self._preview = project
        self._tell()

    def commit(self, label: str) -> None:
        """End a drag: what was previewed becomes one step."""
        if self._preview is not None:
            self.edit(label, self._preview)

    def cancel(self) -> None:
        """End a drag and forget it."""
        if self._preview is not None:
            self._preview = None
            self._tell()

    def undo(self) -> str:
        """Take back the last step; returns its name, empty where there was none."""
        self.cancel()
        if not self._done:
            return ""
        step = self._done.pop()
        self._undone.append(step)
        self._present = step.before
        self._tell()
        return step.label

    def redo(self) -> str:
        """Do again what was undone last; returns its name, empty where there was none."""
        self.cancel()
        if not self._undone:
            return ""
        step = self._undone.pop()
        self._done.append(step)
        self._present = step.after
        self._tell()
        return step.label

    def restate(self, restated: Callable[[Project], Project]) -> None:
        """Put every project of the history otherwise, as when its file moves; this is no step."""
        selected: dict[int, Project] = {}

        def anew(project: Project) -> Project:
            if id(project) not in selected:
                selected[id(project)] = restated(project)
            return selected[id(project)]

        # The steps hold every project until all are restated: an identity stands for one project.
        steps = [
            [UndoStep(item.label, anew(item.before), anew(item.after)) for item in each]
            for each in (self._done, self._undone)
        ]
        self._present, self._saved, self._preview = anew(self._present), anew(self._saved), None
        self._done, self._undone = steps
        self._tell()

    def mark_saved(self, project: Project) -> None:
        """Remember that `project` is what the file holds."""
        self._saved = project
        self._tell()
