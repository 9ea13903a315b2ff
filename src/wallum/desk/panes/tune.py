"""The tune pane: the values of what is selected, generated from their declarations."""

from collections.abc import Iterator, Sequence
from functools import partial

import numpy as np
from PyQt6.QtCore import QSignalBlocker, Qt, QTimer, pyqtSignal
from PyQt6.QtWidgets import (
    QGridLayout,
    QHBoxLayout,
    QLabel,
    QScrollArea,
    QStackedWidget,
    QToolButton,
    QVBoxLayout,
    QWidget,
)

from wallum.desk.look.head import LookHead
from wallum.desk.panes.air_head import AIR_GROUPS, AirHead
from wallum.desk.panes.baking_head import BakingHead
from wallum.desk.panes.colour_field import ColourField
from wallum.desk.panes.tune_rows import Row
from wallum.desk.session.light_baking import LightBaking
from wallum.desk.session.session import Session
from wallum.desk.timeline.path_chart import PathChart
from wallum.desk.viewport.base_mark import LAYERS
from wallum.desk.widgets.still_label import StillLabel
from wallum.document.fields import Item, declared
from wallum.document.look import Look
from wallum.document.owners import OWNERS, title_of
from wallum.document.picture_values import effect_of
from wallum.document.project import Project, base_light
from wallum.document.quantities import format_quantity
from wallum.document.sources import (
    LAMP_KINDS,
    AmbientBoxSource,
    CardSource,
    Coloured,
    FarLight,
    Lamp,
    PocketSource,
    VeilSource,
    ZoneSource,
)
from wallum.moment.base_light import body_now, find_base_light
from wallum.moment.resolved_colour import shown_colour, shown_rgb
from wallum.moment.zones import in_force
from wallum.physics.colour import luminance
from wallum.realtime.passes.shadows.cascades import nearest_grain

__all__ = ["TunePane"]

MAX_FIRST = 8
FAR_LINES = 5
# While the hour runs, values are shown anew this often.
LATER_MS = 150
# Shadows with fewer texels a metre look blocky from a player's height.
COARSE_GRAIN = 25.0


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

    @property
    def is_open(self) -> bool:
        return not self._grid.isHidden()

    def _set_open(self, is_open: bool) -> None:
        self._grid.setVisible(is_open)
        if self._fold is not None:
            self._fold.setArrowType(Qt.ArrowType.DownArrow if is_open else Qt.ArrowType.RightArrow)
            with QSignalBlocker(self._fold):
                self._fold.setChecked(is_open)


class Pane(QWidget):
    """Every row of one kind of thing; it serves one item after the other. See `build_pane`."""

    def __init__(self, session: Session, item: Item, first: list[Row]) -> None:
        super().__init__()
        self._session = session
        self.setObjectName("pane")
        self._column = QVBoxLayout(self)
        self._column.setContentsMargins(12, 10, 12, 10)
        self._column.setSpacing(8)
        self._title = QLabel()
        self._title.setObjectName("title")
        self._column.addWidget(self._title)
        self._field = ColourField(session)
        self._field.setVisible(isinstance(item, Coloured))
        self._column.addWidget(self._field)
        self._column.addWidget(Section("", first, folded=False))
        self._facts = StillLabel(FAR_LINES if isinstance(item, FarLight) else 1)
        self._facts.setVisible(isinstance(item, Lamp | FarLight))
        self._column.addWidget(self._facts)
        self._chart = PathChart(session) if isinstance(item, FarLight) else None
        if self._chart is not None:
            self._column.addWidget(self._chart)
        self._sections: list[tuple[Section, list[Row]]] = []
        self.rows, self._first = list(first), first

    def add_section(self, title: str, rows: list[Row]) -> None:
        """More rows, folded under a heading."""
        self._sections.append((Section(title, rows, folded=True), rows))
        self._column.addWidget(self._sections[-1][0])
        self.rows += rows

    def end(self) -> "Pane":
        """All is there: what room is left stays below."""
        self._column.addStretch(1)
        return self

    def show_item(self, item: Item, prefix: str, title: str, others: Sequence[Item] = ()) -> None:
        """Show an item of this pane's kind. others : more sources that are edited with it."""
        self._title.setText(title)
        off = item.inactive()
        dragged = self._session.history.shown is not self._session.history.present
        for row in self._first:
            row.refresh(item, prefix, title, others, off)
        for section, rows in self._sections:
            # What is folded is not looked at while a hand moves.
            if not dragged or section.is_open:
                for row in rows:
                    row.refresh(item, prefix, title, others, off)
            # What has no say as the item is set is not in the way.
            section.setVisible(any(row.in_force for row in rows))
        if isinstance(item, Coloured):
            alike = [other for other in others if isinstance(other, Coloured)]
            self._field.show_source(item, alike, shown_colour(item))
            # Of a pocket that is its own light's alone; a card has its source's.
            self._field.setVisible("kelvin" not in item.inactive() or "colour" not in item.inactive())
        if isinstance(item, Lamp):
            lumens = sum(entry.lumens() for entry in (item, *others) if isinstance(entry, Lamp))
            word = "together give" if others else "gives"
            self._facts.setText(f"{word} {format_quantity(lumens, 'lm')}")
        if isinstance(item, FarLight):
            assert self._chart is not None
            self._chart.show_body(item)
            place, light = body_now(self._session.now, self._session.playhead.hour, item)
            lux = float(luminance(light))
            self._facts.setText(
                f"stands at {place.azimuth % 360.0:.1f} deg, {place.elevation:.1f} deg high; "
                f"gives {format_quantity(lux, 'lx')} facing it{self._grain()}"
            )
            if lux > 0.0:
                self._field.show_swatch(shown_rgb(light))

    def _grain(self) -> str:
        """How fine the far light's shadows are near the camera, and whether their reach costs that."""
        loaded, camera = self._session.level, self._session.camera
        far = find_base_light(self._session.now, self._session.playhead.moment).far
        if loaded is None or camera is None or far is None or not far.shadow:
            return ""
        grain = nearest_grain(far, camera, loaded.level.bounds)
        hint = "; a shorter reach or more texels would make them finer" if grain < COARSE_GRAIN else ""
        return f"; its shadows have {grain:.0f} texels a metre near the camera{hint}"


def build_pane(session: Session, item: Item) -> Iterator[Pane | None]:
    """The pane of an item's kind, a little at a time: None until it is there."""
    first: list[Row] = []
    folded: dict[str, list[Row]] = {}
    for name, info in declared(item).items():
        row = Row(session, name, info, item)
        at_once = name in item.FIRST if item.FIRST else info.first
        if at_once and len(first) < MAX_FIRST:
            first.append(row)
        else:
            folded.setdefault(info.heading or "More", []).append(row)
        yield None
    pane = Pane(session, item, first)
    yield None
    for title, rows in folded.items():
        pane.add_section(title, rows)
        yield None
    yield pane.end()


class TunePane(QWidget):
    """Shows the selected source; where none is, the picture's values, the air or the place.

    group_changed : the group of the project whose values are shown; empty for a source's
    The pane of each kind is built once, in idle moments ahead of its use (`build_ahead`): all of
    them together take longer than an opening window should wait for.
    """

    group_changed = pyqtSignal(str)

    def __init__(self, session: Session, parent: QWidget | None = None) -> None:
        super().__init__(parent)
        self._session = session
        self._group, self.group = "look", "look"
        self._zones_marked = False
        self._stack = QStackedWidget()
        self._kinds = _one_of_each()
        self._panes: dict[type[Item], Pane] = {}
        self._coming: dict[type[Item], Iterator[Pane | None]] = {}
        self._unbuilt = QTimer(self)
        self._unbuilt.setInterval(0)
        self._unbuilt.timeout.connect(self._build_on)
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
        self._air = AirHead(session)
        self._air.chosen.connect(self.show_group)
        layout.addWidget(self._air)
        self.baking = BakingHead()
        layout.addWidget(self.baking)
        self.look = LookHead(session)
        layout.addWidget(self.look)
        layout.addWidget(self._scroll, 1)
        session.changed.connect(self.refresh)
        session.selection.changed.connect(self.refresh)
        session.playhead.moved.connect(self._hour_changed)
        self.refresh()

    def _bar(self) -> QWidget:
        bar = QWidget()
        bar.setObjectName("pane")
        row = QHBoxLayout(bar)
        row.setContentsMargins(10, 6, 10, 2)
        row.setSpacing(4)
        for item in (owner for owner in OWNERS.values() if owner.tab):
            button = QToolButton()
            button.setText(item.tab)
            button.setToolTip(item.tip)
            button.setObjectName("tab")
            button.setCheckable(True)
            button.setFocusPolicy(Qt.FocusPolicy.TabFocus)
            button.clicked.connect(partial(self._show_tab, item.name))
            row.addWidget(button)
            self._tabs[item.name] = button
        row.addStretch(1)
        return bar

    def _show_tab(self, group: str, _: bool) -> None:
        self.show_group(group)

    def show_group(self, group: str) -> None:
        """Show the picture's values, the air's or the place's instead of a source's."""
        self._group = group
        self._session.selection.select("")
        self.refresh()

    def lead_baking(self, baking: LightBaking) -> None:
        """Show how baked light stands over its values, and those once a bake begins."""
        self.baking.lead(baking)
        baking.began.connect(lambda: self.show_group("baking"))

    def build_ahead(self) -> None:
        """Build the panes that are not there yet, a little at a time, while nothing else is to do."""
        self._unbuilt.start()

    def _build_on(self) -> None:
        item = next((kind for kind in self._kinds if type(kind) not in self._panes), None)
        if item is None:
            self._unbuilt.stop()
        else:
            self._step(item)

    def _step(self, item: Item) -> None:
        """Build a little of the pane of an item's kind."""
        kind = type(item)
        pane = next(self._coming.setdefault(kind, build_pane(self._session, item)))
        if pane is not None:
            self._panes[kind] = pane
            self._stack.addWidget(pane)
            del self._coming[kind]

    def _pane_for(self, item: Item) -> Pane:
        """The pane of an item's kind."""
        while type(item) not in self._panes:
            self._step(item)
        return self._panes[type(item)]

    @property
    def pane(self) -> Pane:
        """The pane that is shown."""
        shown = self._stack.currentWidget()
        assert isinstance(shown, Pane)
        return shown

    def _hour_changed(self) -> None:
        # A day that plays would spend its time on numbers that no one can read.
        moves = bool(self._session.project.lanes) or self._group in ("setting", *AIR_GROUPS)
        moves = moves or self._group == "baking" or isinstance(self._session.selection.source, FarLight)
        if moves and not self._soon.isActive():
            self._soon.start()

    @property
    def air_layer(self) -> str:
        """The layer of air whose values are shown; empty where none is."""
        alone = self._session.selection.lead == ""
        return self._group if alone and self._group in LAYERS else ""

    def _show_look(self, shown: bool, look: Look) -> None:
        self.look.setVisible(shown)
        if shown:
            self.look.show_look(look)
            self.mark_zones()
        group = self._group if self._session.selection.lead == "" else ""
        if group != self.group:
            self.group = group
            self.group_changed.emit(group)

    def mark_zones(self) -> None:
        """Say which zones have a say in the picture, and in which values."""
        camera = self._session.camera
        by_effect: dict[str, str] = {}
        zones = () if camera is None else in_force(self._session.now.sources, np.array(camera.eye))
        for zone in zones:
            by_effect |= dict.fromkeys(zone.zone.effects, f"{zone.zone.name}, {zone.share:.0%} here")
            if zone.zone.exposure != 0.0:
                by_effect["compensation"] = by_effect["ev100"] = f"{zone.zone.name}, {zone.share:.0%} here"
        if not zones and not self._zones_marked:
            return
        self._zones_marked = bool(zones)
        self.look.show_zones(zones)
        for row in self.pane.rows:
            row.mark(by_effect.get(row.name) or by_effect.get(effect_of(row.name) or "", ""))

    def refresh(self) -> None:
        """Show the present values."""
        now = self._session.now
        source = now.source(self._session.selection.lead)
        item: Item = source if source is not None else getattr(now, self._group)
        pane = self._pane_for(item)
        if self._stack.currentWidget() is not pane:
            self._stack.setCurrentWidget(pane)
            self._scroll.ensureVisible(0, 0)
        for group, button in self._tabs.items():
            button.setChecked(
                source is None and group == ("air" if self._group in AIR_GROUPS else self._group)
            )
        self._air.setVisible(source is None and self._group in AIR_GROUPS)
        if source is None and self._group in AIR_GROUPS:
            self._air.show_group(self._group)
        self.baking.setVisible(source is None and self._group == "baking")
        self.baking.refresh()
        self._show_look(source is None and self._group == "look", now.look)
        if source is not None:
            result = (now.source(entry) for entry in self._session.selection.ids[:-1])
            others = [entry for entry in result if entry is not None]
            title = f"{source.name} and {len(others)} more" if others else source.name
            pane.show_item(item, f"sources/@{source.id}", title, others)
        else:
            pane.show_item(item, self._group, title_of(self._group))


def _one_of_each() -> tuple[Item, ...]:
    lamps = (kind(id=word, name=word) for word, kind in LAMP_KINDS.items())
    boxes = PocketSource(id="pocket", name="pocket"), AmbientBoxSource(id="room", name="room")
    zone = ZoneSource(id="zone", name="zone")
    groups = (getattr(Project(), owner.name) for owner in OWNERS.values() if owner.tab)
    sheets = CardSource(id="card", name="card"), VeilSource(id="veil", name="veil")
    return (*groups, *base_light(), *lamps, *boxes, *sheets, zone)
