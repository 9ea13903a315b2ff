"""The row over the picture: play, the day ribbon, and at its end the date and the place."""

import datetime as dt
from functools import partial

from PyQt6.QtCore import QPointF, QRectF, QSize, Qt, pyqtSignal
from PyQt6.QtGui import QColor, QIcon, QPainter, QPen, QPixmap, QPolygonF
from PyQt6.QtWidgets import QHBoxLayout, QLineEdit, QSizePolicy, QToolButton, QVBoxLayout, QWidget

from wallum.desk.session.playback import Playback
from wallum.desk.session.session import Session
from wallum.desk.timeline.ribbon import DayRibbon
from wallum.desk.widgets.buttons import text_button
from wallum.desk.widgets.tokens import TOKENS
from wallum.document.project import Setting

__all__ = ["DayBar", "place_text"]

ICON_PX = 18
BENCH_TIPS = {
    "Compose": "The Compose bench: the balance of all sources",
    "Day": "The Day bench: values through the day, whole days, the shot by hours",
}


def place_text(setting: Setting) -> str:
    """A place as it is read: 31.4 N, 109.2 W."""
    north = f"{abs(setting.latitude):.1f} {'N' if setting.latitude >= 0.0 else 'S'}"
    east = f"{abs(setting.longitude):.1f} {'E' if setting.longitude >= 0.0 else 'W'}"
    return f"{north}, {east}"


def _icon(kind: str) -> QIcon:
    """An arc of the day that runs, stops, or closes."""
    pixmap = QPixmap(ICON_PX * 2, ICON_PX * 2)
    pixmap.fill(Qt.GlobalColor.transparent)
    painter = QPainter(pixmap)
    painter.scale(2.0, 2.0)
    painter.setRenderHint(QPainter.RenderHint.Antialiasing)
    painter.setPen(QPen(QColor(TOKENS["text"]), 1.5))
    if kind == "loop":
        painter.drawArc(QRectF(3, 3, 12, 12), 40 * 16, 280 * 16)
        painter.drawPolyline(QPolygonF([QPointF(11.5, 5.5), QPointF(14.2, 5.2), QPointF(14.5, 2.4)]))
    else:
        painter.drawArc(QRectF(2, 5, 14, 18), 0, 180 * 16)
        if kind == "play":
            painter.drawPolyline(QPolygonF([QPointF(7.5, 10), QPointF(11, 12.5), QPointF(7.5, 15)]))
        else:
            painter.drawLine(QPointF(7, 10), QPointF(7, 15))
            painter.drawLine(QPointF(11, 10), QPointF(11, 15))
    painter.end()
    pixmap.setDevicePixelRatio(2.0)
    return QIcon(pixmap)


class DayBar(QWidget):
    """The ribbon with what moves it."""

    place_asked = pyqtSignal()
    bench_asked = pyqtSignal(str)

    def __init__(self, session: Session, transport: Playback, parent: QWidget | None = None) -> None:
        super().__init__(parent)
        self._session, self._playback = session, transport
        self.setObjectName("pane")
        self.ribbon = DayRibbon(session)
        self.play_button = self._button("play", "Play the day (T)", transport.toggle)
        self.loop_button = self._button("loop", "Go around at midnight", self._set_loop)
        self.loop_button.setCheckable(True)
        self.loop_button.setChecked(transport.loops)
        self.date = QLineEdit()
        self.date.setAccessibleName("Date")
        self.date.setToolTip("The date, year-month-day")
        self.date.setFixedWidth(88)
        self.date.editingFinished.connect(self._date_typed)
        self.place_button = QToolButton()
        self.place_button.setToolTip("The place on Earth, and how long a day lasts")
        self.place_button.clicked.connect(self.place_asked)
        self._shown: tuple[Setting, bool] | None = None
        self._arrange()
        session.changed.connect(self.refresh)
        transport.state_changed.connect(self.refresh)
        self.refresh()

    def _button(self, icon: str, tip: str, slot: object) -> QToolButton:
        button = QToolButton()
        button.setIcon(_icon(icon))
        button.setIconSize(QSize(ICON_PX, ICON_PX))
        button.setToolTip(tip)
        button.setAccessibleName(tip)
        button.setFocusPolicy(Qt.FocusPolicy.TabFocus)
        button.clicked.connect(slot)  # type: ignore[arg-type]
        return button

    def _arrange(self) -> None:
        row = QHBoxLayout(self)
        row.setContentsMargins(8, 4, 8, 4)
        row.setSpacing(6)
        left = QVBoxLayout()
        left.setSpacing(4)
        left.addWidget(self.play_button)
        left.addWidget(self.loop_button)
        row.addLayout(self._bench_switch())
        row.addLayout(left)
        row.addWidget(self.ribbon, 1)
        earlier = text_button("\u2212", "The day before", lambda: self._step_date(-1))
        later = text_button("+", "The day after", lambda: self._step_date(1))
        dates = QHBoxLayout()
        dates.setSpacing(3)
        for widget in (earlier, self.date, later):
            dates.addWidget(widget)
        right = QVBoxLayout()
        right.setSpacing(4)
        right.addLayout(dates)
        right.addWidget(self.place_button)
        row.addLayout(right)

    def _bench_switch(self) -> QVBoxLayout:
        """The benches, one over the other."""
        column = QVBoxLayout()
        column.setSpacing(4)
        self.benches: dict[str, QToolButton] = {}
        for name, tip in BENCH_TIPS.items():
            button = text_button(name, tip, partial(self.bench_asked.emit, name))
            button.setCheckable(True)
            button.setSizePolicy(QSizePolicy.Policy.Expanding, QSizePolicy.Policy.Fixed)
            column.addWidget(button)
            self.benches[name] = button
        self.show_bench("Compose")
        return column

    def show_bench(self, name: str) -> None:
        """Mark the bench that is shown."""
        for item, button in self.benches.items():
            button.setChecked(item == name)

    def refresh(self) -> None:
        """Show the present date and place."""
        setting = self._session.project.setting
        if not self.date.hasFocus() or not self.date.isModified():
            self.date.setText(setting.date)
            self.date.setModified(False)
        if self._shown == (setting, self._playback.playing):
            return  # a new icon or word, even the same, has the whole window laid out anew
        self._shown = (setting, self._playback.playing)
        self.place_button.setText(place_text(setting))
        self.play_button.setIcon(_icon("stop" if self._playback.playing else "play"))

    def _set_loop(self) -> None:
        self._playback.loops = self.loop_button.isChecked()

    def _date_typed(self) -> None:
        if not self.date.isModified():
            return
        self.date.setModified(False)
        if not self._session.set_text("date", "setting/date", self.date.text().strip()):
            self.date.setText(self._session.project.setting.date)

    def _step_date(self, days: int) -> None:
        date = dt.date.fromisoformat(self._session.project.setting.date)
        try:
            moved = date + dt.timedelta(days=days)
        except OverflowError:
            return
        self._session.set_value("date", "setting/date", moved.isoformat())
