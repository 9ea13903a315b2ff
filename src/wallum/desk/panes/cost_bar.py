"""The frame's cost: one bar of time by pass, against the line of the target's budget."""

from PyQt6.QtCore import QEvent, QPointF, QRectF, QSize, Qt
from PyQt6.QtGui import QBrush, QColor, QHelpEvent, QPainter, QPaintEvent, QPen
from PyQt6.QtWidgets import QSizePolicy, QToolTip, QWidget

from wallum.desk.session.session import Session
from wallum.desk.widgets.tokens import TOKENS
from wallum.judge.cost import FrameCost

__all__ = ["CostBar"]

# Tones of the passes in their order: greys, so that only what is over has a colour.
TONES = ("#8f8f8f", "#6f6f6f", "#a6a6a6", "#5f5f5f", "#bcbcbc", "#7f7f7f")
WIDE_PX, WORDS_PX = 400, 236


class CostBar(QWidget):
    """Hover a piece for its pass; a hatch begins where the budget ends."""

    def __init__(self, session: Session, parent: QWidget | None = None) -> None:
        super().__init__(parent)
        self._session = session
        self.cost: FrameCost | None = None
        self.stale = True
        self.refused = ""  # why there is no cost
        self.setFixedSize(WIDE_PX, 18)
        self.setSizePolicy(QSizePolicy.Policy.Fixed, QSizePolicy.Policy.Fixed)
        self.setAccessibleName("Frame cost")

    def sizeHint(self) -> QSize:
        return QSize(WIDE_PX, 18)

    def show_cost(self, cost: FrameCost) -> None:
        """A frame's cost, newly worked out."""
        self.cost, self.stale, self.refused = cost, False, ""
        self.setToolTip("")
        self.update()

    def show_refused(self, why: str) -> None:
        """There is no cost, and why."""
        self.cost, self.stale, self.refused = None, False, why
        self.update()

    def set_stale(self) -> None:
        """What is shown is of a picture before."""
        if not self.stale:
            self.stale = True
            self.update()

    @property
    def words(self) -> str:
        """What the bar says."""
        cost, target = self.cost, self._session.project.target
        if self.refused:
            return f"{target.name}: no cost without its profile"
        if cost is None:
            return f"{target.name}: not worked out yet"
        over = f", {cost.frame_ms - cost.budget_ms:.1f} over" if cost.over else ""
        broken = f", {len(cost.broken)} traits broken" if cost.broken else ""
        note = "" if cost.calibrated else ", uncalibrated"
        return f"{target.name}: {cost.frame_ms:.1f} of {cost.budget_ms:.1f} ms{over}{broken}{note}"

    def _pieces(self) -> list[tuple[str, float, QRectF]]:
        """Pass, milliseconds and place of each piece."""
        if self.cost is None:
            return []
        x, out = 8.0, []
        for name, ms in self.cost.passes.items():
            wide = ms * self._scale()
            out.append((name, ms, QRectF(x, 5.0, wide, self.height() - 10.0)))
            x += wide
        return out

    def _scale(self) -> float:
        """Pixels a millisecond: the budget's line stands at two thirds, or what is over fits."""
        assert self.cost is not None
        room = max(self.width() - WORDS_PX - 20.0, 60.0)
        return room / max(1.5 * self.cost.budget_ms, 1.02 * self.cost.frame_ms, 1e-6)

    def paintEvent(self, _: QPaintEvent | None) -> None:
        painter = QPainter(self)
        painter.fillRect(self.rect(), QColor(TOKENS["pane"]))
        font = self.font()
        font.setPointSizeF(8.0)
        painter.setFont(font)
        cost = self.cost
        over = bool(self.refused) if cost is None else cost.over or bool(cost.broken)
        for number, piece in enumerate(self._pieces()):
            tone = QColor(TONES[number % len(TONES)])
            painter.fillRect(piece[2], tone if not self.stale else tone.darker(160))
        if self.cost is not None:
            line = 8.0 + self.cost.budget_ms * self._scale()
            if self.cost.over:
                end = self._pieces()[-1][2].right()
                beyond = QRectF(line, 5.0, end - line, self.height() - 10.0)
                painter.fillRect(beyond, QBrush(QColor(TOKENS["over"]), Qt.BrushStyle.BDiagPattern))
            painter.setPen(QPen(QColor(TOKENS["over" if self.cost.over else "text"]), 1.5))
            painter.drawLine(QPointF(line, 1.0), QPointF(line, self.height() - 1.0))
        painter.setPen(QColor(TOKENS["over" if over else "quiet" if self.stale else "text"]))
        place = QRectF(self.width() - WORDS_PX, 0, WORDS_PX, self.height())
        painter.drawText(place, Qt.AlignmentFlag.AlignVCenter | Qt.AlignmentFlag.AlignRight, self.words)
        painter.end()

    def tip_at(self, at: QPointF) -> str:
        """What stands under the pointer."""
        result = next(((name, ms) for name, ms, place in self._pieces() if place.contains(at)), None)
        if result is not None:
            return f"{result[0]}: {result[1]:.3f} ms"
        if self.refused:
            return self.refused
        broken = self.cost.broken if self.cost is not None else {}
        return (
            "\n".join(broken.values())
            if broken
            else "What the picture's light takes of a frame on the target"
        )

    def event(self, event: QEvent | None) -> bool:
        if isinstance(event, QHelpEvent) and event.type() == QHelpEvent.Type.ToolTip:
            QToolTip.showText(event.globalPos(), self.tip_at(QPointF(event.pos())), self)
            return True
        return bool(super().event(event))
