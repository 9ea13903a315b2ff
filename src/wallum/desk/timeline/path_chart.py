"""The path of sun or moon over the sky: a stereographic chart, the zenith in its middle."""

import datetime as dt
import math
from typing import Final

import numpy as np
from numpy.typing import NDArray
from PyQt6.QtCore import QPointF, QRectF, QSize, Qt
from PyQt6.QtGui import QColor, QMouseEvent, QPainter, QPaintEvent, QPen, QPolygonF
from PyQt6.QtWidgets import QSizePolicy, QWidget

from wallum.desk.session.session import Session
from wallum.desk.widgets.tokens import TOKENS
from wallum.document.sources import FarLight, SunSource
from wallum.moment.at_moment import observer_of
from wallum.moment.base_light import body_now
from wallum.physics.ephemeris import moon_place, sun_place

__all__ = ["PathChart", "from_chart", "on_chart"]

STEPS: Final = 96
EDGE_PX: Final = 14


def on_chart(azimuth_deg: float, elevation_deg: float) -> tuple[float, float]:
    """Place in a unit circle: north above, east at the right, the horizon as its rim.

    Stereographic: r = tan((90 - elevation) / 2), so that angles on the sky stay true.
    """
    r = math.tan(math.radians(90.0 - elevation_deg) / 2.0)
    turn = math.radians(azimuth_deg)
    return r * math.sin(turn), -r * math.cos(turn)


def from_chart(x: float, y: float) -> tuple[float, float]:
    """Azimuth and elevation [deg] of a place; on the horizon for what lies outside."""
    r = min(math.hypot(x, y), 1.0)
    return math.degrees(math.atan2(x, -y)) % 360.0, 90.0 - 2.0 * math.degrees(math.atan(r))


class PathChart(QWidget):
    """Drag the body: along its path to an hour, or anywhere where it stands where it is set."""

    def __init__(self, session: Session, parent: QWidget | None = None) -> None:
        super().__init__(parent)
        self._session = session
        self._body: FarLight | None = None
        self._paths: list[NDArray[np.float64]] = []  # (STEPS + 1, 2) azimuth, elevation
        self._key: object = None
        self._dragging = False
        self.setSizePolicy(QSizePolicy.Policy.Expanding, QSizePolicy.Policy.Fixed)
        self.setFixedHeight(190)
        self.setAccessibleName("Path over the sky")

    def sizeHint(self) -> QSize:
        return QSize(220, 190)

    # -- what is shown -----------------------------------------------------------------

    def show_body(self, body: FarLight) -> None:
        """Show where a body stands at this hour, and its path through the day."""
        self._body = body
        setting = self._session.project.setting
        key = (type(body), setting)
        if key != self._key:
            self._key = key
            self._paths = [self._path_of(date) for date in self._dates()]
        free = body.stands == "where set"
        self.setToolTip("Drag the body to where it should stand" if free else "Drag it along its path")
        self.update()

    def _dates(self) -> list[dt.date]:
        """The day itself; for the sun also the longest and the shortest day."""
        date = dt.date.fromisoformat(self._session.project.setting.date)
        if isinstance(self._body, SunSource):
            return [date, dt.date(date.year, 6, 21), dt.date(date.year, 12, 21)]
        return [date]

    def _path_of(self, date: dt.date) -> NDArray[np.float64]:
        setting = self._session.project.setting
        place = sun_place if isinstance(self._body, SunSource) else moon_place
        where = observer_of(setting)
        result = [place(where, date, min(24.0 * i / STEPS, 23.999)) for i in range(STEPS + 1)]
        return np.array([(item.azimuth + setting.north, item.elevation) for item in result])

    def _circle(self) -> tuple[QPointF, float]:
        side = min(self.width(), self.height())
        return QPointF(self.width() / 2, self.height() / 2), side / 2 - EDGE_PX

    def _at(self, azimuth: float, elevation: float) -> QPointF:
        middle, radius = self._circle()
        x, y = on_chart(azimuth, max(elevation, -3.0))
        return middle + QPointF(x, y) * radius

    # -- painting ----------------------------------------------------------------------

    def paintEvent(self, _: QPaintEvent | None) -> None:
        painter = QPainter(self)
        painter.setRenderHint(QPainter.RenderHint.Antialiasing)
        font = self.font()
        font.setPointSizeF(7.5)
        painter.setFont(font)
        middle, radius = self._circle()
        painter.setPen(QPen(QColor(TOKENS["edge"]), 1))
        painter.setBrush(QColor(TOKENS["ground"]))
        painter.drawEllipse(middle, radius, radius)
        painter.setBrush(Qt.BrushStyle.NoBrush)
        painter.setPen(QPen(QColor(TOKENS["line"]), 1, Qt.PenStyle.DotLine))
        for elevation in (30.0, 60.0):
            r = math.tan(math.radians(90.0 - elevation) / 2.0) * radius
            painter.drawEllipse(middle, r, r)
        for azimuth, word in ((0.0, "N"), (90.0, "E"), (180.0, "S"), (270.0, "W")):
            x, y = on_chart(azimuth, 0.0)
            place = middle + QPointF(x, y) * (radius + 7.5)
            painter.setPen(QColor(TOKENS["quiet"]))
            painter.drawText(QRectF(place.x() - 8, place.y() - 7, 16, 14), Qt.AlignmentFlag.AlignCenter, word)
        for index, path in reversed(list(enumerate(self._paths))):
            self._paint_path(painter, path, faint=index > 0)
        if self._paths:
            self._paint_hours(painter)
            self._paint_body(painter)
        painter.end()

    def _paint_path(self, painter: QPainter, path: NDArray[np.float64], faint: bool) -> None:
        painter.setPen(QPen(QColor(TOKENS["line" if faint else "quiet"]), 1.0 if faint else 1.5))
        line: list[QPointF] = []
        for azimuth, elevation in [*path.tolist(), (0.0, -90.0)]:
            if elevation >= -0.8:
                line.append(self._at(azimuth, elevation))
            elif line:
                painter.drawPolyline(QPolygonF(line))
                line = []

    def _paint_hours(self, painter: QPainter) -> None:
        path = self._paths[0]
        for hour in range(0, 24, 3):
            azimuth, elevation = path[hour * STEPS // 24]
            if elevation < 0.0:
                continue
            at = self._at(azimuth, elevation)
            painter.setPen(QPen(QColor(TOKENS["quiet"]), 1))
            painter.setBrush(QColor(TOKENS["pane"]))
            painter.drawEllipse(at, 2.2, 2.2)
            painter.drawText(at + QPointF(4.0, -4.0), str(hour))
        painter.setBrush(Qt.BrushStyle.NoBrush)

    def _paint_body(self, painter: QPainter) -> None:
        assert self._body is not None
        place, _ = body_now(self._session.now, self._session.playhead.hour, self._body)
        at = self._at(place.azimuth, place.elevation)
        middle, radius = self._circle()
        down = place.elevation < 0.0
        if down:  # at the rim, open: it is below
            x, y = on_chart(place.azimuth, 0.0)
            at = middle + QPointF(x, y) * radius
        painter.setPen(QPen(QColor(TOKENS["accent"]), 1.5))
        painter.setBrush(Qt.BrushStyle.NoBrush if down else QColor(TOKENS["accent"]))
        painter.drawEllipse(at, 5.0, 5.0)

    # -- the hand ----------------------------------------------------------------------

    def _drag_to(self, at: QPointF) -> None:
        assert self._body is not None
        middle, radius = self._circle()
        away = (at - middle) / radius
        if self._body.stands == "where set":
            azimuth, elevation = from_chart(away.x(), away.y())
            changes = {"azimuth": round(azimuth, 1), "elevation": round(elevation, 1)}
            self._session.preview_values(self._body.id, changes)
            return
        path = self._paths[0]
        near = [math.hypot(*(np.array(on_chart(a, max(e, -3.0))) - (away.x(), away.y()))) for a, e in path]
        self._session.playhead.scrub(min(24.0 * int(np.argmin(near)) / STEPS, 24.0 - 1e-3))

    def mousePressEvent(self, event: QMouseEvent | None) -> None:
        assert event is not None
        if event.button() == Qt.MouseButton.LeftButton and self._body is not None:
            self._dragging = True
            self._drag_to(event.position())

    def mouseMoveEvent(self, event: QMouseEvent | None) -> None:
        assert event is not None
        if self._dragging:
            self._drag_to(event.position())

    def mouseReleaseEvent(self, _: QMouseEvent | None) -> None:
        if self._dragging and self._body is not None:
            self._dragging = False
            self._session.playhead.rest_at(self._session.playhead.hour)
            self._session.commit(f"{self._body.name}, place on the sky")
