"""What a scope points at, marked in the picture."""

import numpy as np
from numpy.typing import NDArray
from PyQt6.QtCore import QRectF
from PyQt6.QtGui import QColor, QImage, QPainter

from wallum.desk.viewport.view import PictureView
from wallum.desk.widgets.tokens import TOKENS

__all__ = ["PointedPixels"]


class PointedPixels:
    """Lies over the picture while a scope is pointed at."""

    def __init__(self, picture: PictureView) -> None:
        self._picture = picture
        self._image: QImage | None = None
        picture.overlays.append(self._paint)

    def show(self, mask: NDArray[np.bool_] | None) -> None:
        """Mark (H, W) places of the picture; None: none."""
        if mask is None and self._image is None:
            return
        self._image = None
        if mask is not None:
            colour = QColor(TOKENS["accent"])
            data = np.zeros((*mask.shape, 4), np.uint8)
            data[mask] = colour.blue(), colour.green(), colour.red(), 255
            height, width = mask.shape
            form = QImage.Format.Format_ARGB32_Premultiplied
            self._image = QImage(data.tobytes(), width, height, 4 * width, form).copy()
        self._picture.update()

    def _paint(self, painter: QPainter) -> None:
        if self._image is not None:
            painter.save()
            painter.setOpacity(0.75)
            painter.drawImage(QRectF(self._picture.rect()), self._image)
            painter.restore()
