"""One parameter in the tune pane: its label and its widgets, tied to the session both ways.

Where several sources are selected, a row shows the value that they share, or marks that they
differ: a drag then moves each by as much, what is typed or chosen is given to all.
"""

from collections.abc import Callable, Sequence
from dataclasses import replace
from pathlib import Path
from typing import Any

from PyQt6.QtCore import QSignalBlocker, Qt
from PyQt6.QtWidgets import (
    QCheckBox,
    QComboBox,
    QHBoxLayout,
    QLabel,
    QWidget,
)

from wallum.desk.jobs.picture_file import PictureFileButton
from wallum.desk.panes.peg_button import PegButton
from wallum.desk.session.session import Session
from wallum.desk.widgets.number_field import NumberField
from wallum.desk.widgets.tokens import TOKENS
from wallum.document.air import AirValues
from wallum.document.fields import Item, Parameter
from wallum.document.look import Look
from wallum.document.paths import choices
from wallum.document.quantities import format_quantity
from wallum.document.sources import Coloured

__all__ = ["Row"]

Refresh = Callable[[Item, Sequence[Any]], None]


def moved_alike(info: Parameter, lead: float, to: float, other: float) -> float:
    """Where another value goes when the leading one is dragged: as far, or by the same factor."""
    if info.scale == "log" and lead > 0.0:
        out = other * to / lead
    else:
        out = other + to - lead
    if info.low is not None:
        out = max(out, info.low)
    if info.high is not None:
        out = min(out, info.high)
    return float(f"{out:.6g}")


class Row:
    """A label and the widgets of one parameter, tied to the session both ways."""

    def __init__(self, session: Session, name: str, info: Parameter, item: Item) -> None:
        self._session, self._name, self._info = session, name, info
        self._path, self._title = "", ""
        self.in_force = True  # whether it has a say as the others are set
        self._others: tuple[Item, ...] = ()  # further selected sources
        self._before: list[Any] = []  # what the value was, of each, before a drag
        self._by = ""  # the zone whose value is in force instead
        self._default = type(item).model_fields[name].default
        parts_unit = f", {info.unit}" if info.kind == "vector" and info.unit else ""
        self.label = QLabel(info.label + parts_unit)
        self.label.setObjectName("quiet")
        self.label.setToolTip(info.help)
        self.widget, self._refresh = self._build(item)
        self.widget.setToolTip(self._tip())
        self.peg: PegButton | None = None
        if isinstance(item, Coloured | Look | AirValues) and info.kind not in ("colour", "file"):
            self.peg = PegButton(session)

    def _tip(self) -> str:
        limits = ""
        if self._info.kind == "number" and self._info.low is not None and self._info.high is not None:
            low, high = (format_quantity(v, self._info.unit) for v in (self._info.low, self._info.high))
            limits = f"\n{low} to {high}. Drag (fine with Shift), type, or Delete for the default."
        return self._info.help + limits

    @property
    def name(self) -> str:
        """Of the value."""
        return self._name

    def mark(self, by: str) -> None:
        """Say whose value is in force in its place; empty: its own is."""
        if by != self._by:
            self._by = by
            self.label.setStyleSheet(f"color: {TOKENS['second']}" if by else "")
            self.label.setToolTip(f"In force: that of the zone {by}" if by else self._info.help)

    @property
    def _step(self) -> str:
        return f"{self._title}, {self._info.label.lower()}"

    @property
    def wide(self) -> bool:
        """Whether the widget wants the whole width, below its label."""
        return self._info.kind in ("vector", "colour")

    def refresh(
        self,
        item: Item,
        prefix: str,
        title: str,
        others: Sequence[Item] = (),
        off: frozenset[str] | None = None,
    ) -> None:
        """Show the value of an item at a path; writes nothing.

        others : more sources that what is set here is given to
        off    : the item's values that have no say; found where not given
        """
        self._path, self._title = f"{prefix}/{self._name}", title
        shared = all(self._name in kind.model_fields for kind in {type(other) for other in others})
        self._others = tuple(others) if shared else ()
        values = [getattr(entry, self._name) for entry in (item, *self._others)]
        if self._session.history.shown is self._session.history.present:
            self._before = values
        self._refresh(item, values)
        self.in_force = self._name not in (item.inactive() if off is None else off) and shared
        self.widget.setEnabled(self.in_force)
        self.label.setEnabled(self.in_force)
        if self.peg is not None:
            owner = getattr(item, "id", prefix)
            self.peg.refresh(self._path, self._step, self._session.project.lane(owner, self._name))

    @property
    def paths(self) -> list[str]:
        """Where the value is, of each selected source."""
        more = [f"sources/@{other.id}/{self._name}" for other in self._others if isinstance(other, Coloured)]
        return [self._path, *more]

    def _preview(self, value: float) -> None:
        lead = self._before[0]
        moved = [moved_alike(self._info, lead, value, other) for other in self._before[1:]]
        self._session.preview_all(dict(zip(self.paths, [value, *moved], strict=True)))

    def _set(self, value: Any) -> None:
        self._session.set_all(self._step, dict.fromkeys(self.paths, value))

    def _build(self, item: Item) -> tuple[QWidget, Refresh]:
        match self._info.kind:
            case "switch":
                return self._switch()
            case "choice":
                return self._choice(item)
            case "file":
                return self._file()
            case "vector" | "colour":
                return self._vector()
        return self._number()

    def _number(self) -> tuple[QWidget, Refresh]:
        field = NumberField(self._info)
        field.previewed.connect(self._preview)
        field.committed.connect(lambda: self._session.commit(self._step))
        field.cancelled.connect(self._session.cancel)
        field.typed.connect(lambda text: self._session.set_text_all(self._step, self.paths, text))
        field.reset_asked.connect(self._reset)
        return field, lambda _, values: field.show_value(values[0], differs=_differ(values))

    def _reset(self) -> None:
        self._session.set_all(f"{self._step} to default", dict.fromkeys(self.paths, self._default))

    def _switch(self) -> tuple[QWidget, Refresh]:
        box = QCheckBox()
        box.setAccessibleName(self._info.label)
        box.clicked.connect(lambda _: self._set(box.checkState() != Qt.CheckState.Unchecked))

        def show(_: Item, values: Sequence[Any]) -> None:
            with QSignalBlocker(box):
                box.setTristate(_differ(values))
                whole = Qt.CheckState.Checked if values[0] else Qt.CheckState.Unchecked
                box.setCheckState(Qt.CheckState.PartiallyChecked if _differ(values) else whole)

        return box, show

    def _choice(self, item: Item) -> tuple[QWidget, Refresh]:
        box = QComboBox()
        box.setAccessibleName(self._info.label)
        box.addItems(choices(item, self._name))
        box.setPlaceholderText("differ")
        box.setMinimumWidth(90)  # the pane is as narrow as its numbers, not as its longest word
        box.textActivated.connect(self._set)

        def show(_: Item, values: Sequence[Any]) -> None:
            with QSignalBlocker(box):
                box.setCurrentIndex(-1 if _differ(values) else box.findText(str(values[0])))

        return box, show

    def _file(self) -> tuple[QWidget, Refresh]:
        kind = "table" if self._name == "table" else "picture"
        button = PictureFileButton(self._info.label, self._set, kind)
        button.refused.connect(self._session.failed)

        def show(_: Item, values: Sequence[Any]) -> None:
            button.show_name("differ" if _differ(values) else Path(values[0]).name or "Choose ...")

        return button, show

    def _vector(self) -> tuple[QWidget, Refresh]:
        holder = QWidget()
        layout = QHBoxLayout(holder)
        layout.setContentsMargins(0, 0, 0, 0)
        layout.setSpacing(4)
        letters = "RGB" if self._info.kind == "colour" else self._info.letters
        info = replace(self._info, unit="")  # the label says it; three fields have no room
        if info.kind == "colour":
            info = Parameter(info.label, info.help, low=0.0, high=1.0, step=0.01)
        fields = [NumberField(info, letter) for letter in letters]
        # What has ends of its own stands for itself: there is nothing to drag all of it by.
        alike = self._info.kind == "vector" and letters == "RGB" and info.high is None
        whole = self._whole(info) if alike else None
        if whole is not None:
            layout.addWidget(whole)
        for axis, field in enumerate(fields):
            field.previewed.connect(lambda value, axis=axis: self._preview_part(axis, value))
            field.committed.connect(lambda: self._session.commit(self._step))
            field.cancelled.connect(self._session.cancel)
            field.typed.connect(lambda text, axis=axis: self._part_typed(axis, text))
            field.reset_asked.connect(self._reset)
            layout.addWidget(field)

        def show(_: Item, values: Sequence[Any]) -> None:
            for axis, field in enumerate(fields):
                parts = [value[axis] for value in values]
                field.show_value(parts[0], differs=_differ(parts))
            if whole is not None:
                whole.show_value(round(sum(values[0]) / 3.0, 6), differs=_differ(values))

        return holder, show

    def _whole(self, info: Parameter) -> NumberField:
        """All three channels at once: a drag moves each as far, what is typed is given to all."""
        field = NumberField(replace(info, label=f"{info.label} of all"))
        field.setToolTip("All three: dragged alike, or typed")
        field.previewed.connect(self._preview_whole)
        field.committed.connect(lambda: self._session.commit(self._step))
        field.cancelled.connect(self._session.cancel)
        field.typed.connect(self._whole_typed)
        field.reset_asked.connect(self._reset)
        return field

    def _whole_typed(self, text: str) -> None:
        parts = [f"{path}/{axis}" for path in self.paths for axis in "xyz"]
        self._session.set_text_all(self._step, parts, text)

    def _preview_whole(self, value: float) -> None:
        moved = value - sum(self._before[0]) / 3.0
        parts = (tuple(float(f"{part + moved:.6g}") for part in item) for item in self._before)
        self._session.preview_all(dict(zip(self.paths, parts, strict=True)))

    def _part_typed(self, axis: int, text: str) -> None:
        paths = [f"{path}/{'xyz'[axis]}" for path in self.paths]
        self._session.set_text_all(self._step, paths, text)

    def _preview_part(self, axis: int, value: float) -> None:
        lead = self._before[0][axis]
        moved = [moved_alike(self._info, lead, value, other[axis]) for other in self._before[1:]]
        paths = [f"{path}/{'xyz'[axis]}" for path in self.paths]
        self._session.preview_all(dict(zip(paths, [value, *moved], strict=True)))


def _differ(values: Sequence[Any]) -> bool:
    return any(value != values[0] for value in values[1:])
