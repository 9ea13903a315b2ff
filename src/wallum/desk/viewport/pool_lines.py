"""Lines of equal light of the selected lamp's pool, with their lux, drawn on the picture."""

import numpy as np
from numpy.typing import NDArray
from PyQt6.QtCore import QLineF, QPointF, QRectF
from PyQt6.QtGui import QColor, QPainter, QPen

from wallum.desk.session.session import Session
from wallum.desk.viewport.marks import draw_label, label_box
from wallum.desk.viewport.view import PictureView
from wallum.document.quantities import format_quantity
from wallum.image.contours import contour, round_levels
from wallum.moment.camera import Camera

__all__ = ["PoolLines"]

# Shorter lines than this [cells] get no number.
LONG_ENOUGH = 12
# Places around the pool that a number is tried at.
TRIED = 12


class PoolLines:
    """Shown where the camera and the lamp are still those that the lines were made for."""

    def __init__(self, session: Session, picture: PictureView) -> None:
        self._session, self._picture = session, picture
        self._lines: list[tuple[float, NDArray[np.float64]]] = []
        self._fits: tuple[str, Camera] = ("", picture.camera_as_shown)
        self._lamp: object = None
        self.shown = True
        picture.overlays.append(self._paint)

    @property
    def levels(self) -> list[float]:
        """The illuminances that lines are drawn for [lx]."""
        return [level for level, _ in self._lines]

    def take(self, lamp_id: str, camera: Camera, field: NDArray[np.float64]) -> None:
        """Lines of a field (rows, columns) of illuminance by a lamp [lx]."""
        lit = field[np.isfinite(field)]
        # The very peak is one pixel under the lamp: the lines are for the pool about it.
        peak = float(np.quantile(lit[lit > 0.0], 0.995)) if (lit > 0.0).any() else 0.0
        size = np.array([field.shape[1], field.shape[0]], dtype=np.float64)
        result = [(level, contour(field, level)) for level in round_levels(peak)]
        self._lines = [(level, (part + 0.5) / size) for level, part in result if len(part)]
        self._fits, self._lamp = (lamp_id, camera), self._session.now.source(lamp_id)
        self._picture.update()

    def _paint(self, painter: QPainter) -> None:
        lamp_id, camera = self._fits
        present = self._session.now.source(self._session.selection.lead)
        same = self._session.selection.lead == lamp_id and present == self._lamp
        if not (self.shown and same and camera == self._picture.camera_as_shown and self._lines):
            return
        width, height = self._picture.width(), self._picture.height()
        scale = np.array([width, height])
        taken: list[QRectF] = []
        for index, (level, part) in enumerate(self._lines):
            first, *more = [QLineF(*a, *b) for a, b in (part * scale).tolist()]
            for ink, wide in ((QColor(0, 0, 0, 90), 2.6), (QColor(255, 255, 255, 190 - 25 * index), 1.0)):
                painter.setPen(QPen(ink, wide))
                painter.drawLines(first, *more)
            if len(part) >= LONG_ENOUGH:
                self._number(
                    painter, part[:, 0] * scale, 0.9 * index + 0.4, format_quantity(level, "lx"), taken
                )

    def _number(
        self, painter: QPainter, ends: NDArray[np.float64], turn: float, text: str, taken: list[QRectF]
    ) -> None:
        """A line's number, where it lies on no other; none where there is no such place. Numbers are spread
        around the pool: each is first tried where the line goes farthest toward its own turn."""
        for angle in turn + np.arange(TRIED) * (2.0 * np.pi / TRIED):
            best = ends[int((ends @ [np.cos(angle), np.sin(angle)]).argmax())]
            at = QPointF(float(best[0]) + 3.0, float(best[1]) + 6.0)
            box = label_box(painter, at, text, self._picture.rect())
            if not any(box.intersects(other) for other in taken):
                draw_label(painter, at, text, self._picture.rect())
                taken.append(box)
                return
