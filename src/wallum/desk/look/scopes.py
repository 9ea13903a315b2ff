"""Scopes of the picture: its light in stops, its signal by columns, its colours; what is pointed at is marked
in the picture."""

from typing import Final

import numpy as np
from numpy.typing import NDArray
from PyQt6.QtCore import QEvent, QPointF, QRectF, QSize, Qt, pyqtSignal
from PyQt6.QtGui import (
    QCloseEvent,
    QColor,
    QImage,
    QMouseEvent,
    QPainter,
    QPaintEvent,
    QPen,
    QPixmap,
    QPolygonF,
    QShowEvent,
)
from PyQt6.QtWidgets import QDockWidget, QHBoxLayout, QSizePolicy, QToolButton, QVBoxLayout, QWidget

from wallum.desk.look.reading import LookReader, LookReading, ScopeChoice, by_stops
from wallum.desk.widgets.tokens import TOKENS
from wallum.physics.scopes import LUMA, PER_STOP, STOPS, bin_of, colour_difference, stops_of
from wallum.physics.tone import srgb_encode

__all__ = ["Scope", "ScopesDock"]

Mask = NDArray[np.bool_]
# Colours whose place in the plane is named, encoded.
NAMED: Final = {
    "R": (1, 0, 0),
    "Y": (1, 1, 0),
    "G": (0, 1, 0),
    "C": (0, 1, 1),
    "B": (0, 0, 1),
    "M": (1, 0, 1),
}
# How near a colour or a level must lie to what is pointed at.
NEAR_LEVEL, NEAR_COLOUR, NEAR_COLUMN = 0.02, 0.03, 0.02


class Scope(QWidget):
    """One scope: an image over a scale. kind : "light", "signal" or "colours"."""

    pointed = pyqtSignal(object)  # (H, W) of the sample: what is pointed at; None: nothing

    def __init__(self, kind: str, title: str, parent: QWidget | None = None) -> None:
        super().__init__(parent)
        self.kind, self._title = kind, title
        self._reading: LookReading | None = None
        self._image: QImage | None = None
        self._at: QPointF | None = None
        # Lines and words over it, as long as size and channels stay.
        self._scale: tuple[object, QPixmap] | None = None
        self.setMouseTracking(True)
        self.setAccessibleName(title)
        self.setMinimumSize(120, 96)
        self.setSizePolicy(QSizePolicy.Policy.Expanding, QSizePolicy.Policy.Expanding)

    def sizeHint(self) -> QSize:
        return QSize(140 if self.kind == "colours" else 240, 150)

    def show_reading(self, reading: LookReading) -> None:
        """Show what was read of a picture."""
        self._reading = reading
        self._image = reading.images.get(self.kind)
        self.update()

    @property
    def _scoped(self) -> ScopeChoice:
        """What is shown."""
        scoped = None if self._reading is None else self._reading.taken.scopes
        return scoped or ScopeChoice()

    def _box(self) -> QRectF:
        box = QRectF(self.rect()).adjusted(4.0, 18.0, -4.0, -19.0 if self.kind == "light" else -4.0)
        if self.kind == "colours":
            side = min(box.width(), box.height())
            middle = box.center()
            box = QRectF(middle.x() - 0.5 * side, middle.y() - 0.5 * side, side, side)
        return box

    # -- what is pointed at ----------------------------------------------------------------

    def mouseMoveEvent(self, event: QMouseEvent | None) -> None:
        assert event is not None
        box = self._box()
        self._at = event.position() if box.contains(event.position()) else None
        self.pointed.emit(None if self._at is None else self.mask_at(self._at))
        self.update()

    def leaveEvent(self, _: QEvent | None) -> None:
        self._at = None
        self.pointed.emit(None)
        self.update()

    def mask_at(self, at: QPointF) -> Mask | None:
        """(H, W) of the sample: where the picture is as a place of the scope says."""
        if self._reading is None:
            return None
        box, taken = self._box(), self._reading.taken
        x, y = (at.x() - box.left()) / box.width(), (box.bottom() - at.y()) / box.height()
        if self.kind == "light":
            wanted = bin_of(STOPS[0] + x * (STOPS[1] - STOPS[0]))
            return np.asarray(bin_of(stops_of(taken.values)) == wanted)
        light = self._scoped.of_light
        if self.kind == "colours":
            shown = srgb_encode(np.clip(taken.values, 0.0, 1.0)) if light else taken.pixels
            off = colour_difference(shown) - np.array([x - 0.5, y - 0.5])
            return np.asarray(np.hypot(off[..., 0], off[..., 1]) < NEAR_COLOUR)
        signal = by_stops(taken.values) if light else taken.pixels.astype(np.float64)
        across = (np.arange(signal.shape[1]) + 0.5) / signal.shape[1]
        if self._scoped.by_channel:
            channel = min(int(3.0 * x), 2)
            level, x = signal[..., channel], 3.0 * x - channel
        else:
            level = signal @ LUMA
        return np.asarray((np.abs(level - y) < NEAR_LEVEL) & (np.abs(across - x) < NEAR_COLUMN))

    # -- painting --------------------------------------------------------------------------

    def paintEvent(self, _: QPaintEvent | None) -> None:
        painter = QPainter(self)
        box = self._box()
        painter.fillRect(self.rect(), QColor(TOKENS["pane"]))
        painter.fillRect(box, QColor("#161616"))
        if self._image is not None:
            painter.drawImage(box, self._image)
        if self.kind == "light":
            self._paint_light(painter, box)
        painter.drawPixmap(0, 0, self._scale_now(box))
        if self.kind == "light":
            self._paint_pointed(painter, box)

    def _scale_now(self, box: QRectF) -> QPixmap:
        """The scope's title, lines and words, drawn once for a size."""
        of = self.size(), self._scoped, self.devicePixelRatioF()
        if self._scale is None or self._scale[0] != of:
            pixmap = QPixmap(self.size() * self.devicePixelRatioF())
            pixmap.setDevicePixelRatio(self.devicePixelRatioF())
            pixmap.fill(Qt.GlobalColor.transparent)
            painter = QPainter(pixmap)
            painter.setFont(self.font())
            painter.setPen(QColor(TOKENS["quiet"]))
            room = QRectF(4.0, 1.0, self.width() - 8.0, 15.0)
            painter.drawText(room, Qt.AlignmentFlag.AlignLeft, self._title)
            if self.kind == "light":
                self._paint_stops(painter, box)
            elif self.kind == "colours":
                self._paint_plane(painter, box)
            else:
                self._paint_levels(painter, box)
            painter.end()
            self._scale = of, pixmap
        return self._scale[1]

    def _paint_light(self, painter: QPainter, box: QRectF) -> None:
        if self._reading is not None and self._reading.histogram.any():
            tops = np.repeat(self._reading.histogram / self._reading.histogram.max(), 2)
            edges = np.repeat(np.linspace(box.left(), box.right(), len(tops) // 2 + 1), 2)[1:-1]
            places = map(QPointF, edges.tolist(), (box.bottom() - tops * box.height()).tolist())
            painter.setPen(Qt.PenStyle.NoPen)
            painter.setBrush(QColor(205, 205, 195))
            painter.drawPolygon(QPolygonF([box.bottomLeft(), *places, box.bottomRight()]))
            painter.setBrush(Qt.BrushStyle.NoBrush)

    @staticmethod
    def _paint_stops(painter: QPainter, box: QRectF) -> None:
        low, high = STOPS
        for stops in range(-8, 5, 4):
            x = box.left() + (stops - low) / (high - low) * box.width()
            painter.setPen(QPen(QColor(TOKENS["edge" if stops == 0 else "line"]), 1))
            painter.drawLine(QPointF(x, box.top()), QPointF(x, box.bottom()))
            painter.setPen(QColor(TOKENS["quiet"]))
            room = QRectF(x - 20.0, box.bottom() + 1.0, 40.0, 18.0)
            painter.drawText(room, Qt.AlignmentFlag.AlignCenter, f"{stops:+d}" if stops else "grey")

    def _paint_pointed(self, painter: QPainter, box: QRectF) -> None:
        low, high = STOPS
        if self._at is not None and self._reading is not None:
            painter.setPen(QColor(TOKENS["quiet"]))
            x = (self._at.x() - box.left()) / box.width()
            number = int(bin_of(low + x * (high - low)))
            share = self._reading.histogram[number]
            text = f"{low + number / PER_STOP:+.2f} stops: {share:.1%}"
            painter.drawText(
                QRectF(box.left() + 4.0, box.top(), 160.0, 16.0), Qt.AlignmentFlag.AlignLeft, text
            )

    def _paint_levels(self, painter: QPainter, box: QRectF) -> None:
        painter.setPen(QPen(QColor(255, 255, 255, 45), 1))
        for part in range(1, 4):
            y = box.bottom() - part / 4.0 * box.height()
            painter.drawLine(QPointF(box.left(), y), QPointF(box.right(), y))
        if self._scoped.by_channel:
            for part in (1, 2):
                x = box.left() + part / 3.0 * box.width()
                painter.drawLine(QPointF(x, box.top()), QPointF(x, box.bottom()))

    def _paint_plane(self, painter: QPainter, box: QRectF) -> None:
        painter.setRenderHint(QPainter.RenderHint.Antialiasing)
        middle = box.center()
        painter.setPen(QPen(QColor(255, 255, 255, 60), 1))
        for share in (0.25, 0.5):
            painter.drawEllipse(middle, share * box.width(), share * box.height())
        painter.drawLine(QPointF(box.left(), middle.y()), QPointF(box.right(), middle.y()))
        painter.drawLine(QPointF(middle.x(), box.top()), QPointF(middle.x(), box.bottom()))
        painter.setPen(QColor(TOKENS["quiet"]))
        for name, colour in NAMED.items():
            blue, red = (0.86 * colour_difference(np.array(colour, np.float64))).tolist()
            at = middle + QPointF(blue * box.width(), -red * box.height())
            painter.drawText(
                QRectF(at.x() - 8.0, at.y() - 8.0, 16.0, 16.0), Qt.AlignmentFlag.AlignCenter, name
            )


class ScopesDock(QDockWidget):
    """All scopes beside each other; it can be moved to any side, or away from the window."""

    pointed = pyqtSignal(object)
    shown = pyqtSignal()  # or put away

    def __init__(self, reader: LookReader, parent: QWidget | None = None) -> None:
        super().__init__("Scopes", parent)
        self.setObjectName("scopes")
        self._reader = reader
        self.scopes = (
            Scope("light", "Light, in stops"),
            Scope("signal", "Signal"),
            Scope("colours", "Colours"),
        )
        holder = QWidget()
        holder.setObjectName("pane")
        row = QHBoxLayout(holder)
        row.setContentsMargins(6, 2, 6, 4)
        row.setSpacing(8)
        for scope, stretch in zip(self.scopes, (4, 5, 3), strict=True):
            row.addWidget(scope, stretch)
            scope.pointed.connect(self.pointed)
        self.of_light = self._switch("Of the light", "Signal and colours of the light, before the look")
        self.by_channel = self._switch("By channel", "Signal of red, green and blue beside each other")
        column = QVBoxLayout()
        column.addWidget(self.of_light)
        column.addWidget(self.by_channel)
        column.addStretch(1)
        row.addLayout(column)
        self.setWidget(holder)
        reader.came.connect(self._take)
        self.hide()

    def _switch(self, text: str, tip: str) -> QToolButton:
        button = QToolButton()
        button.setObjectName("tab")
        button.setText(text)
        button.setToolTip(tip)
        button.setCheckable(True)
        button.setFocusPolicy(Qt.FocusPolicy.TabFocus)
        button.toggled.connect(lambda _: self._switched())
        return button

    def _switched(self) -> None:
        self._reader.show_scopes(ScopeChoice(self.of_light.isChecked(), self.by_channel.isChecked()))

    def _take(self, reading: LookReading) -> None:
        if self.isVisible():
            self.show_reading(reading)

    def show_reading(self, reading: LookReading) -> None:
        """Show what was read of a picture, in every scope."""
        for scope in self.scopes:
            scope.show_reading(reading)

    def swap(self) -> None:
        """Open, or put away."""
        self.setVisible(not self.isVisible())

    def showEvent(self, event: QShowEvent | None) -> None:
        super().showEvent(event)
        self._reader.scopes = True
        self.shown.emit()

    def closeEvent(self, event: QCloseEvent | None) -> None:
        super().closeEvent(event)
        self._put_away()

    def setVisible(self, visible: bool) -> None:
        super().setVisible(visible)
        if not visible:
            self._put_away()

    def _put_away(self) -> None:
        self._reader.scopes = False
        self.shown.emit()
        self.pointed.emit(None)
