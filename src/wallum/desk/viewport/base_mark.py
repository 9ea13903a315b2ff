"""The base of a layer of air as a mark in the picture, which the hand moves up and down."""

from collections.abc import Callable
from typing import Final

import numpy as np
from numpy.typing import NDArray
from PyQt6.QtCore import QObject, QPointF, QRectF
from PyQt6.QtGui import QColor, QPainter, QPen

from wallum.desk.session.session import Session
from wallum.desk.viewport.grips import metres, nearest_on_line
from wallum.desk.viewport.marks import draw_label
from wallum.desk.viewport.view import PictureView
from wallum.desk.widgets.tokens import TOKENS
from wallum.memo import Memo

__all__ = ["LAYERS", "BaseMark"]

# Layers of the level\'s air, by the group of their parameters.
LAYERS: Final = {"air": "Haze", "mist": "Mist"}

# It stands this far before the camera, or where the middle of the picture has a surface nearer [m].
AWAY_M: Final = 20.0
HALF_PX, CATCH_PX, EDGE_PX = 46.0, 8.0, 14.0
ACROSS: Final = 0.72  # of the picture's width, where few marks are
UP: Final = np.array([0.0, 1.0, 0.0])


class BaseMark(QObject):
    """There while the values of a layer are shown; at the picture's edge where its height lies outside."""

    def __init__(self, session: Session, picture: PictureView, layer: Callable[[], str]) -> None:
        super().__init__(picture)
        self._session, self._picture, self._layer = session, picture, layer
        self._begun = (0.0, 0.0)
        self._uprights: Memo[NDArray[np.float64]] = Memo(1)
        picture.overlays.append(self._paint)
        picture.first_grips.append(self.take)

    def _upright(self) -> NDArray[np.float64]:
        """A place of the upright line that the mark moves on."""
        picture = self._picture
        seen = picture.camera_as_shown, picture.width(), picture.height()
        shown = self._session.level, self._session.project.bodies
        return self._uprights.get(self._found, *shown, also=seen).copy()

    def _found(self) -> NDArray[np.float64]:
        at = QPointF(ACROSS * self._picture.width(), 0.5 * self._picture.height())
        origin, direction = self._picture.ray(at)
        flat = np.asarray(direction[0], dtype=np.float64) * np.array([1.0, 0.0, 1.0])
        length = float(np.linalg.norm(flat))
        if length < 1e-3:
            flat, length = np.array(self._picture.camera_as_shown.rotation()[1]) * [1.0, 0.0, 1.0], 1.0
        surface = self._picture.surface_at(at)
        away = AWAY_M
        if surface is not None:
            away = min(away, float(np.linalg.norm((surface[0] - origin[0]) * [1.0, 0.0, 1.0])))
        return np.asarray(origin[0] + flat / max(length, 1e-6) * max(away, 1.0))

    def place(self) -> QPointF | None:
        """Where it is in the picture; None where no layer is shown."""
        layer = self._layer()
        if not layer or not getattr(self._session.now, layer).on or self._session.level is None:
            return None
        place = self._upright()
        place[1] = getattr(self._session.now, layer).base_height
        at = self._picture.place_of(place)
        if at is None:
            return None
        down = min(max(at.y(), EDGE_PX), self._picture.height() - EDGE_PX)
        return QPointF(at.x(), down)

    # -- the hand ----------------------------------------------------------------------

    def take(self, at: QPointF) -> "BaseMark | None":
        """Take it, where it is under the pointer."""
        mark = self.place()
        if mark is None or abs(at.y() - mark.y()) > CATCH_PX or abs(at.x() - mark.x()) > HALF_PX:
            return None
        self._begun = (getattr(self._session.now, self._layer()).base_height, self._height(at))
        return self

    def _height(self, at: QPointF) -> float:
        origin, direction = self._picture.ray(at)
        place = self._upright()
        return float(place[1] + nearest_on_line(place, UP, origin[0], direction[0]))

    def drag(self, at: QPointF) -> str:
        height = round(min(max(self._begun[0] + self._height(at) - self._begun[1], -1000.0), 9000.0), 2)
        self._session.preview(f"{self._layer()}/base_height", height)
        return f"base at {metres(height)}"

    def let_go(self) -> None:
        self._session.commit(f"base of the {LAYERS[self._layer()].lower()}")

    def give_back(self) -> None:
        self._session.cancel()

    # -- painting ----------------------------------------------------------------------

    def _paint(self, painter: QPainter) -> None:
        mark = self.place()
        if mark is None:
            return
        layer = self._layer()
        colour = QColor(TOKENS["second"])
        for ink, wide in ((QColor(0, 0, 0, 150), 3.4), (colour, 1.5)):
            painter.setPen(QPen(ink, wide))
            painter.drawLine(mark - QPointF(HALF_PX, 0.0), mark + QPointF(HALF_PX, 0.0))
        painter.fillRect(QRectF(mark.x() - 4.0, mark.y() - 4.0, 8.0, 8.0), colour)
        height = getattr(self._session.now, layer).base_height
        text = f"{LAYERS[layer]} base {metres(height)}"
        draw_label(painter, mark + QPointF(-HALF_PX, -7.0), text, self._picture.rect())
