"""The lanes of the day plan: a row a parameter, its curve over 24 hours, its pegs to drag."""

import math
from collections.abc import Sequence
from dataclasses import dataclass
from typing import Any, get_args

from PyQt6.QtCore import QPointF, QRectF, QSize, Qt, pyqtSignal
from PyQt6.QtGui import (
    QColor,
    QKeyEvent,
    QMouseEvent,
    QPainter,
    QPaintEvent,
    QPen,
    QPolygonF,
    QWheelEvent,
)
from PyQt6.QtWidgets import QMenu, QSizePolicy, QWidget

from wallum.desk.session.session import Session
from wallum.desk.widgets.tokens import TOKENS
from wallum.document.fields import Parameter, declared
from wallum.document.lanes import EVENTS, Lane, Peg, PegTime, format_clock
from wallum.document.owners import PEGGED, title_of
from wallum.document.pegging import Copied, pasted, replaced
from wallum.document.project import Project
from wallum.document.quantities import format_quantity
from wallum.moment.at_moment import day_of, knots_of
from wallum.moment.curves import value_at
from wallum.moment.day_strip import events_of_day, moments_of_day
from wallum.physics.tone import srgb_encode

__all__ = ["LanesView"]

LABEL_PX, ROW_PX, HEAD_PX, END_PX = 176, 46, 20, 12
CATCH_PX, STILL_PX, SNAP_PX = 7.0, 3.0, 5.0
POINTS = 145
EASINGS = get_args(Peg.model_fields["easing"].annotation)


@dataclass(frozen=True)
class ValueRange:
    """Values between which a row is drawn, by their logarithm or evenly."""

    low: float
    high: float
    log: bool

    def share(self, value: float) -> float:
        """0 at the bottom, 1 at the top."""
        if self.log:
            value = max(value, self.low * 1e-6)
            return math.log(value / self.low) / math.log(self.high / self.low)
        return (value - self.low) / (self.high - self.low)

    def value(self, share: float) -> float:
        """The value at a share of the height."""
        if self.log:
            return float(self.low * (self.high / self.low) ** share)
        return self.low + (self.high - self.low) * share


def _range_of(values: Sequence[float], info: Parameter) -> ValueRange:
    low, high = min(values), max(values)
    if info.scale == "log" and low > 0.0:
        spare = max((high / low) ** 0.2, 1.5)
        return ValueRange(low / spare, high * spare, True)
    spare = max(0.2 * (high - low), 2.0 * info.step, 1e-6)
    return ValueRange(low - spare, high + spare, False)


@dataclass
class DraggedPeg:
    """A peg in the hand: which, where it was taken, and how its row was drawn then."""

    lane: Lane
    peg: Peg
    start: QPointF
    span: ValueRange | None


class LanesView(QWidget):
    """Drag a peg: across for its hour, up and down for its value; a double click adds one."""

    told = pyqtSignal(str)

    def __init__(self, session: Session, parent: QWidget | None = None) -> None:
        super().__init__(parent)
        self._session = session
        self._held: DraggedPeg | None = None
        self.chosen: list[tuple[str, str, PegTime]] = []  # pegs by lane and time, as they stand
        self.copied: list[Copied] = []
        self._scrolled = 0
        self.setMouseTracking(True)
        self.setFocusPolicy(Qt.FocusPolicy.StrongFocus)
        self.setSizePolicy(QSizePolicy.Policy.Expanding, QSizePolicy.Policy.Expanding)
        self.setAccessibleName("Lanes of the day")
        self.setObjectName("pane")
        session.changed.connect(self.update)
        session.playhead.moved.connect(self.update)

    def sizeHint(self) -> QSize:
        return QSize(600, 230)

    # -- what there is -----------------------------------------------------------------

    def lanes(self) -> tuple[Lane, ...]:
        """The lanes in use, by owner in the order of the project."""
        project = self._session.project
        order = [*PEGGED, *(source.id for source in project.resolved_sources)]
        return tuple(sorted(project.lanes, key=lambda lane: order.index(lane.owner)))

    def name_of(self, lane: Lane) -> tuple[str, str]:
        """Of what a lane is, and which of its values."""
        source = self._session.project.source(lane.owner)
        owner = source.name if source is not None else title_of(lane.owner)
        return owner, self._info(lane).label

    def _info(self, lane: Lane) -> Parameter:
        owner = self._session.project.owner(lane.owner)
        assert owner is not None
        return declared(owner)[lane.name]

    def _value_text(self, info: Parameter, value: Any) -> str:
        if isinstance(value, bool):
            return "on" if value else "off"
        if isinstance(value, float | int):
            return format_clock(value) if info.unit == "clock" else format_quantity(float(value), info.unit)
        if isinstance(value, tuple):
            return ", ".join(f"{part:.2f}" for part in value)
        return str(value)

    # -- where it stands ---------------------------------------------------------------

    def x_of(self, hour: float) -> float:
        """Place of an hour."""
        return LABEL_PX + hour / 24.0 * (self.width() - LABEL_PX - END_PX)

    def hour_at(self, x: float) -> float:
        """Hour under a place."""
        return min(max((x - LABEL_PX) / max(self.width() - LABEL_PX - END_PX, 1) * 24.0, 0.0), 24.0)

    def row_of(self, number: int) -> QRectF:
        """Where a lane's row stands."""
        return QRectF(0.0, HEAD_PX + number * ROW_PX - self._scrolled, self.width(), ROW_PX)

    def _plot(self, row: QRectF) -> QRectF:
        return row.adjusted(0.0, 7.0, 0.0, -8.0)

    def place_of(self, lane: Lane, peg: Peg) -> QPointF:
        """Where a peg's mark stands."""
        number = next(i for i, item in enumerate(self.lanes()) if item is lane)
        plot = self._plot(self.row_of(number))
        hour = day_of(self._session.project.setting).hour_of(peg.at)
        span = self._span(lane)
        share = span.share(float(peg.value)) if span is not None else 0.5  # type: ignore[arg-type]
        return QPointF(self.x_of(hour), plot.bottom() - share * plot.height())

    def _span(self, lane: Lane) -> ValueRange | None:
        """How a row of numbers is drawn; None for words, switches, colours and places."""
        if self._held is not None and (self._held.lane.owner, self._held.lane.name) == (
            lane.owner,
            lane.name,
        ):
            return self._held.span
        values = [peg.value for peg in lane.pegs]
        if any(isinstance(value, bool | str | tuple) for value in values):
            return None
        return _range_of([float(value) for value in values], self._info(lane))  # type: ignore[arg-type]

    def _peg_at(self, at: QPointF) -> tuple[Lane, Peg] | None:
        best, result = CATCH_PX, None
        for lane in self.lanes():
            for peg in lane.pegs:
                place = self.place_of(lane, peg)
                away = max(abs(place.x() - at.x()), abs(place.y() - at.y()))
                if away <= best:
                    best, result = away, (lane, peg)
        return result

    def _lane_at(self, at: QPointF) -> Lane | None:
        lanes = self.lanes()
        number = math.floor((at.y() - HEAD_PX + self._scrolled) / ROW_PX)
        return lanes[number] if 0 <= number < len(lanes) and at.y() > HEAD_PX else None

    # -- the hand ----------------------------------------------------------------------

    def mousePressEvent(self, event: QMouseEvent | None) -> None:
        assert event is not None
        peg = self._peg_at(event.position())
        if event.button() == Qt.MouseButton.RightButton and peg is not None:
            self._choose(peg, False)
            self._menu(*peg).popup(event.globalPosition().toPoint())
        elif event.button() == Qt.MouseButton.LeftButton and peg is not None:
            self._choose(peg, bool(event.modifiers() & Qt.KeyboardModifier.ControlModifier))
            self._held = DraggedPeg(peg[0], peg[1], event.position(), self._span(peg[0]))
        elif event.button() == Qt.MouseButton.LeftButton and event.position().x() >= LABEL_PX:
            self.chosen = []
            self._session.playhead.scrub(self.hour_at(event.position().x()))
        else:
            lane = self._lane_at(event.position())
            if lane is not None and self._session.project.source(lane.owner) is not None:
                self._session.selection.select(lane.owner)
        self.update()

    def _choose(self, found: tuple[Lane, Peg], more: bool) -> None:
        key = (found[0].owner, found[0].name, found[1].at)
        self.chosen = [*(self.chosen if more else []), key]

    def mouseMoveEvent(self, event: QMouseEvent | None) -> None:
        assert event is not None
        if self._held is not None:
            self._drag(event.position())
        elif event.buttons() & Qt.MouseButton.LeftButton:
            self._session.playhead.scrub(self.hour_at(event.position().x()))
        else:
            over = self._peg_at(event.position())
            self.setCursor(Qt.CursorShape.SizeAllCursor if over else Qt.CursorShape.ArrowCursor)
            self.setToolTip(self._tip(*over) if over else "")

    def _tip(self, lane: Lane, peg: Peg) -> str:
        text = self._value_text(self._info(lane), peg.value)
        return f"{peg.at.text()}: {text}, goes on {peg.easing}"

    def _drag(self, at: QPointF) -> None:
        current = self._held
        assert current is not None
        self._session.history.preview(self._moved(self._session.history.present, current, at))

    def _moved(self, project: Project, held: DraggedPeg, at: QPointF) -> Project:
        changes: dict[str, Any] = {}
        across, down = at.x() - held.start.x(), at.y() - held.start.y()
        if abs(across) > STILL_PX:
            changes["at"] = self._time_at(held.peg, across)
        if held.span is not None and abs(down) > STILL_PX:
            height = ROW_PX - 15.0
            share = held.span.share(float(held.peg.value)) - down / height  # type: ignore[arg-type]
            info = self._info(held.lane)
            value = held.span.value(share)
            value = max(value, info.low) if info.low is not None else value
            value = min(value, info.high) if info.high is not None else value
            changes["value"] = float(f"{value:.5g}")
        by = held.peg.revised(**changes) if changes else held.peg
        return replaced(project, held.lane.owner, held.lane.name, held.peg, by)

    def _time_at(self, peg: Peg, across: float) -> PegTime:
        """Where a peg goes that is dragged so far; near a solar event it is tied to that."""
        hours = across / max(self.width() - LABEL_PX - END_PX, 1) * 24.0
        day = day_of(self._session.project.setting)
        there = (day.hour_of(peg.at) + hours) % 24.0
        if peg.at.tie == "clock":
            for moment in moments_of_day(self._session.project):
                if abs(self.x_of(moment.hour) - self.x_of(there)) <= SNAP_PX:
                    return moment.at
            return PegTime(hours=round(there * 12.0) / 12.0)
        return peg.at.revised(hours=round(min(max(peg.at.hours + hours, -12.0), 12.0) * 12.0) / 12.0)

    def mouseReleaseEvent(self, event: QMouseEvent | None) -> None:
        assert event is not None
        if event.button() != Qt.MouseButton.LeftButton:
            return
        if self._held is None:
            if event.position().x() >= LABEL_PX:
                self._session.playhead.rest_at(self.hour_at(event.position().x()))
            return
        current, self._held = self._held, None
        lane = self._session.project.lane(current.lane.owner, current.lane.name)
        self._session.commit(f"{' '.join(self.name_of(current.lane)).lower()}, peg")
        if lane is not None and len(lane.pegs) == len(current.lane.pegs):
            moved = lane.pegs[next(i for i, peg in enumerate(current.lane.pegs) if peg is current.peg)]
            was = (lane.owner, lane.name, current.peg.at)
            self.chosen = [(lane.owner, lane.name, moved.at) if item == was else item for item in self.chosen]
        self.update()

    def mouseDoubleClickEvent(self, event: QMouseEvent | None) -> None:
        assert event is not None
        lane = self._lane_at(event.position())
        if lane is None or event.position().x() < LABEL_PX or self._peg_at(event.position()):
            return
        hour = round(self.hour_at(event.position().x()) * 12.0) / 12.0 % 24.0
        self._session.playhead.rest_at(hour)
        self._session.peg(
            f"{' '.join(self.name_of(lane)).lower()}, peg", self._path(lane), PegTime(hours=hour)
        )

    def _path(self, lane: Lane) -> str:
        head = lane.owner if lane.owner in PEGGED else f"sources/@{lane.owner}"
        return f"{head}/{lane.name}"

    def wheelEvent(self, event: QWheelEvent | None) -> None:
        assert event is not None
        largest = max(len(self.lanes()) * ROW_PX + HEAD_PX - self.height() + 8, 0)
        self._scrolled = min(max(self._scrolled - event.angleDelta().y() // 3, 0), largest)
        self.update()

    def keyPressEvent(self, event: QKeyEvent | None) -> None:
        assert event is not None
        if event.key() == Qt.Key.Key_Escape and self._held is not None:
            self._held = None
            self._session.cancel()
        elif event.key() == Qt.Key.Key_Delete:
            self.take_out()
        elif event.key() == Qt.Key.Key_C and event.modifiers() & Qt.KeyboardModifier.ControlModifier:
            self.copy()
        elif event.key() == Qt.Key.Key_V and event.modifiers() & Qt.KeyboardModifier.ControlModifier:
            self.paste()
        else:
            super().keyPressEvent(event)

    # -- what is done with pegs --------------------------------------------------------

    def _chosen_pegs(self) -> list[tuple[Lane, Peg]]:
        out = []
        for owner, name, at in self.chosen:
            lane = self._session.project.lane(owner, name)
            out += [(lane, peg) for peg in lane.pegs if peg.at == at] if lane is not None else []
        return out

    def take_out(self) -> None:
        """Take the chosen pegs out, as one step."""
        pegs = self._chosen_pegs()
        project = self._session.history.present
        for lane, peg in pegs:
            project = replaced(project, lane.owner, lane.name, peg, None)
        if pegs:
            self.chosen = []
            self._session.history.edit(_count(len(pegs), "taken out"), project)

    def copy(self) -> None:
        """Keep copies of the chosen pegs, by the clock time at which they stand."""
        day = day_of(self._session.project.setting)
        self.copied = [
            (lane.owner, lane.name, peg.revised(at=PegTime(hours=day.hour_of(peg.at) % 24.0)))
            for lane, peg in self._chosen_pegs()
        ]
        if self.copied:
            self._session.told.emit(f"{_count(len(self.copied), 'copied')}; Ctrl+V puts them at the playhead")

    def paste(self) -> None:
        """Put the copies in: the first of them at the playhead."""
        if not self.copied:
            return
        hours = self._session.playhead.hour - min(peg.at.hours for _, _, peg in self.copied)
        project = pasted(self._session.history.present, self.copied, hours)
        self._session.history.edit(_count(len(self.copied), "pasted"), project)

    def _menu(self, lane: Lane, peg: Peg) -> QMenu:
        menu = QMenu(self)
        for easing in EASINGS:
            action = menu.addAction(f"Goes on {easing}")
            assert action is not None
            action.setCheckable(True)
            action.setChecked(peg.easing == easing)
            action.triggered.connect(lambda _, e=easing: self._revise(lane, peg, easing=e))
        menu.addSeparator()
        day = day_of(self._session.project.setting)
        for word, hour in events_of_day(self._session.project).items():
            tie, angle = EVENTS[word]
            away = (day.hour_of(peg.at) - hour + 12.0) % 24.0 - 12.0
            if abs(away) < 3.0:
                at = PegTime(tie=tie, angle=angle, hours=round(away * 60.0) / 60.0)
                action = menu.addAction(f"Tie to {at.text()}")
                assert action is not None
                action.triggered.connect(lambda _, at=at: self._revise(lane, peg, at=at))
        clock = PegTime(hours=round(day.hour_of(peg.at) * 60.0) / 60.0 % 24.0)
        for text, slot in (
            (f"Tie to the clock, {clock.text()}", lambda: self._revise(lane, peg, at=clock)),
            ("Copy", self.copy),
            ("Take out", self.take_out),
        ):
            action = menu.addAction(text)
            assert action is not None
            action.triggered.connect(lambda _, slot=slot: slot())
        return menu

    def _revise(self, lane: Lane, peg: Peg, **changes: Any) -> None:
        by = peg.revised(**changes)
        project = replaced(self._session.history.present, lane.owner, lane.name, peg, by)
        self._session.history.edit(f"{' '.join(self.name_of(lane)).lower()}, peg", project)
        self.chosen = [(lane.owner, lane.name, by.at)]

    # -- painting ----------------------------------------------------------------------

    def paintEvent(self, _: QPaintEvent | None) -> None:
        painter = QPainter(self)
        painter.fillRect(self.rect(), QColor(TOKENS["pane"]))
        painter.setRenderHint(QPainter.RenderHint.Antialiasing)
        lanes = self.lanes()
        if not lanes:
            painter.setPen(QColor(TOKENS["quiet"]))
            text = "No value changes through the day yet: add one here, or with the dot beside a value"
            painter.drawText(self.rect().adjusted(12, 0, -12, 0), Qt.AlignmentFlag.AlignCenter, text)
        self._paint_night(painter)
        for number, lane in enumerate(lanes):
            row = self.row_of(number)
            if row.bottom() > HEAD_PX and row.top() < self.height():
                self._paint_lane(painter, lane, row)
        self._paint_scale(painter)
        painter.setPen(QPen(QColor(TOKENS["text"]), 1))
        x = self.x_of(self._session.playhead.hour)
        painter.drawLine(QPointF(x, HEAD_PX - 6), QPointF(x, self.height()))
        painter.end()

    def _paint_night(self, painter: QPainter) -> None:
        """Hours without sun are darker."""
        events = events_of_day(self._session.project)
        if "sunrise" not in events or "sunset" not in events:
            return
        rise, fall = events["sunrise"], events["sunset"]
        spans = [(0.0, rise), (fall, 24.0)] if rise < fall else [(fall, rise)]
        for start, end in spans:
            left = self.x_of(start)
            painter.fillRect(
                QRectF(left, HEAD_PX, self.x_of(end) - left, self.height() - HEAD_PX), QColor(0, 0, 0, 46)
            )

    def _paint_scale(self, painter: QPainter) -> None:
        painter.fillRect(QRectF(0, 0, self.width(), HEAD_PX), QColor(TOKENS["pane"]))
        font = self.font()
        font.setPointSizeF(7.5)
        painter.setFont(font)
        painter.setPen(QColor(TOKENS["quiet"]))
        for hour in range(0, 25, 3):
            box = QRectF(self.x_of(hour) - 20, 1, 40, HEAD_PX - 6)
            painter.drawText(box, Qt.AlignmentFlag.AlignCenter, f"{hour}")
        for event in events_of_day(self._session.project).values():
            painter.drawLine(QPointF(self.x_of(event), HEAD_PX - 5), QPointF(self.x_of(event), HEAD_PX - 1))

    def _paint_lane(self, painter: QPainter, lane: Lane, row: QRectF) -> None:
        owner, label = self.name_of(lane)
        info, day = self._info(lane), day_of(self._session.project.setting)
        painter.setPen(QPen(QColor(TOKENS["line"]), 1))
        painter.drawLine(row.bottomLeft(), row.bottomRight())
        metrics = painter.fontMetrics()
        painter.setPen(QColor(TOKENS["text"]))
        room = Qt.TextElideMode.ElideRight
        painter.drawText(
            QPointF(10, row.top() + 18), metrics.elidedText(f"{owner}: {label}", room, LABEL_PX - 16)
        )
        knots = knots_of(lane, day)
        painter.setPen(QColor(TOKENS["quiet"]))
        here = self._value_text(info, value_at(knots, self._session.playhead.hour, info))
        painter.drawText(QPointF(10, row.top() + 34), metrics.elidedText(here, room, LABEL_PX - 16))
        hours = [24.0 * i / (POINTS - 1) for i in range(POINTS)]
        values = [value_at(knots, min(hour, 23.9999), info) for hour in hours]
        span, plot = self._span(lane), self._plot(row)
        if span is not None:
            points = [
                QPointF(
                    self.x_of(hour), plot.bottom() - min(max(span.share(value), -0.1), 1.1) * plot.height()
                )
                for hour, value in zip(hours, values, strict=True)
            ]
            painter.setPen(QPen(QColor(TOKENS["quiet"]), 1.5))
            painter.setBrush(Qt.BrushStyle.NoBrush)
            painter.drawPolyline(QPolygonF(points))
        else:
            self._paint_blocks(painter, info, hours, values, plot)
        for peg in lane.pegs:
            self._paint_peg(painter, lane, peg)

    def _paint_blocks(
        self, painter: QPainter, info: Parameter, hours: list[float], values: list[Any], plot: QRectF
    ) -> None:
        """Words, switches and colours: a band that changes."""
        band = QRectF(0, plot.center().y() - 6, 0, 12)
        for hour, end, value in zip(hours, hours[1:], values, strict=False):
            left, right = self.x_of(hour), self.x_of(end)
            tone = QColor(TOKENS["raised"])
            if info.kind == "colour":
                peak = max(*value, 1e-6)
                tone = QColor(*(round(float(srgb_encode(part / peak)) * 255) for part in value))
            elif value is True:
                tone = QColor(TOKENS["edge"])
            painter.fillRect(QRectF(left, band.top(), right - left + 0.5, 12), tone)

    def _paint_peg(self, painter: QPainter, lane: Lane, peg: Peg) -> None:
        at = self.place_of(lane, peg)
        chosen = (lane.owner, lane.name, peg.at) in self.chosen
        painter.setPen(QPen(QColor(TOKENS["accent" if chosen else "text"]), 1.5))
        painter.setBrush(QColor(TOKENS["accent"]) if chosen else QColor(TOKENS["pane"]))
        size = 4.5
        corners = [QPointF(0, -size), QPointF(size, 0), QPointF(0, size), QPointF(-size, 0)]
        painter.drawPolygon(QPolygonF([at + corner for corner in corners]))
        if peg.at.tie != "clock":  # it goes with the sun: an arc over it
            painter.setBrush(Qt.BrushStyle.NoBrush)
            painter.drawArc(QRectF(at.x() - 8, at.y() - 9, 16, 16), 30 * 16, 120 * 16)


def _count(number: int, done: str) -> str:
    return f"{number} {'peg' if number == 1 else 'pegs'} {done}"
