"""The wall: all shots at this hour, in the place of the picture."""

from PyQt6.QtCore import pyqtSignal
from PyQt6.QtGui import QImage
from PyQt6.QtWidgets import QWidget

from wallum.desk.session.session import Session
from wallum.desk.viewport.at_rest import shot_requests
from wallum.desk.viewport.picture_grid import PictureGrid
from wallum.document.project import Shot
from wallum.moment.camera import far_for
from wallum.moment.scene import LitScene
from wallum.realtime.process.request import PictureRequest

__all__ = ["WALL_PREFIX", "ShotWall"]

WALL_PREFIX = "wall "


class ShotWall(PictureGrid):
    """A click or Enter looks through a shot."""

    chosen = pyqtSignal(str)

    def __init__(self, session: Session, over: QWidget) -> None:
        super().__init__(session, over, "All shots")
        self._pictures: dict[str, QImage] = {}
        self._asked: tuple[object, float, tuple[int, int]] = (None, 0.0, (0, 0))

    def open(self) -> None:
        """Show all shots."""
        self.open_grid()

    def shots(self) -> tuple[Shot, ...]:
        return self._session.project.shots

    def count(self) -> int:
        return len(self.shots())

    def aspect(self) -> float:
        return self._session.project.target.aspect

    def name_of(self, number: int) -> str:
        return self.shots()[number].name

    def picture_of(self, number: int) -> QImage | None:
        return self._pictures.get(self.shots()[number].id)

    def choose(self, number: int) -> None:
        self.chosen.emit(self.shots()[number].id)

    def picture_size(self) -> tuple[int, int]:
        """Size to draw each at, in device pixels."""
        wide, high = self.cell(self.columns())
        ratio = self.devicePixelRatioF()
        return max(int(wide * ratio), 16), max(int(high * ratio), 16)

    def take_picture(self, name: str, image: QImage) -> None:
        """A small or other picture came."""
        if name.startswith(WALL_PREFIX):
            self._pictures[name.removeprefix(WALL_PREFIX)] = image
            self.update()

    def wanted(self, scene: LitScene) -> dict[str, PictureRequest]:
        """Pictures of the shots, where those that are there are of another hour or light."""
        loaded, size = self._session.level, self.picture_size()
        if not self.isVisible() or loaded is None:
            return {}
        asked = (self._session.project, self._session.playhead.hour, size)
        if asked[0] is self._asked[0] and asked[1:] == self._asked[1:]:
            return {}
        self._asked = asked
        far = far_for(loaded.level.bounds)
        moment = self._session.playhead.moment
        return shot_requests(self._session.project, scene, moment, far, size, WALL_PREFIX)
