"""One number: dragged, stepped with the wheel, typed with units and sums."""

import math

from PyQt6.QtCore import QPoint, QRect, Qt, pyqtSignal
from PyQt6.QtGui import QColor, QFontMetrics, QKeyEvent, QMouseEvent, QPainter, QPaintEvent, QWheelEvent
from PyQt6.QtWidgets import QLineEdit, QSizePolicy, QWidget

from wallum.desk.widgets.tokens import TOKENS
from wallum.document.fields import Parameter
from wallum.document.quantities import format_quantity

__all__ = ["NumberField", "dragged"]

PIXELS_PER_STOP = 60.0
PIXELS_PER_STEP = 4.0
FINE = 0.1
# Decimals that a vector's narrow fields show; the value itself keeps all of its own.
PARTS_DIGITS = 3


def dragged(value: float, pixels: float, info: Parameter, fine: bool) -> float:
    """A value after a drag, kept within the parameter's limits.

    Values of a logarithmic scale double every 60 pixels; others move a step every 4.
    """
    pixels = pixels * (FINE if fine else 1.0)
    if info.scale == "log":
        start = value if value > 0.0 else info.step * 0.01
        out = start * 2.0 ** (pixels / PIXELS_PER_STOP)
    else:
        out = value + info.step * pixels / PIXELS_PER_STEP
        grain = info.step * (FINE if fine else 1.0)
        out = round(out / grain) * grain
    if info.low is not None:
        out = max(out, info.low)
    if info.high is not None:
        out = min(out, info.high)
    # No more digits than can be read: drags leave no noise in the file.
    return float(f"{out:.6g}")


class NumberField(QWidget):
    """Shows a value and its unit. Emits while dragged, when released, and when typed."""

    previewed = pyqtSignal(float)
    committed = pyqtSignal()
    cancelled = pyqtSignal()
    typed = pyqtSignal(str)
    reset_asked = pyqtSignal()

    def __init__(self, info: Parameter, prefix: str = "", parent: QWidget | None = None) -> None:
        super().__init__(parent)
        self.info = info
        self._prefix = prefix
        self._value = 0.0
        self.differs = False  # whether it stands for several values that are not alike
        self._start: tuple[QPoint, float] | None = None
        self._moved = False
        self._editor: QLineEdit | None = None
        self.setFocusPolicy(Qt.FocusPolicy.StrongFocus)
        self.setCursor(Qt.CursorShape.SizeHorCursor)
        self.setSizePolicy(QSizePolicy.Policy.Expanding, QSizePolicy.Policy.Fixed)
        self.setMinimumWidth(46)
        self.setFixedHeight(QFontMetrics(self.font()).height() + 10)
        self.setAccessibleName(f"{info.label} {prefix}".strip())

    @property
    def value(self) -> float:
        return self._value

    def show_value(self, value: float, differs: bool | None = None) -> None:
        """Show a value; emits nothing. differs : whether others that it stands for are not it."""
        differs = self.differs if differs is None else differs
        if value == self._value and differs == self.differs:
            return
        self._value, self.differs = value, differs
        self.update()

    @property
    def text(self) -> str:
        """What is shown."""
        value = round(self._value, PARTS_DIGITS) if self._prefix else self._value
        return format_quantity(value, self.info.unit)

    def paintEvent(self, _: QPaintEvent | None) -> None:
        painter = QPainter(self)
        box = self.rect().adjusted(0, 0, -1, -1)
        painter.fillRect(box, QColor(TOKENS["raised"]))
        painter.setPen(
            QColor(TOKENS["accent" if self.hasFocus() else "edge" if self.isEnabled() else "line"])
        )
        painter.drawRect(box)
        inside = box.adjusted(5, 0, -5, 0)
        if self._prefix:
            painter.setPen(QColor(TOKENS["quiet"]))
            painter.drawText(inside, Qt.AlignmentFlag.AlignVCenter, self._prefix)
        if self.differs:
            painter.fillRect(QRect(1, 1, 3, self.height() - 3), QColor(TOKENS["second"]))
            painter.setPen(QColor(TOKENS["second"]))
            painter.drawText(inside, Qt.AlignmentFlag.AlignVCenter, "\u2260" if not self._prefix else "")
        self._paint_safe(painter, box)
        painter.setPen(QColor(TOKENS["text" if self.isEnabled() else "edge"]))
        room = inside.width() - (10 if self._prefix else 0)
        shown = self.fontMetrics().elidedText(self.text, Qt.TextElideMode.ElideLeft, room)
        painter.drawText(inside, Qt.AlignmentFlag.AlignVCenter | Qt.AlignmentFlag.AlignRight, shown)

    def _share(self, value: float) -> float:
        """Where a value lies in the range, 0 to 1."""
        low, high = self.info.low, self.info.high
        assert low is not None
        assert high is not None
        return min(max((value - low) / (high - low), 0.0), 1.0)

    def _paint_safe(self, painter: QPainter, box: QRect) -> None:
        """The part of the range in which a look stays subtle, as a line, and where the value is."""
        if self.info.safe is None or not self.isEnabled():
            return
        low, high = (box.left() + 1 + self._share(item) * (box.width() - 2) for item in self.info.safe)
        y = box.bottom() - 1
        painter.fillRect(QRect(round(low), y, max(round(high - low), 2), 2), QColor(TOKENS["second"]))
        inside = self.info.safe[0] <= self._value <= self.info.safe[1]
        at = box.left() + 1 + self._share(self._value) * (box.width() - 2)
        colour = TOKENS["text" if inside else "over"]
        painter.fillRect(QRect(round(at) - 1, y - 2, 2, 4), QColor(colour))

    def mousePressEvent(self, event: QMouseEvent | None) -> None:
        assert event is not None
        if event.button() == Qt.MouseButton.LeftButton:
            self._start, self._moved = (event.pos(), self._value), False

    def mouseMoveEvent(self, event: QMouseEvent | None) -> None:
        assert event is not None
        if self._start is None:
            return
        origin, value = self._start
        distance = event.pos().x() - origin.x()
        if not self._moved and abs(distance) < 3:
            return
        self._moved = True
        fine = bool(event.modifiers() & Qt.KeyboardModifier.ShiftModifier)
        self._preview(dragged(value, distance, self.info, fine))

    def _preview(self, value: float) -> None:
        if not math.isclose(value, self._value, rel_tol=1e-9, abs_tol=1e-12):
            self.show_value(value)
            self.previewed.emit(value)

    def mouseReleaseEvent(self, event: QMouseEvent | None) -> None:
        assert event is not None
        if event.button() == Qt.MouseButton.LeftButton and self._start is not None:
            self._start = None
            if self._moved:
                self.committed.emit()

    def mouseDoubleClickEvent(self, _: QMouseEvent | None) -> None:
        self.open_editor()

    def wheelEvent(self, event: QWheelEvent | None) -> None:
        assert event is not None
        if not self.hasFocus():
            event.ignore()  # the pane scrolls, values stay
            return
        fine = bool(event.modifiers() & Qt.KeyboardModifier.ShiftModifier)
        turns = event.angleDelta().y() / 120.0
        pixels = turns * (PIXELS_PER_STOP / 3.0 if self.info.scale == "log" else PIXELS_PER_STEP)
        self._preview(dragged(self._value, pixels, self.info, fine))
        self.committed.emit()

    def keyPressEvent(self, event: QKeyEvent | None) -> None:
        assert event is not None
        match event.key():
            case Qt.Key.Key_Escape if self._start is not None:
                self._start = None
                self.cancelled.emit()
            case Qt.Key.Key_Return | Qt.Key.Key_Enter | Qt.Key.Key_F2:
                self.open_editor()
            case Qt.Key.Key_Backspace | Qt.Key.Key_Delete:
                self.reset_asked.emit()
            case Qt.Key.Key_Up | Qt.Key.Key_Down:
                sign = 1.0 if event.key() == Qt.Key.Key_Up else -1.0
                pixels = sign * (PIXELS_PER_STOP / 3.0 if self.info.scale == "log" else PIXELS_PER_STEP)
                fine = bool(event.modifiers() & Qt.KeyboardModifier.ShiftModifier)
                self._preview(dragged(self._value, pixels, self.info, fine))
                self.committed.emit()
            case _:
                if event.text() and event.text() in "0123456789.+-":
                    self.open_editor(event.text())
                else:
                    super().keyPressEvent(event)

    def open_editor(self, text: str | None = None) -> None:
        """Type a value; Enter takes it, Escape leaves it."""
        if self._editor is not None:
            return
        self._start = None
        self._editor = QLineEdit(self.text if text is None else text, self)
        self._editor.setGeometry(QRect(0, 0, self.width(), self.height()))
        self._editor.returnPressed.connect(self._take_typed)
        self._editor.editingFinished.connect(self._close_editor)
        self._editor.show()
        self._editor.setFocus()
        if text is None:
            self._editor.selectAll()

    def _take_typed(self) -> None:
        if self._editor is not None:
            text = self._editor.text().replace("\N{NARROW NO-BREAK SPACE}", "")
            self._close_editor()
            self.typed.emit(text)

    def _close_editor(self) -> None:
        if self._editor is not None:
            editor, self._editor = self._editor, None
            editor.deleteLater()
            self.setFocus()
