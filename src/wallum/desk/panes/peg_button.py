"""The small button beside a value: whether it is pegged to the day, and where."""

from typing import get_args

from PyQt6.QtCore import QPointF, QSize, Qt
from PyQt6.QtGui import QColor, QPainter, QPaintEvent, QPen
from PyQt6.QtWidgets import QMenu, QToolButton, QWidget

from wallum.desk.session.session import Session
from wallum.desk.widgets.tokens import TOKENS
from wallum.document.lanes import EVENTS, Lane, Peg, PegTime
from wallum.moment.at_moment import day_of
from wallum.moment.day_strip import events_of_day

__all__ = ["PegButton"]

# A peg this near the playhead is the one that is meant [h].
NEW_TIP = "Peg this value at this hour"
HERE_H = 1.0 / 30.0
EASINGS = get_args(Peg.model_fields["easing"].annotation)


class PegButton(QToolButton):
    """A dot: no lane; a ring: a lane; a filled ring: a peg at this hour."""

    def __init__(self, session: Session, parent: QWidget | None = None) -> None:
        super().__init__(parent)
        self._session = session
        self._path, self._title = "", ""
        self._lane: Lane | None = None
        self._here: Peg | None = None
        self.setObjectName("peg")
        self.setFixedSize(QSize(18, 22))
        self.setAutoRaise(True)
        self.setAccessibleName("Peg")
        self.setToolTip(NEW_TIP)
        self.clicked.connect(self._toggle)
        self.setContextMenuPolicy(Qt.ContextMenuPolicy.CustomContextMenu)
        self.customContextMenuRequested.connect(lambda at: self._menu().popup(self.mapToGlobal(at)))

    def refresh(self, path: str, title: str, lane: Lane | None) -> None:
        """Show whether the value at a path has a lane, and a peg at the playhead."""
        before = (self._path, self._title, self._lane, self._here)
        self._path, self._title, self._lane = path, title, lane
        self._here = self._peg_here()
        if before == (path, title, lane, self._here) and self.toolTip() != NEW_TIP:
            return
        if lane is None:
            tip = "Peg this value at this hour"
        elif self._here is not None:
            tip = f"Pegged at {self._here.at.text()}: click takes the peg out"
        else:
            pegs = ", ".join(peg.at.text() for peg in lane.pegs)
            tip = f"Pegged at {pegs}: click adds a peg here"
        self.setToolTip(f"{tip}. Right click for sunset and more.")
        self.update()

    def _peg_here(self) -> Peg | None:
        if self._lane is None:
            return None
        day = day_of(self._session.project.setting)
        hour = self._session.playhead.hour

        def away(peg: Peg) -> float:
            return abs((day.hour_of(peg.at) - hour + 12.0) % 24.0 - 12.0)

        nearest = min(self._lane.pegs, key=away)
        return nearest if away(nearest) < HERE_H else None

    def _toggle(self) -> None:
        if self._here is not None:
            self._session.take_peg(f"{self._title}, peg taken out", self._path, self._here)
        else:
            self._session.peg(f"{self._title}, peg", self._path, PegTime(hours=self._session.playhead.hour))

    def _menu(self) -> QMenu:
        menu = QMenu(self)
        for word, hour in events_of_day(self._session.project).items():
            away = (self._session.playhead.hour - hour + 12.0) % 24.0 - 12.0
            if abs(away) < 2.0:
                self._event_actions(menu, word, away)
        menu.addSeparator()
        if self._here is not None:
            for easing in EASINGS:
                action = menu.addAction(f"Goes on: {easing}")
                assert action is not None
                action.setCheckable(True)
                action.setChecked(self._here.easing == easing)
                action.triggered.connect(lambda _, easing=easing: self._ease(easing))
            menu.addSeparator()
        if self._lane is not None:
            action = menu.addAction("Take all pegs out")
            assert action is not None
            action.triggered.connect(
                lambda: self._session.take_lane(f"{self._title}, pegs taken out", self._path)
            )
        return menu

    def _event_actions(self, menu: QMenu, word: str, away: float) -> None:
        tie, angle = EVENTS[word]
        for text, at in (
            (f"Peg at {word}", PegTime(tie=tie, angle=angle)),
            (PegTime(tie=tie, angle=angle, hours=round(away * 60.0) / 60.0).text(), None),
        ):
            when = at or PegTime(tie=tie, angle=angle, hours=round(away * 60.0) / 60.0)
            if at is None and when.hours == 0.0:
                continue
            action = menu.addAction(text if at else f"Peg at {text}")
            assert action is not None
            action.triggered.connect(
                lambda _, when=when: self._session.peg(f"{self._title}, peg", self._path, when)
            )

    def _ease(self, easing: str) -> None:
        assert self._here is not None
        self._session.peg(f"{self._title}, {easing}", self._path, self._here.at, easing)

    def paintEvent(self, _: QPaintEvent | None) -> None:
        painter = QPainter(self)
        painter.setRenderHint(QPainter.RenderHint.Antialiasing)
        middle = QPointF(self.width() / 2, self.height() / 2)
        if self.hasFocus() or self.underMouse():
            painter.fillRect(self.rect(), QColor(TOKENS["raised"]))
        if self._lane is None:
            painter.setPen(Qt.PenStyle.NoPen)
            painter.setBrush(QColor(TOKENS["edge"]))
            painter.drawEllipse(middle, 1.8, 1.8)
            return
        painter.setPen(QPen(QColor(TOKENS["accent"]), 1.5))
        painter.setBrush(QColor(TOKENS["accent"]) if self._here is not None else Qt.BrushStyle.NoBrush)
        painter.drawEllipse(middle, 3.6, 3.6)
