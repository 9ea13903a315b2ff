"""The tone curve of the look, over the light of the picture in stops; its handles are dragged."""

import math
from typing import Final

import numpy as np
from numpy.typing import NDArray
from PyQt6.QtCore import QPointF, QRectF, QSize, Qt
from PyQt6.QtGui import QColor, QMouseEvent, QPainter, QPaintEvent, QPen, QPixmap, QPolygonF
from PyQt6.QtWidgets import QSizePolicy, QWidget

from wallum.desk.session.session import Session
from wallum.desk.widgets.tokens import TOKENS
from wallum.document.fields import declared
from wallum.document.look import Look
from wallum.errors import WallumError
from wallum.image.chain import displayed
from wallum.moment.looks import shown_look
from wallum.physics.colour import luminance
from wallum.physics.exposure import MID_GREY
from wallum.physics.scopes import PER_STOP, STOPS
from wallum.physics.tone import srgb_encode

__all__ = ["CurveChart"]

HEIGHT_PX: Final = 132
LOW, HIGH = -10.0, 7.0  # stops about mid grey that are shown
GREYS: Final = MID_GREY * 2.0 ** np.linspace(LOW, HIGH, 121)
TOE_AT: Final = -5.0
REACH_PX: Final = 9.0
# Of a drag over the whole chart, how far a value goes.
TOE_SPAN, STEEP_SPAN = 1.2, 0.8


def response(look: Look) -> NDArray[np.float64]:
    """(121,) what a screen shows of each of GREYS, encoded, by balance, grade, curve and table."""
    greys = np.repeat(GREYS[:, None], 3, axis=1)
    try:
        shown = displayed(greys, shown_look(look))
    except WallumError:
        shown = displayed(greys, shown_look(look.revised(table="")))
    return np.asarray(srgb_encode(luminance(shown)))


class CurveChart(QWidget):
    """Stops about mid grey across, what the screen shows upward. Of the own curve toe, steepness and white
    can be dragged, of Reinhard's its white."""

    def __init__(self, session: Session, parent: QWidget | None = None) -> None:
        super().__init__(parent)
        self._session = session
        self._look = Look()
        self._line = response(self._look)
        self._light: NDArray[np.float64] | None = None
        self._held: tuple[str, QPointF, float] | None = None
        self._behind: QPixmap | None = None
        self.setSizePolicy(QSizePolicy.Policy.Expanding, QSizePolicy.Policy.Fixed)
        self.setFixedHeight(HEIGHT_PX)
        self.setAccessibleName("Tone curve")
        self.setToolTip("Stops about mid grey, and what the screen shows of them. Drag the rings.")

    def sizeHint(self) -> QSize:
        return QSize(240, HEIGHT_PX)

    def show_look(self, look: Look) -> None:
        """Show the curve of a look."""
        if look is not self._look:
            self._look, self._line = look, response(look)
            self.update()

    def show_light(self, histogram: NDArray[np.float64]) -> None:
        """Show how the picture's light lies, see physics.scopes.stops_histogram."""
        self._light, self._behind = histogram, None
        self.update()

    # -- where things are ------------------------------------------------------------------

    def _box(self) -> QRectF:
        return QRectF(self.rect()).adjusted(6.0, 6.0, -6.0, -18.0)

    def _at(self, stops: float, value: float) -> QPointF:
        box = self._box()
        x = box.left() + (stops - LOW) / (HIGH - LOW) * box.width()
        return QPointF(x, box.bottom() - value * box.height())

    def _polygon(self, stops: NDArray[np.float64], values: NDArray[np.float64]) -> QPolygonF:
        """Places of many at once."""
        box = self._box()
        x = box.left() + (stops - LOW) / (HIGH - LOW) * box.width()
        y = box.bottom() - values * box.height()
        return QPolygonF(list(map(QPointF, x.tolist(), y.tolist())))

    def _on_line(self, stops: float) -> QPointF:
        return self._at(stops, float(np.interp(stops, np.linspace(LOW, HIGH, len(self._line)), self._line)))

    @property
    def handles(self) -> dict[str, QPointF]:
        """Places of what can be dragged, by the value that it changes."""
        look = self._look
        if not look.with_curve or look.curve not in ("own", "reinhard"):
            return {}
        white = min(math.log2(look.white / MID_GREY), HIGH)
        out = {"white": self._on_line(white)}
        if look.curve == "own":
            out |= {"toe": self._on_line(TOE_AT), "shoulder": self._on_line(0.0)}
        return out

    # -- the hand --------------------------------------------------------------------------

    def mousePressEvent(self, event: QMouseEvent | None) -> None:
        assert event is not None
        at = event.position()
        near = {n: (p - at).manhattanLength() for n, p in self.handles.items()}
        name = min(near, key=near.__getitem__, default="")
        if event.button() == Qt.MouseButton.LeftButton and name and near[name] <= 1.5 * REACH_PX:
            self._held = (name, at, float(getattr(self._look, name)))
            self.update()

    def mouseMoveEvent(self, event: QMouseEvent | None) -> None:
        assert event is not None
        if self._held is None:
            return
        name, start, before = self._held
        moved = event.position() - start
        fine = 0.1 if event.modifiers() & Qt.KeyboardModifier.ShiftModifier else 1.0
        across = fine * moved.x() / self._box().width() * (HIGH - LOW)
        up = -fine * moved.y() / self._box().height()
        if name == "white":
            to = before * 2.0**across
        else:
            # The middle is steeper where it is pulled to the left, as the toe is where it is pulled up.
            to = before + (up * TOE_SPAN if name == "toe" else (up - across / (HIGH - LOW)) * STEEP_SPAN)
        info = declared(Look)[name]
        assert info.low is not None
        assert info.high is not None
        self._session.preview(f"look/{name}", round(min(max(to, info.low), info.high), 4))

    def mouseReleaseEvent(self, event: QMouseEvent | None) -> None:
        assert event is not None
        if self._held is not None:
            label = declared(Look)[self._held[0]].label.lower()
            self._held = None
            self._session.commit(f"Picture, {label}")
            self.update()

    # -- painting --------------------------------------------------------------------------

    def paintEvent(self, _: QPaintEvent | None) -> None:
        painter = QPainter(self)
        painter.drawPixmap(0, 0, self._paper())
        painter.setRenderHint(QPainter.RenderHint.Antialiasing)
        line = self._polygon(np.linspace(LOW, HIGH, len(self._line)), self._line)
        painter.setPen(QPen(QColor(TOKENS["text"]), 1.6))
        painter.drawPolyline(line)
        for name, at in self.handles.items():
            current = self._held is not None and self._held[0] == name
            painter.setPen(QPen(QColor(TOKENS["accent"]), 1.6))
            painter.setBrush(QColor(TOKENS["accent" if current else "ground"]))
            painter.drawEllipse(at, 4.5, 4.5)
        painter.setBrush(Qt.BrushStyle.NoBrush)

    def _paper(self) -> QPixmap:
        """What lies behind the curve, drawn once: the scale, and the picture's light."""
        ratio = self.devicePixelRatioF()
        size = self.size() * ratio
        if self._behind is not None and self._behind.size() == size:
            return self._behind
        self._behind = QPixmap(size)
        self._behind.setDevicePixelRatio(ratio)
        painter, box = QPainter(self._behind), self._box()
        painter.setFont(self.font())
        painter.fillRect(self.rect(), QColor(TOKENS["pane"]))
        painter.fillRect(box, QColor(TOKENS["ground"]))
        self._paint_scale(painter, box)
        painter.setRenderHint(QPainter.RenderHint.Antialiasing)
        self._paint_light(painter, box)
        painter.end()
        return self._behind

    def _paint_scale(self, painter: QPainter, box: QRectF) -> None:
        for stops in range(-8, 9, 4):
            x = self._at(stops, 0.0).x()
            painter.setPen(QPen(QColor(TOKENS["edge" if stops == 0 else "line"]), 1))
            painter.drawLine(QPointF(x, box.top()), QPointF(x, box.bottom()))
            painter.setPen(QColor(TOKENS["quiet"]))
            text = f"{stops:+d}" if stops else "grey"
            room = QRectF(x - 20.0, box.bottom(), 40.0, 17.0)
            painter.drawText(room, Qt.AlignmentFlag.AlignCenter, text)

    def _paint_light(self, painter: QPainter, box: QRectF) -> None:
        if self._light is None or not self._light.any():
            return
        tops = np.sqrt(self._light / self._light.max()) * 0.9
        edges = STOPS[0] + np.arange(len(tops) + 1) / PER_STOP
        across = np.clip(np.repeat(edges, 2)[1:-1], LOW, HIGH)
        ends = np.array([LOW, HIGH])
        outline = self._polygon(
            np.concatenate([ends[:1], across, ends[1:]]), np.concatenate([[0.0], np.repeat(tops, 2), [0.0]])
        )
        painter.setPen(Qt.PenStyle.NoPen)
        painter.setBrush(QColor(184, 184, 184, 70))
        painter.drawPolygon(outline)
        painter.setBrush(Qt.BrushStyle.NoBrush)
