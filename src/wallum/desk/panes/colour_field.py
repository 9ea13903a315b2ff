"""The colour of a light: a field of temperatures and tints, or of hues, and its swatch."""

import colorsys
import math
from collections.abc import Sequence
from functools import lru_cache
from typing import Final

import numpy as np
from PyQt6.QtCore import QPointF, QRectF, QSize, Qt
from PyQt6.QtGui import QColor, QImage, QKeyEvent, QMouseEvent, QPainter, QPaintEvent, QPen
from PyQt6.QtWidgets import QSizePolicy, QWidget

from wallum.desk.session.session import Session, names_of
from wallum.desk.widgets.tokens import TOKENS
from wallum.document.sources import Coloured, SkySource, SunSource
from wallum.physics.colour import MAX_CCT_K, MIN_CCT_K, light_colour
from wallum.physics.tone import srgb_encode

__all__ = ["ColourField", "colour_at", "kelvin_at", "tint_at"]

TINT_SPAN: Final = 0.03
SWATCH_PX: Final = 44
LOW_K, HIGH_K = MIN_CCT_K, MAX_CCT_K
# Enough for a smooth field: it is drawn larger, and is to be made in an instant.
COLUMNS, ROWS = 28, 5
MARKED_K = (2000, 3000, 4500, 6500, 10000)


def kelvin_at(share: float) -> float:
    """Temperature at a place of the field, 0 to 1 from the left, cool at the right [K]."""
    kelvin = LOW_K * (HIGH_K / LOW_K) ** min(max(share, 0.0), 1.0)
    return min(max(float(round(kelvin, -1)), LOW_K), HIGH_K)


def share_of(kelvin: float) -> float:
    return math.log(kelvin / LOW_K) / math.log(HIGH_K / LOW_K)


def tint_at(share: float) -> float:
    """Tint at a place of the field, 0 to 1 from the top; above the middle greener."""
    tint = (1.0 - 2.0 * min(max(share, 0.0), 1.0)) * TINT_SPAN
    return 0.0 if abs(tint) < 0.0015 else round(tint, 4)


def colour_at(across: float, down: float) -> tuple[float, float, float]:
    """Linear colour at a place of the field of hues: pale at the top, full below."""
    hue, full = min(max(across, 0.0), 0.9999), min(max(down, 0.0), 1.0)
    red, green, blue = colorsys.hsv_to_rgb(hue, full, 1.0)
    return round(red, 4), round(green, 4), round(blue, 4)


@lru_cache(maxsize=2)
def _field_image(by: str) -> QImage:
    image = QImage(COLUMNS, ROWS, QImage.Format.Format_RGB32)
    for row in range(ROWS):
        for column in range(COLUMNS):
            across, down = column / (COLUMNS - 1), row / (ROWS - 1)
            if by == "kelvin":
                rgb = light_colour(kelvin_at(across), tint_at(down))
            else:
                rgb = np.array(colour_at(across, down))
            red, green, blue = np.round(srgb_encode(rgb / rgb.max()) * 235.0).astype(int).tolist()
            image.setPixelColor(column, row, QColor(red, green, blue))
    return image


class ColourField(QWidget):
    """Drag in the field: across for the temperature, up and down for the tint; arrows step."""

    def __init__(self, session: Session, parent: QWidget | None = None) -> None:
        super().__init__(parent)
        self._session = session
        self._sources: tuple[Coloured, ...] = ()
        self._swatch = QColor("white")
        self._dragging = False
        self.setFixedHeight(46)
        self.setSizePolicy(QSizePolicy.Policy.Expanding, QSizePolicy.Policy.Fixed)
        self.setFocusPolicy(Qt.FocusPolicy.StrongFocus)
        self.setAccessibleName("Colour")
        for by in ("kelvin", "colour"):
            _field_image(by)  # now, and not under the hand

    def sizeHint(self) -> QSize:
        return QSize(220, 46)

    def show_source(self, source: Coloured, others: Sequence[Coloured], shown: tuple[int, int, int]) -> None:
        """Show the colour of a source; what is set goes to the others as well."""
        before = [_colour_of(item) for item in self._sources]
        self._sources = (source, *others)
        self.show_swatch(shown)
        # Sun and sky may have changed their kind, which says whose the colour is.
        if before == [_colour_of(item) for item in self._sources] and not isinstance(
            source, SunSource | SkySource
        ):
            return
        if self.has_field:
            tip = "Across: temperature. Up and down: tint, greener above, pinker below."
            self.setToolTip(tip if source.colour_by == "kelvin" else "Across: hue. Down: fuller.")
        else:
            self.setToolTip("The colour of its light at this hour")
        self.update()

    def show_swatch(self, shown: tuple[int, int, int]) -> None:
        """The colour that the light has at this hour."""
        if self._swatch != QColor(*shown):
            self._swatch = QColor(*shown)
            self.update()

    @property
    def has_field(self) -> bool:
        """Whether the colour is the artist's to set, and not that of the real thing."""
        if not self._sources:
            return False
        lead = self._sources[0]
        if isinstance(lead, SunSource):
            return lead.light == "own"
        if isinstance(lead, SkySource):
            return lead.model == "plain"
        return "kelvin" not in lead.inactive() or "colour" not in lead.inactive()

    # -- painting ----------------------------------------------------------------------

    def _field(self) -> QRectF:
        return QRectF(0.5, 0.5, self.width() - SWATCH_PX - 7, self.height() - 1)

    def paintEvent(self, _: QPaintEvent | None) -> None:
        painter = QPainter(self)
        painter.setRenderHint(QPainter.RenderHint.Antialiasing)
        whole = QRectF(0.5, 0.5, self.width() - 1, self.height() - 1)
        swatch = QRectF(self.width() - SWATCH_PX - 0.5, 0.5, SWATCH_PX, self.height() - 1)
        painter.setPen(QColor(TOKENS["line"]))
        painter.setBrush(self._swatch)
        painter.drawRect(swatch if self.has_field else whole)
        if self.has_field:
            self._paint_field(painter, self._field())
        painter.end()

    def _paint_field(self, painter: QPainter, field: QRectF) -> None:
        lead = self._sources[0]
        painter.setRenderHint(QPainter.RenderHint.SmoothPixmapTransform)
        painter.drawImage(field, _field_image(lead.colour_by))
        painter.setBrush(Qt.BrushStyle.NoBrush)
        painter.setPen(QPen(QColor(TOKENS["accent" if self.hasFocus() else "line"]), 1))
        painter.drawRect(field)
        if lead.colour_by == "kelvin":
            self._paint_scale(painter, field)
        # Those that share a place are one mark; the leading source is drawn last.
        places = {
            (round(at.x()), round(at.y())): at for at in (self._place(field, s) for s in self._sources[1:])
        }
        for at in (*places.values(), self._place(field, lead)):
            for ink, wide in ((QColor(0, 0, 0, 170), 3.0), (QColor("white"), 1.4)):
                painter.setPen(QPen(ink, wide))
                painter.drawEllipse(at, 4.5, 4.5)

    def _paint_scale(self, painter: QPainter, field: QRectF) -> None:
        font = self.font()
        font.setPointSizeF(7.0)
        painter.setFont(font)
        for kelvin in MARKED_K:
            x = field.left() + share_of(kelvin) * field.width()
            painter.setPen(QColor(0, 0, 0, 150))
            painter.drawLine(QPointF(x, field.bottom() - 4), QPointF(x, field.bottom()))
            box = QRectF(x - 20, field.bottom() - 16, 40, 12)
            painter.drawText(box, Qt.AlignmentFlag.AlignCenter, f"{kelvin / 1000:g}")

    def _place(self, field: QRectF, source: Coloured) -> QPointF:
        if source.colour_by == "kelvin":
            across, down = share_of(source.kelvin), 0.5 - 0.5 * source.tint / TINT_SPAN
        else:
            across, down, _ = colorsys.rgb_to_hsv(*source.colour)
        x = field.left() + across * field.width()
        y = field.top() + min(max(down, 0.0), 1.0) * field.height()
        return QPointF(min(max(x, field.left()), field.right()), y)

    # -- the hand ----------------------------------------------------------------------

    def _changes(self, at: QPointF) -> dict[str, object]:
        field = self._field()
        across, down = (at.x() - field.left()) / field.width(), (at.y() - field.top()) / field.height()
        if self._sources[0].colour_by == "kelvin":
            return {"kelvin": kelvin_at(across), "tint": tint_at(down)}
        return {"colour": colour_at(across, down)}

    def _values(self, changes: dict[str, object]) -> dict[str, object]:
        return {f"sources/@{source.id}/{k}": v for source in self._sources for k, v in changes.items()}

    def _step_name(self) -> str:
        return f"{names_of(self._sources)}, colour"

    def mousePressEvent(self, event: QMouseEvent | None) -> None:
        assert event is not None
        inside = self.has_field and self._field().contains(event.position())
        if event.button() == Qt.MouseButton.LeftButton and inside:
            self._dragging = True
            self._session.preview_all(self._values(self._changes(event.position())))

    def mouseMoveEvent(self, event: QMouseEvent | None) -> None:
        assert event is not None
        if self._dragging:
            self._session.preview_all(self._values(self._changes(event.position())))

    def mouseReleaseEvent(self, event: QMouseEvent | None) -> None:
        if self._dragging:
            self._dragging = False
            self._session.commit(self._step_name())

    def keyPressEvent(self, event: QKeyEvent | None) -> None:
        assert event is not None
        if event.key() == Qt.Key.Key_Escape and self._dragging:
            self._dragging = False
            self._session.cancel()
            return
        step = {
            Qt.Key.Key_Left: (-0.01, 0.0), Qt.Key.Key_Right: (0.01, 0.0),
            Qt.Key.Key_Up: (0.0, -0.06), Qt.Key.Key_Down: (0.0, 0.06),
        }.get(Qt.Key(event.key()))  # fmt: skip
        if step is None or not self.has_field:
            super().keyPressEvent(event)
            return
        field = self._field()
        moved = QPointF(step[0] * field.width(), step[1] * field.height())
        changes = self._changes(self._place(field, self._sources[0]) + moved)
        self._session.set_all(self._step_name(), self._values(changes))


def _colour_of(source: Coloured) -> tuple[object, ...]:
    """What a source says of its colour."""
    return (type(source), source.colour_by, source.kelvin, source.tint, source.colour)
