"""The list of sources, with the lamp of each."""

from functools import lru_cache
from itertools import groupby

from PyQt6.QtCore import (
    QItemSelection,
    QItemSelectionModel,
    QPointF,
    QRect,
    QRectF,
    QSignalBlocker,
    QSize,
    Qt,
    pyqtSignal,
)
from PyQt6.QtGui import QColor, QIcon, QKeyEvent, QMouseEvent, QPainter, QPen, QPixmap, QPolygonF
from PyQt6.QtWidgets import QAbstractItemView, QListWidget, QListWidgetItem, QWidget

from wallum.desk.session.lamp_looks import LAMP_LOOKS
from wallum.desk.session.session import Session
from wallum.desk.widgets.short_names import ShortNames
from wallum.desk.widgets.tokens import TOKENS
from wallum.document.fields import declared
from wallum.document.picture_values import EFFECT_WORDS
from wallum.document.quantities import format_quantity
from wallum.document.sources import (
    AmbientBoxSource,
    CardSource,
    Lamp,
    PocketSource,
    Source,
    VeilSource,
    ZoneSource,
)
from wallum.moment.resolved_colour import shown_colour

__all__ = ["SourceList", "source_icon"]

ICON = 18
ID, LOOKS = Qt.ItemDataRole.UserRole, Qt.ItemDataRole.UserRole + 1


def source_icon(source: Source) -> QIcon:
    """A small diagram of the source's light in its own colour; grey when off."""
    return _icon(source.kind, source.on, shown_colour(source))


@lru_cache(maxsize=512)
def _icon(kind: str, on: bool, shown: tuple[int, int, int]) -> QIcon:
    pixmap = QPixmap(ICON * 2, ICON * 2)
    pixmap.fill(Qt.GlobalColor.transparent)
    painter = QPainter(pixmap)
    painter.scale(2.0, 2.0)
    painter.setRenderHint(QPainter.RenderHint.Antialiasing)
    colour = QColor(*shown) if on else QColor(TOKENS["edge"])
    painter.setPen(QPen(colour, 1.5))
    match kind:
        case "sun":
            for offset in (-4.5, 0.0, 4.5):
                painter.drawLine(QPointF(4 + offset / 2 + 3, 3), QPointF(2 + offset / 2 + 3, 15))
            painter.drawLine(QPointF(13, 3), QPointF(11, 15))
        case "moon":
            painter.drawArc(QRect(3, 3, 12, 12), 60 * 16, 240 * 16)
            painter.drawArc(QRect(7, 3, 9, 12), 75 * 16, 210 * 16)
        case "sky":
            painter.drawArc(QRect(2, 4, 14, 18), 0, 180 * 16)
            painter.drawLine(QPointF(1, 14), QPointF(17, 14))
        case "pocket":
            for x, y, side in ((2.5, 7, 6.0), (6, 4, 7.0), (9.5, 7, 6.0)):
                painter.drawArc(QRectF(x, y, side, side), 0, 180 * 16)
            painter.drawLine(QPointF(2, 13), QPointF(16, 13))
        case "room":
            painter.drawRect(QRectF(3, 6, 9, 9))
            painter.drawPolyline(
                QPolygonF([QPointF(3, 6), QPointF(7, 2), QPointF(16, 2), QPointF(16, 11), QPointF(12, 15)])
            )
            painter.drawLine(QPointF(12, 6), QPointF(16, 2))
        case "zone":
            pen = QPen(colour, 1.3, Qt.PenStyle.DashLine)
            painter.setPen(pen)
            painter.drawRect(QRectF(2.5, 4.5, 13, 10))
            painter.drawEllipse(QPointF(9, 9.5), 1.5, 1.5)
        case "card":
            painter.drawPolyline(QPolygonF([QPointF(7, 2), QPointF(3, 15), QPointF(15, 15), QPointF(11, 2)]))
            painter.drawLine(QPointF(9, 5), QPointF(9, 15))
        case "veil":
            for y, x in ((5, 3), (9, 2), (13, 4)):
                painter.drawLine(QPointF(x, y), QPointF(x + 11, y))
        case _:
            LAMP_LOOKS[kind].diagram(painter)
    painter.end()
    pixmap.setDevicePixelRatio(2.0)
    icon = QIcon(pixmap)
    icon.addPixmap(pixmap, QIcon.Mode.Selected)  # the light's colour stays true in a chosen row
    return icon


def _strength(source: Source) -> str:
    """How strong a source is, in a few words."""
    if isinstance(source, PocketSource):
        return f"one sees {format_quantity(source.visibility, 'm')}"
    if isinstance(source, ZoneSource):
        own = [EFFECT_WORDS[effect].lower() for effect in source.effects]
        own += [f"{source.exposure:+g} stops"] if source.exposure else []
        return ", ".join(own) or "nothing of its own yet"
    if isinstance(source, AmbientBoxSource):
        return format_quantity(source.ambient, "lx")
    if isinstance(source, VeilSource):
        return f"hides {source.hides:.0%}"
    if isinstance(source, CardSource):
        return f"{source.length:g} m long, {source.gain:g} times"
    if isinstance(source, Lamp):
        return format_quantity(source.strength, declared(source)[source.STRENGTH].unit)
    return "as it truly is" if source.trim == 0.0 else f"{source.trim:+g} stops"


class SourceList(QListWidget):
    """Every source by name; a click on its icon switches it, double click frames it."""

    frame_asked = pyqtSignal(str)

    def __init__(self, session: Session, parent: QWidget | None = None) -> None:
        super().__init__(parent)
        self._session = session
        self._shown: tuple[Source, ...] | None = None
        self._selection_shown: tuple[object, int] | None = None
        self.setMouseTracking(True)
        self.itemEntered.connect(self._tell)
        self.setIconSize(QSize(ICON, ICON))
        self.setAccessibleName("Sources")
        self.setItemDelegate(ShortNames(self))
        self.setHorizontalScrollBarPolicy(Qt.ScrollBarPolicy.ScrollBarAlwaysOff)
        self.setUniformItemSizes(True)
        self.setSelectionMode(QAbstractItemView.SelectionMode.ExtendedSelection)
        self.itemSelectionChanged.connect(self._choose)
        self.itemDoubleClicked.connect(lambda item: self.frame_asked.emit(item.data(ID)))
        session.changed.connect(self.refresh)
        session.selection.changed.connect(self._show_selection)
        self.refresh()

    def refresh(self) -> None:
        """Show the present sources; rows that did not change are left alone."""
        sources = self._session.project.resolved_sources
        if sources is self._shown:
            return
        before = self._shown or ()
        self._shown = sources
        with QSignalBlocker(self):
            if [entry.id for entry in before] != [source.id for source in sources]:
                self.clear()
                self._selection_shown = None
                for source in sources:
                    item = QListWidgetItem()
                    item.setData(ID, source.id)
                    self.addItem(item)
                before = (None,) * len(sources)  # type: ignore[assignment]
            for row, (old, source) in enumerate(zip(before, sources, strict=True)):
                if old is not source:
                    self._fill(row, source)
        self._show_selection()

    def _fill(self, row: int, source: Source) -> None:
        item = self.item(row)
        assert item is not None
        looks = (source.name, source.locked, source.kind, source.on, shown_colour(source))
        if item.data(LOOKS) == looks:
            return  # whatever is set anew is painted anew, changed or not
        item.setData(LOOKS, looks)
        item.setText(f"{source.name} \N{MIDDLE DOT} locked" if source.locked else source.name)
        item.setIcon(source_icon(source))
        item.setForeground(QColor(TOKENS["text" if source.on else "quiet"]))

    def _tell(self, item: QListWidgetItem) -> None:
        """The tip of a row that the pointer has come to."""
        source = self._session.project.source(item.data(ID))
        if source is not None:
            item.setToolTip(
                f"{source.name}: {_strength(source)}{'' if source.on else ', off'}"
                f"{', locked' if source.locked else ''}. Space switches it."
            )

    def _show_selection(self) -> None:
        shown = (self._session.selection.ids, self.count())
        if shown == self._selection_shown:
            return
        self._selection_shown = shown
        with QSignalBlocker(self):
            if not self._session.selection.ids:
                self.setCurrentItem(None)
            ids = [item.id for item in self._shown or ()]
            if (
                self._session.selection.lead in self._session.selection.chosen
                and self._session.selection.lead in ids
            ):
                lead = self.item(ids.index(self._session.selection.lead))
                self.setCurrentItem(lead, QItemSelectionModel.SelectionFlag.NoUpdate)
            self._select_rows([item in self._session.selection.chosen for item in ids])

    def _select_rows(self, chosen: list[bool]) -> None:
        """Select rows, by the run: one by one, thousands would take seconds."""
        model, selecting = self.model(), self.selectionModel()
        assert model is not None
        assert selecting is not None
        runs, first = QItemSelection(), 0
        for on, group in groupby(chosen):
            count = len(list(group))
            if on:
                runs.select(model.index(first, 0), model.index(first + count - 1, 0))
            first += count
        selecting.select(runs, QItemSelectionModel.SelectionFlag.ClearAndSelect)

    def _choose(self) -> None:
        chosen = [str(item.data(ID)) for item in self.selectedItems()]
        current = self.currentItem()
        if current is not None and current.isSelected():  # what was clicked last leads
            chosen.sort(key=lambda item: item == current.data(ID))
        self._session.selection.select(*chosen)

    def _switch(self, source_id: str) -> None:
        source = self._session.project.source(source_id)
        if source is not None:
            word = "off" if source.on else "on"
            self._session.set_value(f"{source.name} {word}", f"sources/@{source_id}/on", not source.on)

    def mousePressEvent(self, event: QMouseEvent | None) -> None:
        assert event is not None
        item = self.itemAt(event.pos())
        if item is not None and event.pos().x() < ICON + 8:
            self._switch(item.data(ID))
            return
        super().mousePressEvent(event)

    def keyPressEvent(self, event: QKeyEvent | None) -> None:
        assert event is not None
        item = self.currentItem()
        if event.key() == Qt.Key.Key_Space and item is not None:
            self._switch(item.data(ID))
        elif event.key() == Qt.Key.Key_Delete:
            self._session.remove_selected()
        else:
            super().keyPressEvent(event)
