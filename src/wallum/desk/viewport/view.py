"""The picture: shows the newest frame and its marks; turns the hand's moves into camera moves.

Drag: orbit about what was under the pointer. Right drag: look around. Middle drag: slide.
Wheel: approach what is under the pointer. E, D, S, F and R, W: fly. Lamps are dragged by their
rings and handles (fine with Shift, Escape gives back); Ctrl adds to the selection.
"""

import math
import time
from collections.abc import Callable
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
    QPainterPath,
    QPaintEvent,
    QPen,
    QResizeEvent,
    QWheelEvent,
)
from PyQt6.QtWidgets import QSizePolicy, QWidget

from wallum.desk.session.session import Session
from wallum.desk.viewport.grips import Grip, LampGrip
from wallum.desk.viewport.handles import Handle, Stand, draw_handles, handle_at, place_handles, stand_of
from wallum.desk.viewport.marks import Mark, draw_label, draw_marks, mark_at, place_marks
from wallum.desk.viewport.navigation import approach, fly, look, orbit, slide
from wallum.desk.viewport.pixels import pixels_of
from wallum.desk.viewport.pocket_shape import SideGrip, Sized, draw_outline, outline_of, side_handles
from wallum.desk.widgets.stops_scale import draw_grain_scale, draw_stops_scale
from wallum.desk.widgets.tokens import TOKENS
from wallum.document.sources import Placed
from wallum.memo import Memo
from wallum.moment.camera import Camera
from wallum.realtime.process.request import Frame
from wallum.transport.scene.rays import RayScene

__all__ = ["PictureView"]

DEGREES_PER_PIXEL = 0.25
WHEEL_SHARE = 0.12
CLICK_PX = 4.0
FINE = 0.1
FLY_MS = 16
FLY_SHARE_PER_S = 0.12  # of the level's size
KEYS = {
    Qt.Key.Key_E: (0, 0, 1), Qt.Key.Key_D: (0, 0, -1), Qt.Key.Key_S: (-1, 0, 0),
    Qt.Key.Key_F: (1, 0, 0), Qt.Key.Key_R: (0, 1, 0), Qt.Key.Key_W: (0, -1, 0),
}  # fmt: skip


class Tool(Protocol):
    """What takes drags of the left button in the picture instead of the camera."""

    def take(self, at: QPointF) -> Grip | None: ...


class PictureView(QWidget):
    """Asks for nothing itself: emits what the hand did, and paints what came."""

    camera_moved = pyqtSignal(object)
    resized = pyqtSignal()
    picked = pyqtSignal(QPointF)
    painted = pyqtSignal(object)
    left = pyqtSignal()  # Escape, with nothing in the hand
    stayed = pyqtSignal()  # Enter

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
        self._grip: Grip | None = None
        self._label = ""  # what is said beside the pointer while something is held
        self._stand: tuple[Placed, RayScene, Stand] | None = None
        self._marks: Memo[list[Mark]] = Memo(1)
        self._box: QRectF | None = None  # drawn about what is to be selected
        self._keys: set[int] = set()
        self.tool: Tool | None = None  # takes drags of the left button while it is set
        self.overlays: list[Callable[[QPainter], None]] = []
        self.first_grips: list[Callable[[QPointF], Grip | None]] = []  # asked before lamps are
        self.frame_aspect: float | None = None  # of the target, where its frame is shown
        self.view = "final"
        self._flown = 0.0
        self._painting = False
        self._fly_timer = QTimer(self)
        self._fly_timer.setInterval(FLY_MS)
        self._fly_timer.timeout.connect(self._fly)
        self.setFocusPolicy(Qt.FocusPolicy.StrongFocus)
        self.setMouseTracking(True)
        self.setAttribute(Qt.WidgetAttribute.WA_OpaquePaintEvent)
        self.setSizePolicy(QSizePolicy.Policy.Expanding, QSizePolicy.Policy.Expanding)
        self.setMinimumSize(320, 200)
        self.setAccessibleName("Picture")
        session.selection.changed.connect(self.update)

    # -- showing -----------------------------------------------------------------------

    def show_frame(self, frame: Frame, image: QImage) -> None:
        """Show a frame at once; its memory stays valid until the next one came."""
        self._frame, self._image = frame, image
        if self._painting:
            # Whatever is painted ran the window's events: a picture within a picture is none.
            self.update()
        else:
            self.repaint()

    def show_note(self, text: str) -> None:
        """A sentence in the middle, where there is no picture."""
        self._note = text
        self.update()

    @property
    def camera_as_shown(self) -> Camera:
        """The camera with the aspect of this picture, wide enough for the target's frame."""
        aspect = self.width() / max(self.height(), 1)
        if self.frame_aspect is None or self.frame_aspect <= aspect:
            return self.camera.with_aspect(aspect)
        tall = math.tan(math.radians(self.camera.fov) / 2.0) * self.frame_aspect / aspect
        return replace(self.camera, fov=math.degrees(2.0 * math.atan(tall)), aspect=aspect)

    def pixel_size(self) -> tuple[int, int]:
        """Size to draw at, in device pixels."""
        ratio = self.devicePixelRatioF()
        return max(int(self.width() * ratio), 16), max(int(self.height() * ratio), 16)

    def marks(self) -> list[Mark]:
        """Marks of the lamps as the view shows them now."""
        project, camera = self._session.project, self.camera_as_shown
        wide, high, shown = self.width(), self.height(), self._session.selection.chosen
        # A look under the hand moves none of them.
        return self._marks.get(
            lambda: place_marks(project, camera, wide, high, shown),
            project.resolved_sources,
            also=(camera, wide, high, frozenset(shown)),
        )

    def _stand_of_selected(self) -> Stand | None:
        """How the selected lamp stands; rays are sent only when it or the level has changed."""
        lamp, loaded = self._session.now.source(self._session.selection.lead), self._session.level
        if not isinstance(lamp, Placed) or loaded is None:
            return None
        selected = self._stand
        if selected is None or selected[0] != lamp or selected[1] is not loaded.rays:
            selected = self._stand = (lamp, loaded.rays, stand_of(loaded.rays, lamp))
        return selected[2]

    def handles(self) -> list[Handle]:
        """What the selected lamp can be taken by; nothing of a locked one."""
        source = self._session.selection.source
        stand = self._stand_of_selected()
        if stand is None or source is None or source.locked or self.tool is not None:
            return []
        camera = self.camera_as_shown
        more = []
        if isinstance(source, Sized):
            more = side_handles(source, camera, self.width(), self.height())
        return [*place_handles(stand, camera, self.width(), self.height()), *more]

    def shown_rgb(self) -> NDArray[np.uint8] | None:
        """(H, W, 3) the whole picture that is shown; None where there is none, or a smaller one."""
        image = self._image
        whole = image is not None and image.size() == self.size() * self.devicePixelRatioF()
        return pixels_of(image) if image is not None and whole else None

    def place_of(self, point: NDArray[np.float64]) -> QPointF | None:
        """Where a point (3,) of the level is in the picture; None behind the camera."""
        camera = self.camera_as_shown
        x, y, depth = camera.place_in_picture(np.asarray(point)[None])[0].tolist()
        return QPointF(x * self.width(), y * self.height()) if depth > camera.near else None

    def paintEvent(self, _: QPaintEvent | None) -> None:
        self._painting = True
        try:
            self._paint()
        finally:
            self._painting = False

    def _paint(self) -> None:
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
            # A moving picture is drawn smaller, see realtime/passes/interaction/pace.py.
            painter.setRenderHint(QPainter.RenderHint.SmoothPixmapTransform)
            painter.drawImage(QRectF(self.rect()), self._image)
        if self.view == "false colour":
            draw_stops_scale(painter, self.height())
        elif self.view == "shadow grain":
            draw_grain_scale(painter, self.height())
        self._paint_over(painter)
        painter.end()
        self.painted.emit(self._frame)

    def _paint_over(self, painter: QPainter) -> None:
        painter.setRenderHint(QPainter.RenderHint.Antialiasing)
        self._paint_frame(painter)
        for overlay in self.overlays:
            painter.setBrush(Qt.BrushStyle.NoBrush)
            overlay(painter)
        handles, chosen = self.handles(), self._session.now.source(self._session.selection.lead)
        lines = outline_of(chosen, self._session.project, self._session.playhead.moment)
        if lines:
            draw_outline(painter, lines, self.camera_as_shown, self.width(), self.height(), handles)
        draw_handles(painter, handles)
        draw_marks(painter, self.marks(), self._session.selection.ids, self.devicePixelRatioF())
        if self._box is not None:
            painter.setPen(QPen(QColor(TOKENS["accent"]), 1, Qt.PenStyle.DashLine))
            painter.drawRect(self._box.normalized())
        if self._label:
            draw_label(painter, self._last + QPointF(16.0, -12.0), self._label, self.rect())

    def _paint_frame(self, painter: QPainter) -> None:
        """Dim what the target's picture leaves out."""
        if self.frame_aspect is None:
            return
        wide, high = float(self.width()), float(self.height())
        frame = QRectF(0.0, 0.0, min(wide, high * self.frame_aspect), min(high, wide / self.frame_aspect))
        frame.moveCenter(QRectF(self.rect()).center())
        outside = QPainterPath()
        outside.addRect(QRectF(self.rect()))
        inside = QPainterPath()
        inside.addRect(frame)
        painter.fillPath(outside.subtracted(inside), QColor(24, 24, 24, 190))
        painter.setPen(QPen(QColor(TOKENS["quiet"]), 1))
        painter.setBrush(Qt.BrushStyle.NoBrush)
        painter.drawRect(frame.adjusted(0, 0, -1, -1))

    def resizeEvent(self, _: QResizeEvent | None) -> None:
        self.resized.emit()

    def release_image(self) -> None:
        """Forget the frame: its memory goes."""
        self._image, self._frame = None, None
        self.update()

    # -- rays --------------------------------------------------------------------------

    def ray(self, at: QPointF) -> tuple[NDArray[np.float64], NDArray[np.float64]]:
        """Origin and direction (1, 3) through a place of the widget."""
        camera = self.camera_as_shown
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
        surface = self.surface_at(at)
        if surface is not None:
            return surface[0]
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
        at = event.position()
        self._drag, self._last = (event.button(), at), at
        self._grip, self._box = None, None
        if event.button() == Qt.MouseButton.LeftButton:
            taken = (grip for take in self.first_grips if (grip := take(at)) is not None)
            self._grip = next(taken, None)
            if self._grip is not None:
                pass
            elif self.tool is not None:
                self._grip = self.tool.take(at)
            elif event.modifiers() & Qt.KeyboardModifier.ControlModifier:
                self._select_also(at)
            else:
                self._grip = self._take(at)
        if self._grip is None:
            self._pivot = self._pivot_at(at)

    def _take(self, at: QPointF) -> Grip | None:
        """Take a handle of the selected lamp, or another lamp by its ring."""
        handle = handle_at(self.handles(), at)
        mark = mark_at(self.marks(), at)
        if handle is None or (handle.kind == "foot" and mark is not None):
            if mark is None:
                return None
            if mark.source_id not in self._session.selection.chosen:
                self._session.selection.select(mark.source_id)
            others = (item for item in self._session.selection.chosen if item != mark.source_id)
            self._session.selection.select(*others, mark.source_id)
            handle = Handle("move", mark.at)
        stand = self._stand_of_selected()
        source = self._session.selection.source
        if stand is None or source is None or source.locked:
            if source is not None and source.locked:
                self._session.told.emit(f"{source.name} is locked: unlock it first (L)")
            return None
        ray = self._single_ray
        if handle.kind == "side" and isinstance(source, Sized):
            return SideGrip(self._session, source, handle.number, at, ray)
        camera = self.camera_as_shown
        height = float(self.height())
        return LampGrip(self._session, handle.kind, stand, at, camera, ray, self.surface_at, height)

    def _single_ray(self, at: QPointF) -> tuple[NDArray[np.float64], NDArray[np.float64]]:
        origin, direction = self.ray(at)
        return origin[0], direction[0]

    def _select_also(self, at: QPointF) -> None:
        """A ring joins the selection or leaves it; from elsewhere a box is drawn."""
        mark = mark_at(self.marks(), at)
        if mark is not None:
            self._session.selection.select_also(mark.source_id)
            self._drag = None
        else:
            self._box = QRectF(at, at)

    def mouseMoveEvent(self, event: QMouseEvent | None) -> None:
        assert event is not None
        if self._drag is None:
            return
        button, start = self._drag
        at, step = event.position(), event.position() - self._last
        if (at - start).manhattanLength() < CLICK_PX and self._last == start:
            return
        self._last = at
        if self._box is not None:
            self._box = QRectF(start, at)
            self.update()
        elif self._grip is not None:
            fine = bool(event.modifiers() & Qt.KeyboardModifier.ShiftModifier)
            self._label = self._grip.drag(start + (at - start) * (FINE if fine else 1.0))
            self.update()
        elif self.tool is None or button != Qt.MouseButton.LeftButton:
            self._drag_camera(button, step)

    def _drag_camera(self, button: Qt.MouseButton, step: QPointF) -> None:
        across, down = step.x() * DEGREES_PER_PIXEL, step.y() * DEGREES_PER_PIXEL
        if button == Qt.MouseButton.LeftButton:
            self._move(orbit(self.camera, self._pivot, -across, down))
        elif button == Qt.MouseButton.RightButton:
            self._move(look(self.camera, across, -down))
        elif button == Qt.MouseButton.MiddleButton:
            distance = float(np.linalg.norm(self._pivot - np.array(self.camera.eye)))
            scale = 2.0 * self.camera.tangents[1] * distance / self.height()
            self._move(slide(self.camera, -step.x() * scale, step.y() * scale))

    def mouseReleaseEvent(self, event: QMouseEvent | None) -> None:
        assert event is not None
        if self._drag is None or event.button() != self._drag[0]:
            return
        button, start = self._drag
        self._drag, self._label = None, ""
        clicked = (event.position() - start).manhattanLength() < CLICK_PX
        if self._box is not None:
            box, self._box = self._box.normalized(), None
            inside = [mark.source_id for mark in self.marks() if box.contains(mark.at)]
            self._session.selection.select(*self._session.selection.ids, *inside)
            self.update()
        elif self._grip is not None:
            self._grip.let_go()
            self._grip = None
        elif clicked and button == Qt.MouseButton.LeftButton and self.tool is None:
            self._session.selection.select("")
            self.picked.emit(event.position())
        self.update()

    @property
    def held(self) -> bool:
        """Whether the hand holds something in the picture."""
        return self._grip is not None

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
        elif event.key() == Qt.Key.Key_Escape and self._drag is not None:
            if self._grip is not None:
                self._grip.give_back()
            self._grip, self._drag, self._box, self._label = None, None, None, ""
            self.update()
        elif event.key() == Qt.Key.Key_Escape:
            self.left.emit()
        elif event.key() in (Qt.Key.Key_Return, Qt.Key.Key_Enter):
            self.stayed.emit()
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
