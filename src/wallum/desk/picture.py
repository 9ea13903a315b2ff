"""The picture: shows the newest frame and its marks; turns the hand's moves into camera moves.

Drag: orbit about what was under the pointer. Right drag: look around. Middle drag: slide.
Wheel: approach what is under the pointer. E, D, S, F and R, W: fly. A lamp's ring can be
dragged parallel to the picture.
"""

import time
from dataclasses import replace
from typing import Protocol

import numpy as np
from numpy.typing import NDArray
from PyQt6.QtCore import QPointF, QRectF, Qt, QTimer, pyqtSignal
from PyQt6.QtGui import (
    QColor,
    QFocusEvent,
    QImage,
    QKeyEvent,
    QMouseEvent,
    QPainter,
    QPaintEvent,
    QResizeEvent,
    QWheelEvent,
)
from PyQt6.QtWidgets import QSizePolicy, QWidget

from wallum.desk.marks import Mark, draw_marks, mark_at, place_marks
from wallum.desk.navigation import approach, fly, look, orbit, slide
from wallum.desk.session import Session
from wallum.desk.stops_scale import draw_stops_scale
from wallum.desk.tokens import TOKENS
from wallum.document.sources import Lamp
from wallum.moment.camera import Camera
from wallum.realtime.request import Frame

__all__ = ["PictureView"]

DEGREES_PER_PIXEL = 0.25
WHEEL_SHARE = 0.12
CLICK_PX = 4.0
FLY_MS = 16
FLY_SHARE_PER_S = 0.12  # of the level's size
KEYS = {
    Qt.Key.Key_E: (0, 0, 1), Qt.Key.Key_D: (0, 0, -1), Qt.Key.Key_S: (-1, 0, 0),
    Qt.Key.Key_F: (1, 0, 0), Qt.Key.Key_R: (0, 1, 0), Qt.Key.Key_W: (0, -1, 0),
}  # fmt: skip


class ShadowTool(Protocol):
    """What takes drags in the picture instead of the camera."""

    def begin_pull(self, at: QPointF) -> bool: ...
    def pull(self, at: QPointF) -> None: ...
    def end_pull(self) -> None: ...
    def cancel_pull(self) -> bool: ...


class PictureView(QWidget):
    """Asks for nothing itself: emits what the hand did, and paints what came."""

    camera_moved = pyqtSignal(object)
    resized = pyqtSignal()
    picked = pyqtSignal(QPointF)
    painted = pyqtSignal(object)

    def __init__(self, session: Session, parent: QWidget | None = None) -> None:
        super().__init__(parent)
        self._session = session
        self._image: QImage | None = None
        self._frame: Frame | None = None
        self._note = ""
        self.camera = Camera((0.0, 1.7, 5.0), (0.0, 0.0, -1.0))
        self._drag: tuple[Qt.MouseButton, QPointF] | None = None
        self._last = QPointF()
        self._pivot: NDArray[np.float64] = np.zeros(3)
        self._lamp: tuple[Mark, NDArray[np.float64]] | None = None
        self._keys: set[int] = set()
        self.tool: ShadowTool | None = None  # takes drags of the left button while it is set
        self._pulling = False
        self.view = "final"
        self._flown = 0.0
        self._fly_timer = QTimer(self)
        self._fly_timer.setInterval(FLY_MS)
        self._fly_timer.timeout.connect(self._fly)
        self.setFocusPolicy(Qt.FocusPolicy.StrongFocus)
        self.setMouseTracking(True)
        self.setAttribute(Qt.WidgetAttribute.WA_OpaquePaintEvent)
        self.setSizePolicy(QSizePolicy.Policy.Expanding, QSizePolicy.Policy.Expanding)
        self.setMinimumSize(320, 200)
        self.setAccessibleName("Picture")
        session.selection_changed.connect(self.update)

    # -- showing -----------------------------------------------------------------------

    def show_frame(self, frame: Frame, image: QImage) -> None:
        """Show a frame at once; its memory stays valid until the next one came."""
        self._frame, self._image = frame, image
        self.repaint()

    def show_note(self, text: str) -> None:
        """A sentence in the middle, where there is no picture."""
        self._note = text
        self.update()

    def pixel_size(self) -> tuple[int, int]:
        """Size to draw at, in device pixels."""
        ratio = self.devicePixelRatioF()
        return max(int(self.width() * ratio), 16), max(int(self.height() * ratio), 16)

    def marks(self) -> list[Mark]:
        """Marks of the lamps as the view shows them now."""
        camera = self.camera.with_aspect(self.width() / max(self.height(), 1))
        return place_marks(self._session.project, camera, self.width(), self.height())

    def paintEvent(self, _: QPaintEvent | None) -> None:
        painter = QPainter(self)
        if self._image is None:
            painter.fillRect(self.rect(), QColor(TOKENS["ground"]))
            painter.setPen(QColor(TOKENS["quiet"]))
            painter.drawText(self.rect(), Qt.AlignmentFlag.AlignCenter, self._note)
            return
        if self._image.size() == self.size() * self.devicePixelRatioF():
            self._image.setDevicePixelRatio(self.devicePixelRatioF())
            painter.drawImage(0, 0, self._image)
        else:
            painter.drawImage(QRectF(self.rect()), self._image)
        if self.view == "false colour":
            draw_stops_scale(painter, self.height())
        draw_marks(painter, self.marks(), self._session.selected, self.devicePixelRatioF())
        painter.end()
        self.painted.emit(self._frame)

    def resizeEvent(self, _: QResizeEvent | None) -> None:
        self.resized.emit()

    def release_image(self) -> None:
        """Forget the frame: its memory goes."""
        self._image, self._frame = None, None
        self.update()

    # -- rays --------------------------------------------------------------------------

    def ray(self, at: QPointF) -> tuple[NDArray[np.float64], NDArray[np.float64]]:
        """Origin and direction (1, 3) through a place of the widget."""
        camera = self.camera.with_aspect(self.width() / max(self.height(), 1))
        x, y = np.array([at.x() / self.width()]), np.array([at.y() / self.height()])
        return np.array([camera.eye]), camera.rays(x, y)

    def surface_at(self, at: QPointF) -> tuple[NDArray[np.float64], NDArray[np.float64], int] | None:
        """(point, normal toward the eye, triangle) under a place, or None."""
        loaded = self._session.level
        if loaded is None:
            return None
        origin, direction = self.ray(at)
        hits = loaded.rays.first_visible(origin, direction)
        if hits.triangle[0] < 0:
            return None
        normal = loaded.rays.normals(hits)[0]
        normal = normal if normal @ direction[0] < 0.0 else -normal
        return origin[0] + direction[0] * hits.distance[0], normal, int(hits.triangle[0])

    def _pivot_at(self, at: QPointF) -> NDArray[np.float64]:
        found = self.surface_at(at)
        if found is not None:
            return found[0]
        loaded = self._session.level
        size = float(np.linalg.norm(np.diff(loaded.level.bounds, axis=0))) if loaded else 10.0
        return np.array(self.camera.eye) + np.array(self.camera.direction) * 0.3 * size

    # -- the hand ----------------------------------------------------------------------

    def _move(self, camera: Camera) -> None:
        self.camera = camera
        self.camera_moved.emit(camera)

    def mousePressEvent(self, event: QMouseEvent | None) -> None:
        assert event is not None
        if self._drag is not None:
            return
        self._drag, self._last = (event.button(), event.position()), event.position()
        self._lamp = None
        if self.tool is not None and event.button() == Qt.MouseButton.LeftButton:
            self._pulling = self.tool.begin_pull(event.position())
            return
        mark = mark_at(self.marks(), event.position())
        if mark is not None and event.button() == Qt.MouseButton.LeftButton:
            self._session.select(mark.source_id)
            source = self._session.selected_source
            assert isinstance(source, Lamp)
            self._lamp = (mark, np.array(source.position))
        else:
            self._pivot = self._pivot_at(event.position())

    def mouseMoveEvent(self, event: QMouseEvent | None) -> None:
        assert event is not None
        if self._drag is None:
            return
        button, start = self._drag
        at, step = event.position(), event.position() - self._last
        if (at - start).manhattanLength() < CLICK_PX and self._last == start:
            return
        self._last = at
        if self.tool is not None and button == Qt.MouseButton.LeftButton:
            if self._pulling:
                self.tool.pull(at)
            return
        if self._lamp is not None:
            self._drag_lamp(at - start)
            return
        across, down = step.x() * DEGREES_PER_PIXEL, step.y() * DEGREES_PER_PIXEL
        if button == Qt.MouseButton.LeftButton:
            self._move(orbit(self.camera, self._pivot, -across, down))
        elif button == Qt.MouseButton.RightButton:
            self._move(look(self.camera, across, -down))
        elif button == Qt.MouseButton.MiddleButton:
            distance = float(np.linalg.norm(self._pivot - np.array(self.camera.eye)))
            scale = 2.0 * self.camera.tangents[1] * distance / self.height()
            self._move(slide(self.camera, -step.x() * scale, step.y() * scale))

    def _drag_lamp(self, moved: QPointF) -> None:
        assert self._lamp is not None
        mark, start = self._lamp
        scale = 2.0 * self.camera.tangents[1] * mark.depth_m / self.height()
        right, up, _ = self.camera.rotation()
        place = start + right * moved.x() * scale - up * moved.y() * scale
        x, y, z = (round(float(part), 4) for part in place)
        self._session.preview(f"sources/@{mark.source_id}/position", (x, y, z))

    def mouseReleaseEvent(self, event: QMouseEvent | None) -> None:
        assert event is not None
        if self._drag is None or event.button() != self._drag[0]:
            return
        button, start = self._drag
        self._drag = None
        clicked = (event.position() - start).manhattanLength() < CLICK_PX
        if self.tool is not None and button == Qt.MouseButton.LeftButton:
            if self._pulling:
                self._pulling = False
                self.tool.end_pull()
            return
        if self._lamp is not None:
            self._lamp = None
            source = self._session.selected_source
            self._session.commit(f"{source.name if source else 'lamp'}, place")
        elif clicked and button == Qt.MouseButton.LeftButton:
            self._session.select("")
            self.picked.emit(event.position())

    def wheelEvent(self, event: QWheelEvent | None) -> None:
        assert event is not None
        turns = event.angleDelta().y() / 120.0
        target = self._pivot_at(event.position())
        self._move(approach(self.camera, target, 1.0 - (1.0 - WHEEL_SHARE) ** turns))

    def keyPressEvent(self, event: QKeyEvent | None) -> None:
        assert event is not None
        if event.key() in KEYS and not event.modifiers() & Qt.KeyboardModifier.ControlModifier:
            if not event.isAutoRepeat():
                self._keys.add(event.key())
                self._flown = time.perf_counter()
                self._fly_timer.start()
        elif event.key() == Qt.Key.Key_Escape and self.tool is not None and self._pulling:
            self._pulling, self._drag = False, None
            self.tool.cancel_pull()
        elif event.key() == Qt.Key.Key_Escape and self._lamp is not None:
            self._lamp, self._drag = None, None
            self._session.cancel()
        else:
            super().keyPressEvent(event)

    def keyReleaseEvent(self, event: QKeyEvent | None) -> None:
        assert event is not None
        if not event.isAutoRepeat():
            self._keys.discard(event.key())
        if not self._keys:
            self._fly_timer.stop()

    def focusOutEvent(self, event: QFocusEvent | None) -> None:
        self._keys.clear()
        self._fly_timer.stop()
        super().focusOutEvent(event)

    def _fly(self) -> None:
        now = time.perf_counter()
        elapsed, self._flown = min(now - self._flown, 0.1), now
        loaded = self._session.level
        size = float(np.linalg.norm(np.diff(loaded.level.bounds, axis=0))) if loaded else 10.0
        speed = min(max(size * FLY_SHARE_PER_S, 1.0), 30.0) * elapsed
        total = np.sum([KEYS[Qt.Key(key)] for key in self._keys], axis=0) * speed
        self._move(fly(self.camera, *(float(part) for part in total)))

    def look_through(self, camera: Camera) -> None:
        """Take another camera over."""
        self._move(replace(camera, aspect=self.width() / max(self.height(), 1)))
