"""The tune pane: the values of what is selected, generated from their declarations."""

from collections.abc import Callable
from dataclasses import replace

from PyQt6.QtCore import QSignalBlocker, Qt, QTimer
from PyQt6.QtGui import QColor, QPainter, QPaintEvent
from PyQt6.QtWidgets import (
    QCheckBox,
    QComboBox,
    QGridLayout,
    QHBoxLayout,
    QLabel,
    QScrollArea,
    QStackedWidget,
    QToolButton,
    QVBoxLayout,
    QWidget,
)

from wallum.desk.number_field import NumberField
from wallum.desk.peg_button import PegButton
from wallum.desk.session import Session
from wallum.desk.tokens import TOKENS
from wallum.document.fields import Item, Parameter, declared
from wallum.document.paths import choices
from wallum.document.project import Air, Look, Setting, base_light
from wallum.document.quantities import format_quantity
from wallum.document.sources import Coloured, FarLight, Lamp, PointSource, SpotSource
from wallum.moment.base_light import body_now
from wallum.moment.shown_colour import shown_colour, shown_rgb
from wallum.physics.colour import luminance

__all__ = ["TunePane"]

MOST_FIRST = 8
# While the hour runs, values are shown anew this often.
LATER_MS = 150
Refresh = Callable[[Item], None]


class Swatch(QWidget):
    """The colour of a light, at full strength."""

    def __init__(self, parent: QWidget | None = None) -> None:
        super().__init__(parent)
        self.setFixedHeight(10)
        self._colour = QColor("white")

    def show_colour(self, shown: tuple[int, int, int]) -> None:
        self._colour = QColor(*shown)
        self.update()

    def paintEvent(self, _: QPaintEvent | None) -> None:
        painter = QPainter(self)
        painter.fillRect(self.rect(), self._colour)
        painter.setPen(QColor(TOKENS["line"]))
        painter.drawRect(self.rect().adjusted(0, 0, -1, -1))


class Row:
    """A label and the widgets of one parameter, tied to the session both ways."""

    def __init__(self, session: Session, name: str, info: Parameter, item: Item) -> None:
        self._session, self._name, self._info = session, name, info
        self._path, self._title = "", ""
        self._default = type(item).model_fields[name].default
        parts_unit = f", {info.unit}" if info.kind == "vector" and info.unit else ""
        self.label = QLabel(info.label + parts_unit)
        self.label.setObjectName("quiet")
        self.label.setToolTip(info.help)
        self.widget, self._refresh = self._build(item)
        self.widget.setToolTip(self._tip())
        self.peg: PegButton | None = None
        if isinstance(item, Coloured | Look | Air) and info.kind != "colour":
            self.peg = PegButton(session)

    def _tip(self) -> str:
        limits = ""
        if self._info.kind == "number" and self._info.low is not None and self._info.high is not None:
            low, high = (format_quantity(v, self._info.unit) for v in (self._info.low, self._info.high))
            limits = f"\n{low} to {high}. Drag (fine with Shift), type, or Delete for the default."
        return self._info.help + limits

    @property
    def _step(self) -> str:
        return f"{self._title}, {self._info.label.lower()}"

    @property
    def wide(self) -> bool:
        """Whether the widget wants the whole width, below its label."""
        return self._info.kind in ("vector", "colour")

    def refresh(self, item: Item, prefix: str, title: str) -> None:
        """Show the value of an item at a path; writes nothing."""
        self._path, self._title = f"{prefix}/{self._name}", title
        self._refresh(item)
        in_force = self._name not in item.idle()
        self.widget.setEnabled(in_force)
        self.label.setEnabled(in_force)
        if self.peg is not None:
            owner = getattr(item, "id", prefix)
            self.peg.refresh(self._path, self._step, self._session.project.lane(owner, self._name))

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
        grid.setHorizontalSpacing(6)
        grid.setVerticalSpacing(5)
        grid.setColumnMinimumWidth(0, 84)
        grid.setColumnStretch(1, 1)
        line = 0
        for row in rows:
            grid.addWidget(row.label, line, 0)
            if row.peg is not None:
                grid.addWidget(row.peg, line, 2)
            line += 1 if row.wide else 0
            grid.addWidget(row.widget, line, 0 if row.wide else 1, 1, 3 if row.wide else 1)
            line += 1
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


class Pane(QWidget):
    """Every row of one kind of thing; it serves one item after the other."""

    def __init__(self, session: Session, item: Item) -> None:
        super().__init__()
        self._session = session
        self.setObjectName("pane")
        layout = QVBoxLayout(self)
        layout.setContentsMargins(12, 10, 12, 10)
        layout.setSpacing(8)
        self._title = QLabel()
        self._title.setObjectName("title")
        layout.addWidget(self._title)
        self._swatch = Swatch()
        self._swatch.setVisible(isinstance(item, Coloured))
        layout.addWidget(self._swatch)
        first, folded = _sorted_rows(session, item)
        layout.addWidget(Section("", first, folded=False))
        self._facts = QLabel()
        self._facts.setObjectName("quiet")
        self._facts.setWordWrap(True)
        self._facts.setVisible(isinstance(item, Lamp | FarLight))
        layout.addWidget(self._facts)
        for title, rows in folded.items():
            layout.addWidget(Section(title, rows, folded=True))
        layout.addStretch(1)
        self.rows = first + [row for rows in folded.values() for row in rows]

    def show_item(self, item: Item, prefix: str, title: str) -> None:
        """Show an item of this pane's kind."""
        self._title.setText(title)
        for row in self.rows:
            row.refresh(item, prefix, title)
        if isinstance(item, Coloured):
            self._swatch.show_colour(shown_colour(item))
        if isinstance(item, Lamp):
            self._facts.setText(f"gives {format_quantity(item.lumens(), 'lm')}")
        if isinstance(item, FarLight):
            place, light = body_now(self._session.now, self._session.hour, item)
            lux = float(luminance(light))
            self._facts.setText(
                f"stands at {place.azimuth % 360.0:.1f} deg, {place.elevation:.1f} deg high; "
                f"gives {format_quantity(lux, 'lx')} facing it"
            )
            if lux > 0.0:
                self._swatch.show_colour(shown_rgb(light))


def _sorted_rows(session: Session, item: Item) -> tuple[list[Row], dict[str, list[Row]]]:
    """The rows shown at once, and the others by heading."""
    first: list[Row] = []
    folded: dict[str, list[Row]] = {}
    for name, info in declared(item).items():
        row = Row(session, name, info, item)
        if info.first and len(first) < MOST_FIRST:
            first.append(row)
        else:
            folded.setdefault(info.heading or "More", []).append(row)
    return first, folded


class TunePane(QWidget):
    """Shows the selected source; where none is, the picture's values, the air or the place.

    The pane of each kind is built once, ahead of time: building one takes longer than a
    window may stick.
    """

    def __init__(self, session: Session, parent: QWidget | None = None) -> None:
        super().__init__(parent)
        self._session = session
        self._group = "look"
        self._stack = QStackedWidget()
        self._panes = {type(one): Pane(session, one) for one in _one_of_each()}
        for pane in self._panes.values():
            self._stack.addWidget(pane)
        self._scroll = QScrollArea()
        self._scroll.setWidgetResizable(True)
        self._scroll.setHorizontalScrollBarPolicy(Qt.ScrollBarPolicy.ScrollBarAlwaysOff)
        self._scroll.setWidget(self._stack)
        self._tabs: dict[str, QToolButton] = {}
        self._soon = QTimer(self)
        self._soon.setSingleShot(True)
        self._soon.setInterval(LATER_MS)
        self._soon.timeout.connect(self.refresh)
        layout = QVBoxLayout(self)
        layout.setContentsMargins(0, 0, 0, 0)
        layout.setSpacing(0)
        layout.addWidget(self._bar())
        layout.addWidget(self._scroll, 1)
        session.changed.connect(self.refresh)
        session.selection_changed.connect(self.refresh)
        session.hour_changed.connect(self._hour_changed)
        self.refresh()

    def _bar(self) -> QWidget:
        bar = QWidget()
        bar.setObjectName("pane")
        row = QHBoxLayout(bar)
        row.setContentsMargins(10, 6, 10, 2)
        row.setSpacing(4)
        for group, (text, tip) in GROUPS.items():
            button = QToolButton()
            button.setText(text)
            button.setToolTip(tip)
            button.setCheckable(True)
            button.setFocusPolicy(Qt.FocusPolicy.TabFocus)
            button.clicked.connect(lambda _, group=group: self.show_group(group))
            row.addWidget(button)
            self._tabs[group] = button
        row.addStretch(1)
        return bar

    def show_group(self, group: str) -> None:
        """Show the picture's values, the air's or the place's instead of a source's."""
        self._group = group
        self._session.select("")
        self.refresh()

    @property
    def pane(self) -> Pane:
        """The pane that is shown."""
        shown = self._stack.currentWidget()
        assert isinstance(shown, Pane)
        return shown

    def _hour_changed(self) -> None:
        # A day that plays would spend its time on numbers that no one can read.
        moves = bool(self._session.project.lanes) or self._group == "setting"
        moves = moves or isinstance(self._session.selected_source, FarLight)
        if moves and not self._soon.isActive():
            self._soon.start()

    def refresh(self) -> None:
        """Show the present values."""
        now = self._session.now
        source = now.source(self._session.selected)
        item: Item = source if source is not None else getattr(now, self._group)
        pane = self._panes[type(item)]
        if self._stack.currentWidget() is not pane:
            self._stack.setCurrentWidget(pane)
            self._scroll.ensureVisible(0, 0)
        for group, button in self._tabs.items():
            button.setChecked(source is None and group == self._group)
        if source is not None:
            pane.show_item(item, f"sources/@{source.id}", source.name)
        else:
            pane.show_item(item, self._group, TITLES[self._group])


GROUPS = {
    "look": ("Picture", "Exposure of the picture"),
    "air": ("Air", "Haze and mist that fill the level"),
    "setting": ("Place", "Where on Earth, which day, how long a day lasts"),
}
TITLES = {"look": "Picture", "air": "Air", "setting": "Place and day"}


def _one_of_each() -> tuple[Item, ...]:
    lamps = (PointSource(id="p", name="Point"), SpotSource(id="s", name="Spot"))
    return (Look(), Air(), Setting(), *base_light(), *lamps)
