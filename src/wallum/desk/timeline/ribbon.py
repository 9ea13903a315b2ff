"""The day ribbon: 24 hours of the computed sky, the courses of sun and moon, the playhead."""

from PyQt6.QtCore import QPointF, QRectF, QSize, Qt, QTimer, pyqtSignal
from PyQt6.QtGui import (
    QColor,
    QImage,
    QKeyEvent,
    QMouseEvent,
    QPainter,
    QPaintEvent,
    QPen,
    QPixmap,
    QPolygonF,
)
from PyQt6.QtWidgets import QSizePolicy, QWidget

from wallum.desk.session.session import Session
from wallum.desk.widgets.tokens import TOKENS
from wallum.document.lanes import Lane, Peg, format_clock
from wallum.document.pegging import shifted
from wallum.document.sources import Lamp
from wallum.moment.at_moment import day_of
from wallum.moment.day_strip import (
    DayMark,
    ElevationCurves,
    course,
    events_of_day,
    moments_of_day,
    strip_colours,
)
from wallum.moment.moment import Moment

__all__ = ["DayRibbon"]

COLUMNS = 96
AT_ONCE = 2  # columns computed before the window gets its turn
SCALE_PX = 16
WORD_PX = 13.0  # the words along its upper edge
STEP_H = 0.25
CATCH_PX, SNAP_PX = 6.0, 3.0
TIP = (
    "The day: drag to any hour (Shift: past the sun's events); arrow keys step a quarter; pegs can be dragged"
)


class DayRibbon(QWidget):
    """Drag to any hour; arrow keys step by a quarter of one."""

    dragged = pyqtSignal(float)
    released = pyqtSignal(float)

    def __init__(self, session: Session, parent: QWidget | None = None) -> None:
        super().__init__(parent)
        self._session = session
        self._strip = QImage(COLUMNS, 2, QImage.Format.Format_RGB32)
        self._strip.fill(QColor(TOKENS["ground"]))
        self._course: ElevationCurves | None = None
        self._events: dict[str, float] = {}
        self._moments: list[DayMark] = []
        self._key: object = None
        self._lanes: object = None
        self._pegged: tuple[str, tuple[object, ...], QPixmap] | None = None
        self._layer: QPixmap | None = None  # what does not move with the playhead
        self._held: tuple[list[tuple[Lane, Peg]], float] | None = None  # pegs in the hand, and from where
        self.setMouseTracking(True)
        self._next = COLUMNS
        self._work = QTimer(self)
        self._work.setInterval(0)
        self._work.timeout.connect(self._compute)
        self._wait = QTimer(self)
        self._wait.setSingleShot(True)
        self._wait.setInterval(120)
        self._wait.timeout.connect(self._begin)
        self.setMinimumHeight(58)
        self.setSizePolicy(QSizePolicy.Policy.Expanding, QSizePolicy.Policy.Fixed)
        self.setFocusPolicy(Qt.FocusPolicy.StrongFocus)
        self.setAccessibleName("Day")
        self.setToolTip(TIP)
        session.changed.connect(self.refresh)
        session.selection.changed.connect(self.update)
        session.playhead.moved.connect(self.update)
        self.refresh()

    def sizeHint(self) -> QSize:
        return QSize(600, 58)

    # -- what is shown -----------------------------------------------------------------

    def refresh(self) -> None:
        """See whether the day is still the one that is shown; a new one is computed soon."""
        project = self._session.project
        base = tuple(source for source in project.resolved_sources if not isinstance(source, Lamp))
        lanes = tuple(lane for lane in project.lanes if any(lane.owner == item.id for item in base))
        key = (base, lanes, project.setting)
        if key != self._key:
            self._key = key
            self._wait.start()
        if self._lanes != project.lanes:
            self._lanes = project.lanes
            self.update()

    def _begin(self) -> None:
        project = self._session.project
        self._course = course(project, 48)
        self._events = events_of_day(project)
        self._moments = moments_of_day(project)
        self._next = 0
        self._work.start()
        self._layer = None
        self.update()

    @property
    def complete(self) -> bool:
        """Whether the whole day is painted as it is."""
        return self._next >= COLUMNS and not self._wait.isActive()

    def _compute(self) -> None:
        # From noon outward, so that what is bright comes first.
        for _ in range(AT_ONCE):
            if self._next >= COLUMNS:
                self._work.stop()
                break
            offset = (self._next + 1) // 2 * (1 if self._next % 2 else -1)
            column = (COLUMNS // 2 + offset) % COLUMNS
            zenith, low = strip_colours(self._session.project, Moment((column + 0.5) * 24.0 / COLUMNS))
            self._strip.setPixelColor(column, 0, QColor(*zenith))
            self._strip.setPixelColor(column, 1, QColor(*low))
            self._next += 1
        self._layer = None
        self.update()

    # -- the hand ----------------------------------------------------------------------

    def hour_at(self, x: float) -> float:
        """Hour under a place of the widget."""
        return min(max(x / max(self.width() - 1, 1) * 24.0, 0.0), 24.0)

    def x_of(self, hour: float) -> float:
        """Place of an hour."""
        return hour / 24.0 * (self.width() - 1)

    def pegs(self) -> dict[float, list[tuple[Lane, Peg]]]:
        """Pegs by their hour: of the selected source, or all where none is selected."""
        project = self._session.project
        owner, day = self._session.selection.lead, day_of(project.setting)
        out: dict[float, list[tuple[Lane, Peg]]] = {}
        for lane in project.lanes:
            if not owner or lane.owner == owner:
                for peg in lane.pegs:
                    out.setdefault(round(day.hour_of(peg.at), 3), []).append((lane, peg))
        return out

    def _pegs_at(self, at: QPointF) -> list[tuple[Lane, Peg]]:
        """Pegs whose mark is under the pointer."""
        if abs(at.y() - (self.height() - SCALE_PX)) > CATCH_PX:
            return []
        pegs = self.pegs()
        nearest = min(pegs, key=lambda hour: abs(self.x_of(hour) - at.x()), default=None)
        return pegs[nearest] if nearest is not None and abs(self.x_of(nearest) - at.x()) <= CATCH_PX else []

    def mousePressEvent(self, event: QMouseEvent | None) -> None:
        assert event is not None
        if event.button() != Qt.MouseButton.LeftButton:
            return
        pegs = self._pegs_at(event.position())
        if pegs:
            self._held = (pegs, event.position().x())
        else:
            self.dragged.emit(self._hour_of(event))

    def _hour_of(self, event: QMouseEvent) -> float:
        """The hour under the hand; near a moment of the sun's day it is that. Shift: free."""
        x = event.position().x()
        free = bool(event.modifiers() & Qt.KeyboardModifier.ShiftModifier)
        near = None if free else self._moment_at(x)
        return self.hour_at(x) if near is None else near.hour

    def _moment_at(self, x: float) -> DayMark | None:
        nearest = min(self._moments, key=lambda moment: abs(self.x_of(moment.hour) - x), default=None)
        if nearest is None or abs(self.x_of(nearest.hour) - x) > SNAP_PX:
            return None
        return nearest

    def mouseMoveEvent(self, event: QMouseEvent | None) -> None:
        assert event is not None
        if self._held is not None:
            pegs, start = self._held
            hours = (event.position().x() - start) / max(self.width() - 1, 1) * 24.0
            self._session.history.preview(shifted(self._session.history.present, pegs, hours))
        elif event.buttons() & Qt.MouseButton.LeftButton:
            self.dragged.emit(self._hour_of(event))
        else:
            near = self._moment_at(event.position().x())
            self.setToolTip(f"{near.words} {format_clock(round(near.hour * 60.0) / 60.0)}" if near else TIP)
            over = bool(self._pegs_at(event.position()))
            self.setCursor(Qt.CursorShape.SizeHorCursor if over else Qt.CursorShape.ArrowCursor)

    def mouseReleaseEvent(self, event: QMouseEvent | None) -> None:
        assert event is not None
        if event.button() != Qt.MouseButton.LeftButton:
            return
        if self._held is not None:
            pegs, self._held = self._held[0], None
            self._session.commit(self._step_name(pegs))
        else:
            self.released.emit(self._hour_of(event))

    def _step_name(self, pegs: list[tuple[Lane, Peg]]) -> str:
        lane = pegs[0][0]
        source = self._session.project.source(lane.owner)
        name = source.name if source is not None else lane.owner
        more = f" and {len(pegs) - 1} more" if len(pegs) > 1 else ""
        return f"{name}, {lane.name.replace('_', ' ')}{more}, hour of the peg"

    def keyPressEvent(self, event: QKeyEvent | None) -> None:
        assert event is not None
        if event.key() == Qt.Key.Key_Escape and self._held is not None:
            self._held = None
            self._session.cancel()
            return
        step = {Qt.Key.Key_Left: -STEP_H, Qt.Key.Key_Right: STEP_H}.get(Qt.Key(event.key()))
        if step is None:
            super().keyPressEvent(event)
            return
        self.released.emit((self._session.playhead.hour + step) % 24.0)

    # -- painting ----------------------------------------------------------------------

    def paintEvent(self, _: QPaintEvent | None) -> None:
        painter = QPainter(self)
        sky = QRectF(0.0, 0.0, self.width(), self.height() - SCALE_PX)
        ratio = self.devicePixelRatioF()
        if self._layer is None or self._layer.size() != self.size() * ratio:
            self._layer = self._still_layer(sky, ratio)
        painter.drawPixmap(0, 0, self._pegged_layer(self._layer, sky))
        painter.setRenderHint(QPainter.RenderHint.Antialiasing)
        self._small_type(painter)
        self._paint_playhead(painter)
        if self.hasFocus():
            painter.setPen(QPen(QColor(TOKENS["accent"]), 1))
            painter.setBrush(Qt.BrushStyle.NoBrush)
            painter.drawRect(self.rect().adjusted(0, 0, -1, -1))
        painter.end()

    def _still_layer(self, sky: QRectF, ratio: float) -> QPixmap:
        layer = QPixmap(self.size() * ratio)
        layer.setDevicePixelRatio(ratio)
        layer.fill(QColor(TOKENS["pane"]))
        painter = QPainter(layer)
        painter.setRenderHint(QPainter.RenderHint.SmoothPixmapTransform)
        painter.drawImage(sky, self._strip, QRectF(0.0, 0.25, COLUMNS, 1.5))
        painter.setRenderHint(QPainter.RenderHint.Antialiasing)
        self._small_type(painter)
        self._paint_courses(painter, sky)
        self._paint_scale(painter, sky)
        painter.end()
        return layer

    def _pegged_layer(self, still: QPixmap, sky: QRectF) -> QPixmap:
        """The still layer with the pegs before it; kept while a hand drags the hour over both."""
        project = self._session.project
        key = (still, project.lanes, project.setting)
        selected = self._pegged
        if (
            selected is None
            or selected[0] != self._session.selection.lead
            or any(a is not b for a, b in zip(selected[1], key))
        ):
            layer = QPixmap(still)
            painter = QPainter(layer)
            painter.setRenderHint(QPainter.RenderHint.Antialiasing)
            self._paint_pegs(painter, sky)
            painter.end()
            selected = self._pegged = (self._session.selection.lead, key, layer)
        return selected[2]

    def _small_type(self, painter: QPainter) -> None:
        font = self.font()
        font.setPointSizeF(7.5)
        painter.setFont(font)

    def _paint_courses(self, painter: QPainter, sky: QRectF) -> None:
        if self._course is None:
            return
        level = sky.height() * 0.72
        painter.setClipRect(sky)
        painter.setPen(QPen(QColor(255, 255, 255, 46), 1))
        painter.drawLine(QPointF(0.0, level), QPointF(sky.width(), level))
        for elevations, colour, width in (
            (self._course.moon, QColor(206, 216, 232, 190), 1.0),
            (self._course.sun, QColor(255, 236, 190, 235), 1.5),
        ):
            line = QPolygonF(
                [
                    QPointF(self.x_of(hour), level - elevation / 90.0 * level)
                    for hour, elevation in zip(self._course.hours, elevations, strict=True)
                ]
            )
            painter.setPen(QPen(colour, width))
            painter.drawPolyline(line)
        painter.setClipping(False)

    def _paint_scale(self, painter: QPainter, sky: QRectF) -> None:
        painter.setPen(QColor(TOKENS["quiet"]))
        for hour in range(0, 24, 2):
            x = self.x_of(hour)
            painter.drawLine(QPointF(x, sky.bottom()), QPointF(x, sky.bottom() + 3))
            place = QRectF(x + 3, sky.bottom(), 40, SCALE_PX)
            painter.drawText(place, Qt.AlignmentFlag.AlignVCenter, f"{hour:02d}")
        for moment in self._moments:  # the twilights that have no word here: their hour is in the tip
            painter.setPen(QPen(QColor(255, 255, 255, 120), 1))
            painter.drawLine(
                QPointF(self.x_of(moment.hour), sky.bottom() - 5),
                QPointF(self.x_of(moment.hour), sky.bottom()),
            )
        for word, at in self._events.items():
            x = self.x_of(at)
            painter.setPen(QPen(QColor(255, 255, 255, 90), 1, Qt.PenStyle.DotLine))
            painter.drawLine(QPointF(x, 0.0), QPointF(x, sky.bottom()))
            left = self._word_at(word, painter).left()
            painter.setPen(QColor(0, 0, 0, 150))
            painter.drawText(QPointF(left + 1, 11), word)
            painter.setPen(QColor(255, 255, 255, 210))
            painter.drawText(QPointF(left, 10), word)

    def _word_at(self, word: str, painter: QPainter) -> QRectF:
        """Where the word of an event of the sun stands."""
        x, wide = self.x_of(self._events[word]), painter.fontMetrics().horizontalAdvance(word)
        return QRectF(x - wide - 3 if word in ("dawn", "sunset") else x + 3, 0.0, wide, WORD_PX)

    def _paint_pegs(self, painter: QPainter, sky: QRectF) -> None:
        for hour in sorted(self.pegs()):
            x, y = self.x_of(hour), sky.bottom()
            painter.setPen(QPen(QColor(TOKENS["accent"]), 1.5))
            painter.setBrush(QColor(TOKENS["pane"]))
            painter.drawLine(QPointF(x, y - 9), QPointF(x, y - 4))
            corners = [QPointF(x, y - 4), QPointF(x + 4, y), QPointF(x, y + 4), QPointF(x - 4, y)]
            painter.drawPolygon(QPolygonF(corners))

    def _paint_playhead(self, painter: QPainter) -> None:
        x = round(self.x_of(self._session.playhead.hour)) + 0.5
        words = [self._word_at(word, painter) for word in self._events]
        # Below a word, so that it can be read.
        top = WORD_PX if any(word.left() - 2.0 < x < word.right() + 2.0 for word in words) else 0.0
        painter.setPen(QPen(QColor(0, 0, 0, 140), 3))
        painter.drawLine(QPointF(x, top), QPointF(x, self.height()))
        painter.setPen(QPen(QColor(TOKENS["accent"]), 1))
        painter.drawLine(QPointF(x, top), QPointF(x, self.height()))
        text = format_clock(int(self._session.playhead.hour * 60.0) / 60.0)
        wide = painter.fontMetrics().horizontalAdvance(text) + 8
        left = min(max(x - wide / 2, 0.0), self.width() - wide)
        box = QRectF(left, self.height() - SCALE_PX, wide, SCALE_PX)
        painter.fillRect(box, QColor(TOKENS["accent"]))
        painter.setPen(QColor("#202020"))
        painter.drawText(box, Qt.AlignmentFlag.AlignCenter, text)
