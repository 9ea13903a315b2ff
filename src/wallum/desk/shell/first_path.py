"""A short path through the desk for the first day: six things to try, each noticed when done."""

from collections.abc import Callable
from dataclasses import dataclass

from PyQt6.QtCore import QEvent, QObject, Qt
from PyQt6.QtWidgets import QFrame, QHBoxLayout, QLabel, QPushButton, QVBoxLayout, QWidget

from wallum.desk.session.session import Session
from wallum.document.project import Project

__all__ = ["FirstPath"]

MARGIN_PX, WIDE_PX = 14, 330


@dataclass(frozen=True)
class PathStep:
    """One thing to try; `done` sees the project and hour before and now."""

    title: str
    text: str
    done: Callable[[Project, Project, float, float], bool]


def _lamps(project: Project) -> int:
    return len(project.resolved_sources)


STOPS = (
    PathStep("Time", "Drag the day, the band of sky above, to another hour.",
         lambda a, b, h, k: abs(h - k) > 1.0),
    PathStep("Key", "Find the sun in the balance below and drag its fader.",
         lambda a, b, h, k: any(x.trim != y.trim for x, y in zip(a.sources, b.sources, strict=False))),
    PathStep("Lamp", "Point at a wall or the ground and press P or O: a lamp is put there.",
         lambda a, b, h, k: _lamps(b) > _lamps(a)),
    PathStep("Fog", "Press Air at the right, and let it in or change how far one sees.",
         lambda a, b, h, k: a.air != b.air),
    PathStep("Look", "Press Picture at the right, and change how the picture is exposed.",
         lambda a, b, h, k: a.look != b.look),
    PathStep("Cost", "The line at the bottom says what a picture costs. F1 lists every key, All every command.",  # noqa: E501
         lambda a, b, h, k: False),
)  # fmt: skip


class FirstPath(QFrame):
    """Lies in a corner of the picture; Next goes on, Leave ends it for good."""

    def __init__(self, session: Session, over: QWidget, left: Callable[[], None]) -> None:
        super().__init__(over)
        self.setObjectName("sheet")
        self._session, self._over, self._left = session, over, left
        self.number = 0
        self._title, self._text = QLabel(), QLabel()
        self._title.setObjectName("title")
        self._text.setWordWrap(True)
        self._text.setAlignment(Qt.AlignmentFlag.AlignTop)
        self._next = QPushButton("Next")
        leave = QPushButton("Leave")
        self._next.clicked.connect(self.go_on)
        leave.clicked.connect(self.leave)
        row = QHBoxLayout()
        row.addStretch(1)
        row.addWidget(self._next)
        row.addWidget(leave)
        layout = QVBoxLayout(self)
        layout.addWidget(self._title)
        layout.addWidget(self._text, 1)
        layout.addLayout(row)
        over.installEventFilter(self)
        session.changed.connect(self._look)
        session.playhead.moved.connect(self._look)
        self.hide()

    def begin(self) -> None:
        """Show the first stop."""
        self.number = 0
        self._show_stop()
        self.show()
        self.raise_()

    def _show_stop(self) -> None:
        stop = STOPS[self.number]
        self._before, self._hour = self._session.history.present, self._session.playhead.hour
        self._title.setText(f"{self.number + 1} of {len(STOPS)}: {stop.title}")
        self._text.setText(stop.text)
        self._next.setText("Next" if self.number + 1 < len(STOPS) else "Done")
        self._fit()

    def _look(self) -> None:
        """Go on by itself once the thing was tried."""
        if self.isVisible():
            present, hour = self._session.history.present, self._session.playhead.hour
            if STOPS[self.number].done(self._before, present, self._hour, hour):
                self.go_on()

    def go_on(self) -> None:
        """The next stop; after the last one it is over."""
        if self.number + 1 >= len(STOPS):
            self.leave()
        else:
            self.number += 1
            self._show_stop()

    def leave(self) -> None:
        """Put it away."""
        self.hide()
        self._left()

    def _fit(self) -> None:
        high = 132
        self.setGeometry(MARGIN_PX, self._over.height() - high - MARGIN_PX, WIDE_PX, high)

    def eventFilter(self, watched: QObject | None, event: QEvent | None) -> bool:
        if event is not None and event.type() == QEvent.Type.Resize:
            self._fit()
        return super().eventFilter(watched, event)
