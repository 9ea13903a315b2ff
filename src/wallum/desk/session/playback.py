"""Playing the day: the hour runs on, at the length that a day has, around or to its end."""

import time

from PyQt6.QtCore import QObject, QTimer, pyqtSignal

from wallum.desk.session.session import Session

__all__ = ["Playback"]

TICK_MS = 30
DAY_S = 86_400.0


class Playback(QObject):
    """Moves the session's hour while it plays."""

    state_changed = pyqtSignal()

    def __init__(self, session: Session, parent: QObject | None = None) -> None:
        super().__init__(parent)
        self._session = session
        self._last = 0.0
        self.loops = True
        self._timer = QTimer(self)
        self._timer.setInterval(TICK_MS)
        self._timer.timeout.connect(self._tick)

    @property
    def playing(self) -> bool:
        return self._timer.isActive()

    @property
    def pace(self) -> float | None:
        """Of the level's time over life's; None while it stands."""
        return DAY_S / self._session.project.setting.day_length if self.playing else None

    def play(self, on: bool) -> None:
        """Start or stop."""
        if on == self.playing:
            return
        self._last = time.perf_counter()
        if on:
            if not self.loops and self._session.playhead.hour >= 24.0:
                self._session.playhead.set_hour(0.0)
            self._timer.start()
        else:
            self._timer.stop()
        self.state_changed.emit()

    def toggle(self) -> None:
        self.play(not self.playing)

    def _tick(self) -> None:
        now = time.perf_counter()
        passed, self._last = now - self._last, now
        hour = self._session.playhead.hour + passed * 24.0 / self._session.project.setting.day_length
        if hour >= 24.0 and not self.loops:
            self._session.playhead.set_hour(24.0)
            self.play(False)
            return
        self._session.playhead.set_hour(hour % 24.0)
