"""The playhead: which moment the desk shows. Moving it is no step of undo."""

from PyQt6.QtCore import QObject, pyqtSignal

from wallum.moment.moment import Moment

__all__ = ["Playhead"]


class Playhead(QObject):
    """Where it stands is kept with the project, like the camera.

    scrubbing : whether the hand moves it
    """

    moved = pyqtSignal()

    def __init__(self, moment: Moment) -> None:
        super().__init__()
        self.moment = moment
        self.scrubbing = False

    @property
    def hour(self) -> float:
        """Where it stands [h]."""
        return self.moment.clock

    def put(self, moment: Moment) -> None:
        """Another project: stand where that was left."""
        self.moment = moment
        self.moved.emit()

    def set_hour(self, hour: float) -> None:
        """Move it [h]."""
        hour = min(max(hour, 0.0), 24.0)
        if hour != self.hour:
            self.moment = self.moment.at(hour)
            self.moved.emit()

    def scrub(self, hour: float) -> None:
        """Move it by hand [h]; see `rest_at`."""
        self.scrubbing = True
        self.set_hour(hour)

    def rest_at(self, hour: float) -> None:
        """The hand lets it go [h]."""
        moved, self.scrubbing = self.scrubbing, False
        if moved and hour == self.hour:
            self.moved.emit()
        self.set_hour(hour)
