"""The contact sheet on the desk: shots by hours, in the place of the picture."""

from PyQt6.QtCore import QTimer, pyqtSignal
from PyQt6.QtGui import QImage
from PyQt6.QtWidgets import QWidget

from wallum.desk.session.session import Session
from wallum.desk.viewport.picture_grid import PictureGrid
from wallum.document.lanes import format_clock
from wallum.document.project import Shot
from wallum.moment.camera import Camera, far_for
from wallum.moment.picture_scene import picture_scene
from wallum.moment.scene import LitScene
from wallum.realtime.process.request import PictureRequest

__all__ = ["HourSheet"]

PREFIX = "hour "
ONE_SHOT_HOURS, MORE_SHOTS_HOURS = 24, 8
SIZE = (320, 200)


class HourSheet(PictureGrid):
    """One shot at every hour, or several at every third. A click goes to that hour through that shot."""

    chosen = pyqtSignal(str, float)
    gap_px = 6

    def __init__(self, session: Session, over: QWidget) -> None:
        super().__init__(session, over, "Shots by hours")
        self._pictures: dict[str, QImage] = {}
        self._asked: object = None
        self._found: dict[str, PictureRequest] = {}  # of the hours whose light is found already
        self._left: list[float] = []
        self._work = QTimer(self)
        self._work.setInterval(0)
        self._work.timeout.connect(self._find_next)
        self.shot_ids: tuple[str, ...] = ()
        self.left.connect(self.hide)

    def open(self, shot_ids: tuple[str, ...] = ()) -> None:
        """Show the shots of these ids, or the first one."""
        known = tuple(shot.id for shot in self._session.project.shots)
        self.shot_ids = tuple(item for item in shot_ids if item in known) or known[:1]
        self._pictures, self._asked, self._focused = {}, None, 0
        self.open_grid()

    def shots(self) -> list[Shot]:
        """The shots that are shown, as they stand in the project."""
        return [shot for shot in self._session.project.shots if shot.id in self.shot_ids]

    def hours(self) -> list[float]:
        """The hours that are shown."""
        count = ONE_SHOT_HOURS if len(self.shots()) <= 1 else MORE_SHOTS_HOURS
        return [24.0 * i / count for i in range(count)]

    def cells(self) -> list[tuple[Shot, float]]:
        """What is shown, in order."""
        return [(shot, hour) for shot in self.shots() for hour in self.hours()]

    def count(self) -> int:
        return len(self.cells())

    def aspect(self) -> float:
        return SIZE[0] / SIZE[1]

    def columns(self) -> int:
        """One shot: as large as they can be; several: in a row each."""
        if len(self.shots()) > 1:
            return MORE_SHOTS_HOURS
        return max((4, 6, 8, 12), key=lambda n: self.cell(n)[0])

    def name_of(self, number: int) -> str:
        shot, hour = self.cells()[number]
        first = len(self.shots()) > 1 and number % MORE_SHOTS_HOURS == 0
        return f"{format_clock(hour)}  {shot.name}" if first else format_clock(hour)

    def picture_of(self, number: int) -> QImage | None:
        return self._pictures.get(self._key(*self.cells()[number]))

    def _key(self, shot: Shot, hour: float) -> str:
        return f"{PREFIX}{hour:.3f} {shot.id}"

    def take_picture(self, name: str, image: QImage) -> None:
        """A small or other picture came."""
        if name.startswith(PREFIX):
            self._pictures[name] = image
            self.update()

    def wanted(self, _: LitScene) -> dict[str, PictureRequest]:
        """The pictures, where those that are there are of other light.

        The light of each hour is found one at a time, so that the window never waits for a day of it;
        once all are there they are asked for.
        """
        project = self._session.project
        if not self.isVisible() or self._session.level is None:
            return {}
        if self._asked is not project:
            self._asked, self._found, self._left = project, {}, self.hours()
            self._work.start()
        if self._left:
            return {}
        result, self._found = self._found, {}
        return result

    def _find_next(self) -> None:
        """The light of one more hour, through each shot."""
        loaded, project = self._session.level, self._session.project
        if not self._left or loaded is None or project is not self._asked or not self.isVisible():
            self._work.stop()
            return
        hour = self._left.pop(0)
        far = far_for(loaded.level.bounds)
        for shot in self.shots():
            camera = Camera.of_shot(shot, SIZE[0] / SIZE[1], far)
            scene = picture_scene(project, self._session.playhead.moment.at(hour), camera, SIZE)
            self._found[self._key(shot, hour)] = PictureRequest(0, scene, camera, SIZE, detail="thumb")
        if not self._left:
            self._work.stop()
            self.opened.emit()

    def choose(self, number: int) -> None:
        shot, hour = self.cells()[number]
        self.hide()
        self.chosen.emit(shot.id, hour)
