"""Walks: the camera led along a path through the level at its own pace."""

import time

from PyQt6.QtCore import QObject, QTimer, pyqtSignal

from wallum.desk.session.session import Session
from wallum.desk.viewport.shot_navigation import ShotNavigation
from wallum.moment.walking import walk_camera

__all__ = ["Walker"]

STEP_MS = 33


class Walker(QObject):
    """The same command again stops it where it is."""

    changed = pyqtSignal(bool)  # whether it walks

    def __init__(self, session: Session, looking: ShotNavigation) -> None:
        super().__init__()
        self._session, self._shot_navigation = session, looking
        self._began = 0.0
        self._timer = QTimer(self)
        self._timer.setInterval(STEP_MS)
        self._timer.timeout.connect(self._step)

    @property
    def walking(self) -> bool:
        return self._timer.isActive()

    def toggle(self) -> None:
        """Walk the first walk of the project, or stop."""
        if self.walking:
            self.stop()
            self._session.told.emit("")
        elif not self._session.project.walks:
            self._session.told.emit("This project has no walk")
        else:
            walk = self._session.project.walks[0]
            self._began = time.monotonic()
            self._timer.start()
            self.changed.emit(True)
            self._session.told.emit(f"{walk.name}: {walk.lasts:.0f} s; the same key stops")

    def _step(self) -> None:
        walks = self._session.project.walks
        seconds = time.monotonic() - self._began
        if not walks or seconds > walks[0].lasts:
            self.stop()
            return
        self._shot_navigation.look_from(walk_camera(walks[0], seconds))

    def stop(self) -> None:
        """Stop where one is."""
        if self.walking:
            self._timer.stop()
            self.changed.emit(False)
