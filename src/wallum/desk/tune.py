"""The tune pane: the values of what is selected, generated from their declarations."""

from collections.abc import Callable
from dataclasses import replace

from PyQt6.QtCore import QSignalBlocker, Qt
from PyQt6.QtGui import QColor, QPainter, QPaintEvent
from PyQt6.QtWidgets import (
    QCheckBox,
    QComboBox,
    QGridLayout,
    QHBoxLayout,
    QLabel,
    QScrollArea,
    QToolButton,
    QVBoxLayout,
    QWidget,
)

from wallum.desk.number_field import NumberField
from wallum.desk.session import Session
from wallum.desk.tokens import TOKENS
from wallum.document.fields import Item, Parameter, declared
from wallum.document.paths import choices
from wallum.document.quantities import format_quantity
from wallum.document.sources import Coloured, Lamp
from wallum.moment.shown_colour import shown_colour

__all__ = ["TunePane"]

MOST_FIRST = 8
Refresh = Callable[[Item], None]


class Swatch(QWidget):
    """The colour of a light, at full strength."""

    def __init__(self, parent: QWidget | None = None) -> None:
        super().__init__(parent)
        self.setFixedHeight(10)
        self._colour = QColor("white")

    def show_source(self, source: Coloured) -> None:
        self._colour = QColor(*shown_colour(source))
        self.update()

    def paintEvent(self, _: QPaintEvent | None) -> None:
        painter = QPainter(self)
        painter.fillRect(self.rect(), self._colour)
        painter.setPen(QColor(TOKENS["line"]))
        painter.drawRect(self.rect().adjusted(0, 0, -1, -1))


class Row:
    """A label and the widgets of one parameter, tied to the session both ways."""

    def __init__(self, session: Session, prefix: str, name: str, info: Parameter, item: Item) -> None:
        self._session, self._name, self._info = session, name, info
        self._path = f"{prefix}/{name}"
        self._title = getattr(item, "name", prefix)
        self._default = type(item).model_fields[name].default
        parts_unit = f", {info.unit}" if info.kind == "vector" and info.unit else ""
        self.label = QLabel(info.label + parts_unit)
        self.label.setObjectName("quiet")
        self.label.setToolTip(info.help)
        self.widget, self._refresh = self._build(item)
        self.widget.setToolTip(self._tip())

    def _tip(self) -> str:
        limits = ""
        if self._info.kind == "number" and self._info.low is not None and self._info.high is not None:
            low, high = (format_quantity(v, self._info.unit) for v in (self._info.low, self._info.high))
            limits = f"\n{low} to {high}. Drag (fine with Shift), type, or Delete for the default."
        return self._info.help + limits

    @property
    def _step(self) -> str:
        return f"{self._title}, {self._info.label.lower()}"

    def refresh(self, item: Item) -> None:
        """Show the item's value; writes nothing."""
        self._refresh(item)

    def _build(self, item: Item) -> tuple[QWidget, Refresh]:
        match self._info.kind:
            case "switch":
                return self._switch()
            case "choice":
                return self._choice(item)
            case "vector" | "colour":
                return self._vector()
        return self._number()

    def _number(self) -> tuple[QWidget, Refresh]:
        field = NumberField(self._info)
        field.previewed.connect(lambda value: self._session.preview(self._path, value))
        field.committed.connect(lambda: self._session.commit(self._step))
        field.cancelled.connect(self._session.cancel)
        field.typed.connect(lambda text: self._typed(self._path, text))
        field.reset_asked.connect(self._reset)
        return field, lambda item: field.show_value(getattr(item, self._name))

    def _typed(self, path: str, text: str) -> None:
        self._session.set_text(self._step, path, text)

    def _reset(self) -> None:
        self._session.set_value(f"{self._step} to default", self._path, self._default)

    def _switch(self) -> tuple[QWidget, Refresh]:
        box = QCheckBox()
        box.setAccessibleName(self._info.label)
        box.toggled.connect(lambda on: self._session.set_value(self._step, self._path, on))

        def show(item: Item) -> None:
            with QSignalBlocker(box):
                box.setChecked(getattr(item, self._name))

        return box, show

    def _choice(self, item: Item) -> tuple[QWidget, Refresh]:
        box = QComboBox()
        box.setAccessibleName(self._info.label)
        box.addItems(choices(item, self._name))
        box.textActivated.connect(lambda word: self._session.set_value(self._step, self._path, word))

        def show(shown: Item) -> None:
            with QSignalBlocker(box):
                box.setCurrentText(str(getattr(shown, self._name)))

        return box, show

    def _vector(self) -> tuple[QWidget, Refresh]:
        holder = QWidget()
        layout = QHBoxLayout(holder)
        layout.setContentsMargins(0, 0, 0, 0)
        layout.setSpacing(4)
        letters = "RGB" if self._info.kind == "colour" else "XYZ"
        info = replace(self._info, unit="")  # the label says it; three fields have no room
        if info.kind == "colour":
            info = Parameter(info.label, info.help, low=0.0, high=1.0, step=0.01)
        fields = [NumberField(info, letter) for letter in letters]
        for axis, field in enumerate(fields):
            field.previewed.connect(lambda value, axis=axis: self._preview_part(axis, value))
            field.committed.connect(lambda: self._session.commit(self._step))
            field.cancelled.connect(self._session.cancel)
            field.typed.connect(lambda text, axis=axis: self._typed(f"{self._path}/{'xyz'[axis]}", text))
            field.reset_asked.connect(self._reset)
            layout.addWidget(field)

        def show(item: Item) -> None:
            for field, value in zip(fields, getattr(item, self._name), strict=True):
                field.show_value(value)

        return holder, show

    def _preview_part(self, axis: int, value: float) -> None:
        self._session.preview(f"{self._path}/{'xyz'[axis]}", value)


class Section(QWidget):
    """Rows under a heading that folds."""

    def __init__(self, title: str, rows: list[Row], folded: bool, parent: QWidget | None = None) -> None:
        super().__init__(parent)
        layout = QVBoxLayout(self)
        layout.setContentsMargins(0, 0, 0, 0)
        layout.setSpacing(4)
        self._grid = QWidget()
        grid = QGridLayout(self._grid)
        grid.setContentsMargins(0, 0, 0, 4)
        grid.setHorizontalSpacing(8)
        grid.setVerticalSpacing(5)
        grid.setColumnMinimumWidth(0, 84)
        grid.setColumnStretch(1, 1)
        for number, row in enumerate(rows):
            grid.addWidget(row.label, number, 0)
            grid.addWidget(row.widget, number, 1)
        self._fold: QToolButton | None = None
        if title:
            self._fold = QToolButton()
            self._fold.setObjectName("fold")
            self._fold.setText(title)
            self._fold.setCheckable(True)
            self._fold.setToolButtonStyle(Qt.ToolButtonStyle.ToolButtonTextBesideIcon)
            self._fold.toggled.connect(self._set_open)
            layout.addWidget(self._fold)
        layout.addWidget(self._grid)
        self._set_open(not folded)

    def _set_open(self, is_open: bool) -> None:
        self._grid.setVisible(is_open)
        if self._fold is not None:
            self._fold.setArrowType(Qt.ArrowType.DownArrow if is_open else Qt.ArrowType.RightArrow)
            with QSignalBlocker(self._fold):
                self._fold.setChecked(is_open)


class TunePane(QScrollArea):
    """Shows the selected source, or the picture's own values where none is."""

    def __init__(self, session: Session, parent: QWidget | None = None) -> None:
        super().__init__(parent)
        self._session = session
        self._shown: object = None
        self._rows: list[Row] = []
        self._swatch: Swatch | None = None
        self._facts: QLabel | None = None
        self.setWidgetResizable(True)
        self.setHorizontalScrollBarPolicy(Qt.ScrollBarPolicy.ScrollBarAlwaysOff)
        session.changed.connect(self.refresh)
        session.selection_changed.connect(self.refresh)
        self.refresh()

    def _target(self) -> tuple[Item, str, str]:
        """(item, path prefix, title) of what is tuned."""
        source = self._session.selected_source
        if source is not None:
            return source, f"sources/@{source.id}", source.name
        return self._session.project.look, "look", "Picture"

    def refresh(self) -> None:
        """Show the present values; build the rows anew only for another kind of thing."""
        item, prefix, title = self._target()
        if self._shown != (prefix, type(item)):
            self._shown = (prefix, type(item))
            self._build(item, prefix)
        self._title.setText(title)
        for row in self._rows:
            row.refresh(item)
        if self._swatch is not None and isinstance(item, Coloured):
            self._swatch.show_source(item)
        if self._facts is not None and isinstance(item, Lamp):
            self._facts.setText(f"gives {format_quantity(item.lumens(), 'lm')}")

    def _build(self, item: Item, prefix: str) -> None:
        holder = QWidget()
        holder.setObjectName("pane")
        layout = QVBoxLayout(holder)
        layout.setContentsMargins(12, 10, 12, 10)
        layout.setSpacing(8)
        self._title = QLabel()
        self._title.setObjectName("title")
        layout.addWidget(self._title)
        self._swatch = Swatch() if isinstance(item, Coloured) else None
        if self._swatch is not None:
            layout.addWidget(self._swatch)
        first, folded = [], {}  # type: tuple[list[Row], dict[str, list[Row]]]
        for name, info in declared(item).items():
            row = Row(self._session, prefix, name, info, item)
            if info.first and len(first) < MOST_FIRST:
                first.append(row)
            else:
                folded.setdefault(info.heading or "More", []).append(row)
        layout.addWidget(Section("", first, folded=False))
        self._facts = None
        if isinstance(item, Lamp):
            self._facts = QLabel()
            self._facts.setObjectName("quiet")
            layout.addWidget(self._facts)
        for title, rows in folded.items():
            layout.addWidget(Section(title, rows, folded=True))
        layout.addStretch(1)
        self._rows = first + [row for rows in folded.values() for row in rows]
        self.setWidget(holder)
