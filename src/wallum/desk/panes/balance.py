"""The balance: an upright strip for each source, grouped, like a lighting console.

One widget paints all strips, so that three hundred cost no more than they show.
"""

from dataclasses import dataclass
from typing import Final

from PyQt6.QtCore import QPointF, QRect, QRectF, QSize, Qt, pyqtSignal
from PyQt6.QtGui import QColor, QKeyEvent, QMouseEvent, QPainter, QPaintEvent, QPen, QWheelEvent
from PyQt6.QtWidgets import QLineEdit, QSizePolicy, QWidget

from wallum.desk.session.session import Session
from wallum.desk.widgets.short_names import shortened
from wallum.desk.widgets.tokens import TOKENS
from wallum.document.fields import declared
from wallum.document.project import Balance
from wallum.document.sources import GROUPS, Placed, Source, ZoneSource
from wallum.judge.cost import FrameCost
from wallum.judge.ledger import Contribution, glow_by_material
from wallum.moment.resolved_colour import shown_colour

__all__ = ["BalanceView", "Strip"]

WIDTH: Final = 50
HEIGHT: Final = 115
GROUP_GAP: Final = 10
LAMP_Y, TRACK_TOP, TRACK_BOTTOM = 10.0, 23.0, 62.0
RANGE_STOPS = 6.0
FINE, STEP = 0.1, 0.1
GROUP_ORDER: Final = ("base", "lamps", "accents", "glow")


@dataclass(frozen=True)
class Strip:
    """A source, or the trim of its whole group (source None)."""

    group: str
    source: Source | None
    x: float

    @property
    def key(self) -> str:
        return self.source.id if self.source is not None else f"group {self.group}"


class BalanceView(QWidget):
    """Click a lamp to switch it, the ring under it to see it alone; drag a fader; type a number."""

    only_changed = pyqtSignal(str)

    def __init__(self, session: Session, parent: QWidget | None = None) -> None:
        super().__init__(parent)
        self._session = session
        self.given: dict[str, Contribution] = {}
        self.cost: dict[str, float] = {}  # milliseconds of a frame on the target, by source
        self.stale = True
        self.sorted_by = "group"
        self.only = ""
        self._strips: list[Strip] = []
        self._laid_out: tuple[Source, ...] | None = None
        self._shape: list[tuple[str, str]] = []
        self._trims: Balance | None = None
        self._scroll = 0.0
        self._drag: tuple[Strip, float, float] | None = None
        self._alike: dict[str, tuple[Strip, float]] = {}  # strips that are dragged with it
        self._focused = ""
        self._editor: QLineEdit | None = None
        self.setFixedHeight(HEIGHT)
        self.setSizePolicy(QSizePolicy.Policy.Expanding, QSizePolicy.Policy.Fixed)
        self.setFocusPolicy(Qt.FocusPolicy.StrongFocus)
        self.setMouseTracking(True)
        self.setAccessibleName("Balance")
        self.setToolTip(
            "Balance: click a lamp to switch it, the ring below to see it alone, drag its fader in stops"
        )
        session.changed.connect(self.refresh)
        session.selection.changed.connect(self._selected)
        self.refresh()

    def sizeHint(self) -> QSize:
        return QSize(600, HEIGHT)

    # -- what is shown -----------------------------------------------------------------

    def refresh(self) -> None:
        """Show the present sources; where only values changed, only their strips are painted."""
        sources, trims = self._sources(), self._session.project.balance
        before, self._laid_out = self._laid_out, sources
        shape = [(source.id, str(source.role)) for source in sources]
        if before is not None and shape == self._shape and self.sorted_by != "name":
            changed = {new.id: new for old, new in zip(before, sources, strict=True) if old is not new}
            for index, strip in enumerate(self._strips):
                if strip.source is not None and strip.source.id in changed:
                    self._strips[index] = Strip(strip.group, changed[strip.source.id], strip.x)
                    self._repaint(strip)
                elif strip.source is None and trims is not self._trims:
                    self._repaint(strip)
            self._trims = trims
            return
        self._shape, self._trims = shape, trims
        self._lay_out()

    def _repaint(self, strip: Strip) -> None:
        self.update(QRect(round(strip.x - self._scroll), 0, WIDTH, self.height()))

    def _sources(self) -> tuple[Source, ...]:
        """Those that have a strip: zones give no light."""
        return tuple(
            source for source in self._session.project.resolved_sources if not isinstance(source, ZoneSource)
        )

    def _lay_out(self) -> None:
        groups: dict[str, list[Source]] = {name: [] for name in GROUP_ORDER}
        for source in self._sources():
            groups[GROUPS[source.role]].append(source)
        x, strips = 6.0, []
        for name in GROUP_ORDER:
            if not groups[name] and name != "glow":
                continue
            strips.append(Strip(name, None, x))
            x += WIDTH
            for source in self._ordered(groups[name]):
                strips.append(Strip(name, source, x))
                x += WIDTH
            x += GROUP_GAP
        self._strips, self._length = strips, x
        self._scroll = min(self._scroll, max(self._length - self.width(), 0.0))
        self.update()

    def _selected(self) -> None:
        """Bring the strip of what is selected into view."""
        strip = next((item for item in self._strips if item.key == self._session.selection.lead), None)
        if strip is not None:
            self._focused = strip.key
            self._show(strip)
        self.update()

    def _show(self, strip: Strip) -> None:
        self._scroll = min(max(self._scroll, strip.x + WIDTH - self.width()), strip.x - 6.0)
        self._scroll = max(self._scroll, 0.0)

    def _ordered(self, sources: list[Source]) -> list[Source]:
        if self.sorted_by == "share":
            return sorted(sources, key=lambda source: -self._given(source.id).share)
        if self.sorted_by == "cost":
            return sorted(sources, key=lambda source: -self.cost.get(source.id, 0.0))
        if self.sorted_by == "name":
            return sorted(sources, key=lambda source: source.name.lower())
        return sources

    def sort_by(self, order: str) -> None:
        """Order of the strips within their groups: group (as they stand), share, cost or name."""
        self.sorted_by = order
        self._lay_out()

    def show_given(self, given: dict[str, Contribution]) -> None:
        """What each source gives, newly worked out."""
        self.given, self.stale = given, False
        if self.sorted_by == "share":
            self._lay_out()
        self.update()

    def show_cost(self, cost: FrameCost) -> None:
        """What each source costs of a frame, newly worked out."""
        self._take_cost(cost.sources)

    def forget_cost(self, _: str) -> None:
        """There is no cost on this target; the text says why."""
        self._take_cost({})

    def _take_cost(self, by_source: dict[str, float]) -> None:
        self.cost = by_source
        if self.sorted_by == "cost":
            self._lay_out()
        self.update()

    def cost_of(self, strip: Strip) -> float:
        """Milliseconds of a source, or of a whole group, on the target."""
        if strip.source is not None:
            return self.cost.get(strip.source.id, 0.0)
        members = [item.source.id for item in self._strips if item.group == strip.group and item.source]
        return sum(self.cost.get(member, 0.0) for member in members)

    def set_stale(self) -> None:
        """What is shown of shares is of a picture before."""
        if not self.stale:
            self.stale = True
            self.update()

    def _given(self, source_id: str) -> Contribution:
        return self.given.get(source_id, Contribution(0.0, 0.0))

    def strips(self) -> list[Strip]:
        """All strips from left to right; a group's own strip comes before its sources."""
        return list(self._strips)

    def strip_of(self, key: str) -> Strip:
        """The strip of a source id, or of `group NAME`."""
        return next(strip for strip in self._strips if strip.key == key)

    def centre_of(self, strip: Strip) -> float:
        """Middle of a strip in the widget [px]."""
        return strip.x - self._scroll + WIDTH / 2

    def trim_of(self, strip: Strip) -> float:
        """Stops that a strip's fader stands at."""
        if strip.source is None:
            return float(getattr(self._session.project.balance, strip.group))
        lane = self._session.project.lane(strip.source.id, "trim")
        if lane is None:
            return float(strip.source.trim)
        now = self._session.now.source(strip.source.id)
        return float(now.trim) if now is not None else 0.0

    @staticmethod
    def y_of(stops: float) -> float:
        """Place of a fader's knob [px]."""
        share = (min(max(stops, -RANGE_STOPS), RANGE_STOPS) + RANGE_STOPS) / (2.0 * RANGE_STOPS)
        return TRACK_BOTTOM - share * (TRACK_BOTTOM - TRACK_TOP)

    # -- painting ----------------------------------------------------------------------

    def paintEvent(self, event: QPaintEvent | None) -> None:
        assert event is not None
        dirty = event.rect()
        painter = QPainter(self)
        painter.fillRect(dirty, QColor(TOKENS["pane"]))
        painter.setRenderHint(QPainter.RenderHint.Antialiasing)
        font = self.font()
        font.setPointSizeF(7.5)
        painter.setFont(font)
        for strip in self._strips:
            left = strip.x - self._scroll
            if left < dirty.right() + 1 and left + WIDTH > dirty.left():
                painter.save()
                painter.translate(left, 0.0)
                self._paint_strip(painter, strip)
                painter.restore()
        painter.end()

    def _paint_strip(self, painter: QPainter, strip: Strip) -> None:
        source = strip.source
        chosen = source is not None and source.id in self._session.selection.chosen
        if source is None or chosen:
            painter.fillRect(QRectF(1, 0, WIDTH - 2, self.height()), QColor(TOKENS["ground"]))
        if chosen:
            painter.fillRect(QRectF(1, 0, WIDTH - 2, 2), QColor(TOKENS["accent"]))
        middle = WIDTH / 2
        if source is not None:
            self._paint_lamp(painter, source, middle)
        self._paint_fader(painter, strip, middle)
        painter.setPen(QColor(TOKENS["text" if source is None or source.on else "quiet"]))
        trim = self.trim_of(strip)
        number = "0" if abs(trim) < 0.05 else f"{trim:+.1f}"
        painter.drawText(QRectF(0, TRACK_BOTTOM + 2, WIDTH, 13), Qt.AlignmentFlag.AlignCenter, number)
        self._paint_share(painter, strip)
        cost = self.cost_of(strip)
        painter.setPen(QColor(TOKENS["quiet"]))
        below = QRectF(0, TRACK_BOTTOM + 28, WIDTH, 12)
        text = "" if cost <= 0.0 else f"{cost:.2f} ms" if cost >= 0.005 else "< 0.01"
        painter.drawText(below, Qt.AlignmentFlag.AlignCenter, text)
        name = strip.group.capitalize() if source is None else source.name
        metrics = painter.fontMetrics()
        short = shortened(name, lambda text: metrics.horizontalAdvance(text) <= WIDTH - 4)
        shown = metrics.elidedText(short, Qt.TextElideMode.ElideRight, WIDTH - 4)
        painter.setPen(QColor(TOKENS["text" if source is None or chosen else "quiet"]))
        painter.drawText(QRectF(0, self.height() - 13, WIDTH, 13), Qt.AlignmentFlag.AlignCenter, shown)
        if self.hasFocus() and strip.key == self._focused:
            painter.setPen(QPen(QColor(TOKENS["accent"]), 1))
            painter.setBrush(Qt.BrushStyle.NoBrush)
            painter.drawRect(QRectF(1.5, 1.5, WIDTH - 3, self.height() - 3))

    def _paint_lamp(self, painter: QPainter, source: Source, middle: float) -> None:
        colour = QColor(*shown_colour(source))
        painter.setPen(QPen(colour if source.on else QColor(TOKENS["edge"]), 1.5))
        painter.setBrush(colour if source.on else Qt.BrushStyle.NoBrush)
        painter.drawEllipse(QPointF(middle - 9, LAMP_Y), 5.5, 5.5)
        alone = self.only == source.id
        painter.setPen(QPen(QColor(TOKENS["accent" if alone else "edge"]), 1.5))
        painter.setBrush(Qt.BrushStyle.NoBrush)
        painter.drawEllipse(QPointF(middle + 10, LAMP_Y), 5.5, 5.5)
        painter.setBrush(QColor(TOKENS["accent" if alone else "edge"]))
        painter.drawEllipse(QPointF(middle + 10, LAMP_Y), 1.5, 1.5)

    def _paint_fader(self, painter: QPainter, strip: Strip, middle: float) -> None:
        painter.setPen(QPen(QColor(TOKENS["line"]), 1))
        for stops in range(-6, 7, 2):
            y = self.y_of(stops)
            wide = 7.0 if stops == 0 else 4.0
            painter.drawLine(QPointF(middle - wide, y), QPointF(middle + wide, y))
        painter.setPen(QPen(QColor(TOKENS["edge"]), 1.5))
        painter.drawLine(QPointF(middle, TRACK_TOP), QPointF(middle, TRACK_BOTTOM))
        y = self.y_of(self.trim_of(strip))
        knob = QRectF(middle - 11, y - 4, 22, 8)
        painter.setPen(QPen(QColor(TOKENS["quiet"]), 1))
        painter.setBrush(QColor(TOKENS["raised"]))
        painter.drawRect(knob)
        painter.drawLine(QPointF(middle - 8, y), QPointF(middle + 8, y))

    def _paint_share(self, painter: QPainter, strip: Strip) -> None:
        share = self.share_of(strip)
        box = QRectF(6, TRACK_BOTTOM + 16, WIDTH - 12, 12)
        painter.setPen(QPen(QColor(TOKENS["line"]), 1))
        painter.setBrush(Qt.BrushStyle.NoBrush)
        painter.drawRect(box)
        filled = QRectF(box.left(), box.top(), box.width() * min(share, 1.0), box.height())
        painter.fillRect(filled, QColor(TOKENS["line" if self.stale else "edge"]))
        painter.setPen(QColor(TOKENS["quiet" if self.stale else "text"]))
        text = "" if strip.source is not None and not strip.source.on else _percent(share)
        painter.drawText(box, Qt.AlignmentFlag.AlignCenter, text)

    def share_of(self, strip: Strip) -> float:
        """Share of the picture's light of a source, or of a whole group."""
        if strip.source is not None:
            return self._given(strip.source.id).share
        members = [item.source.id for item in self._strips if item.group == strip.group and item.source]
        if strip.group == "glow":
            return sum(item.share for item in glow_by_material(self.given).values())
        return sum(self._given(member).share for member in members)

    # -- the hand ----------------------------------------------------------------------

    def _strip_at(self, x: float) -> Strip | None:
        place = x + self._scroll
        return next((strip for strip in self._strips if strip.x <= place < strip.x + WIDTH), None)

    def mousePressEvent(self, event: QMouseEvent | None) -> None:
        assert event is not None
        at = event.position()
        strip = self._strip_at(at.x())
        if strip is None or event.button() != Qt.MouseButton.LeftButton:
            return
        self._focused = strip.key
        if at.y() < TRACK_TOP - 6 and strip.source is not None:
            if at.x() < self.centre_of(strip):
                self._switch(strip.source)
            else:
                self.see_only("" if self.only == strip.source.id else strip.source.id)
            return
        if strip.source is not None:
            if event.modifiers() & Qt.KeyboardModifier.ControlModifier:
                self._session.selection.select_also(strip.source.id)
                return
            if strip.source.id not in self._session.selection.chosen:
                self._session.selection.select(strip.source.id)
        if at.y() < TRACK_BOTTOM + 6:
            self._drag = (strip, at.y(), self.trim_of(strip))
            self._alike = {item.key: (item, self.trim_of(item)) for item in self._dragged_with(strip)}
        self.update()

    def mouseMoveEvent(self, event: QMouseEvent | None) -> None:
        assert event is not None
        if self._drag is None:
            self._tip(self._strip_at(event.position().x()))
            return
        strip, start, trim = self._drag
        fine = FINE if event.modifiers() & Qt.KeyboardModifier.ShiftModifier else 1.0
        moved = (start - event.position().y()) / (TRACK_BOTTOM - TRACK_TOP) * 2.0 * RANGE_STOPS * fine
        grain = STEP * fine
        stops = round(min(max(trim + moved, -12.0), 12.0) / grain) * grain
        if abs(stops - self.trim_of(strip)) > 1e-9:
            values = {self._path(strip): round(stops, 4)}
            for other, before in self._alike.values():
                moved = min(max(before + stops - trim, -12.0), 12.0)
                values[self._path(other)] = round(moved, 4)
            self._session.preview_all(values)

    def _dragged_with(self, strip: Strip) -> list[Strip]:
        """The other selected strips, where a selected one is dragged; locked ones stay."""
        if strip.source is None or strip.source.id not in self._session.selection.chosen:
            return []
        chosen = [
            item for item in self._strips if item.source and item.source.id in self._session.selection.chosen
        ]
        return [item for item in chosen if item.key != strip.key and item.source and not item.source.locked]

    def mouseReleaseEvent(self, event: QMouseEvent | None) -> None:
        if self._drag is not None:
            strip, self._drag = self._drag[0], None
            more = f" and {len(self._alike)} more" if self._alike else ""
            self._session.commit(f"{self._name(strip)}{more}, trim")

    def mouseDoubleClickEvent(self, event: QMouseEvent | None) -> None:
        assert event is not None
        strip = self._strip_at(event.position().x())
        if strip is not None and event.position().y() > TRACK_TOP - 6:
            self._edit(strip, "")

    def wheelEvent(self, event: QWheelEvent | None) -> None:
        assert event is not None
        turn = event.angleDelta().x() or event.angleDelta().y()
        self._scroll = min(max(self._scroll - turn * 0.6, 0.0), max(self._length - self.width(), 0.0))
        self.update()

    def keyPressEvent(self, event: QKeyEvent | None) -> None:
        assert event is not None
        if event.key() == Qt.Key.Key_Escape and self._drag is not None:
            self._drag = None
            self._session.cancel()
            return
        if event.key() in (Qt.Key.Key_Left, Qt.Key.Key_Right):
            self._step_focus(-1 if event.key() == Qt.Key.Key_Left else 1)
            return
        strip = next((item for item in self._strips if item.key == self._focused), None)
        if strip is None:
            super().keyPressEvent(event)
        elif event.key() in (Qt.Key.Key_Up, Qt.Key.Key_Down):
            sign = 1.0 if event.key() == Qt.Key.Key_Up else -1.0
            fine = event.modifiers() & Qt.KeyboardModifier.ShiftModifier
            stops = self.trim_of(strip) + sign * (STEP * FINE if fine else STEP)
            self._session.set_value(f"{self._name(strip)}, trim", self._path(strip), round(stops, 4))
        elif event.key() == Qt.Key.Key_Space and strip.source is not None:
            self._switch(strip.source)
        elif event.key() in (Qt.Key.Key_Return, Qt.Key.Key_Enter):
            self._edit(strip, "")
        elif event.text() and event.text() in "0123456789.+-":
            self._edit(strip, event.text())
        else:
            super().keyPressEvent(event)

    def _step_focus(self, step: int) -> None:
        keys = [item.key for item in self._strips]
        if not keys:
            return
        here = keys.index(self._focused) if self._focused in keys else -step
        self._focused = keys[(here + step) % len(keys)]
        strip = self.strip_of(self._focused)
        self._show(strip)
        if strip.source is not None:
            self._session.selection.select(strip.source.id)
        self.update()

    def _tip(self, strip: Strip | None) -> None:
        if strip is None:
            return
        lines = [
            self._name(strip),
            f"gives {_percent(self.share_of(strip)) or 'none'} of the picture's light",
        ]
        if strip.source is not None:
            lines.append(f"seen on {_percent(self._given(strip.source.id).seen) or 'none'} of the picture")
        elif strip.group == "glow":
            lines += [
                f"{name}: {_percent(item.share) or 'none'}"
                for name, item in glow_by_material(self.given).items()
            ]
        self.setToolTip("\n".join(lines))

    # -- changes -----------------------------------------------------------------------

    def _name(self, strip: Strip) -> str:
        if strip.source is not None:
            return strip.source.name
        return declared(Balance)[strip.group].label

    def _path(self, strip: Strip) -> str:
        return f"balance/{strip.group}" if strip.source is None else f"sources/@{strip.source.id}/trim"

    def _switch(self, source: Source) -> None:
        word = "off" if source.on else "on"
        self._session.set_value(f"{source.name} {word}", f"sources/@{source.id}/on", not source.on)

    def see_only(self, source_id: str) -> None:
        """See one source alone; empty for all."""
        self.only = source_id
        self.only_changed.emit(source_id)
        self.update()

    def _edit(self, strip: Strip, text: str) -> None:
        self._end_edit()
        editor = QLineEdit(text, self)
        editor.setAccessibleName(f"{self._name(strip)}: stops, or a strength with its unit")
        editor.setGeometry(round(strip.x - self._scroll), round(TRACK_BOTTOM), WIDTH, 20)
        editor.returnPressed.connect(lambda: self._typed(strip, editor.text()))
        editor.editingFinished.connect(self._end_edit)
        editor.show()
        editor.setFocus()
        self._editor = editor

    def _typed(self, strip: Strip, text: str) -> None:
        """A plain number is stops of trim; one with a unit is the source's own strength."""
        units = [unit for unit in ("lm", "cd", "lx", "cd/m2", "nit") if text.strip().lower().endswith(unit)]
        path = self._path(strip)
        if units and strip.source is not None:
            field = strip.source.STRENGTH if isinstance(strip.source, Placed) else "illuminance"
            path = f"sources/@{strip.source.id}/{field}"
        self._session.set_text(f"{self._name(strip)}, typed", path, text)

    def _end_edit(self) -> None:
        if self._editor is not None:
            editor, self._editor = self._editor, None
            editor.deleteLater()
            self.setFocus()


def _percent(share: float) -> str:
    """A share as it is read; empty for nothing."""
    if share <= 0.0:
        return ""
    return f"{share:.0%}" if share >= 0.01 else f"{share * 100.0:.1f}%" if share >= 0.001 else "< 0.1%"
