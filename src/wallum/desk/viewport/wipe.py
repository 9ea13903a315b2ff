"""The wipe: a movable line that shows another picture beside the present one.

The other picture is a variant, or the present one without its look, drawn for this camera and hour while the
hand rests; or one that was pinned, such as a painting of the mood.
"""

from pathlib import Path
from typing import Literal

from PyQt6.QtCore import QObject, QPointF, QRectF, Qt, pyqtSignal
from PyQt6.QtGui import QColor, QImage, QPainter, QPen

from wallum.desk.session.session import Session
from wallum.desk.viewport.marks import draw_label
from wallum.desk.viewport.view import PictureView
from wallum.desk.widgets.tokens import TOKENS
from wallum.document.project import Project
from wallum.document.variants import applied
from wallum.errors import LevelProblem
from wallum.files import read_limited
from wallum.level.opening import file_of
from wallum.limits import PICTURE_BYTES
from wallum.moment.camera import Camera
from wallum.moment.looks import looked_by
from wallum.moment.picture_scene import picture_scene
from wallum.moment.scene import LitScene
from wallum.realtime.process.request import PictureRequest

__all__ = ["WIPE_NAME", "Wipe"]

WIPE_NAME = "wipe"
CATCH_PX = 7.0
Against = Literal["", "variant", "pinned", "look"]


def _read_image(name: str) -> QImage:
    """A picture of whatever kind; an empty one where it cannot be read. A pipe is not waited for."""
    if not name:
        return QImage()
    try:
        return QImage.fromData(read_limited(Path(name), PICTURE_BYTES, LevelProblem))
    except LevelProblem:
        return QImage()


class Wipe(QObject):
    """Drag the line by hand. What cannot be shown, it says on the other side."""

    began = pyqtSignal()

    def __init__(self, session: Session, picture: PictureView) -> None:
        super().__init__()
        self._session, self._picture = session, picture
        self.against: Against = ""
        self.place = 0.5
        self.variant = ""
        self._image: QImage | None = None
        self._image_of: tuple[object, ...] = ()
        self._asked: tuple[object, ...] = ()
        self._pinned: tuple[str, QImage] | None = None
        picture.overlays.insert(0, self._paint)
        picture.first_grips.append(self.take)

    # -- what is compared --------------------------------------------------------------

    def begin(self, against: Against, variant: str = "") -> None:
        """Wipe against a variant or the pinned picture; nothing ends it."""
        self.against, self.variant = against, variant
        self._asked = ()
        self._picture.update()
        self.began.emit()

    def _key(self, camera: Camera, size: tuple[int, int]) -> tuple[object, ...]:
        present = self._session.history.present
        variant = next((item for item in present.variants if item.id == self.variant), None)
        other = present if self.against == "look" else variant
        return (other, self._session.playhead.hour, camera, size, present.setting, self._picture.view)

    def _other(self) -> Project | None:
        present = self._session.history.present
        if self.against == "look":
            return present
        if all(variant.id != self.variant for variant in present.variants):
            return None
        return applied(present, self.variant)

    def wanted(self, _: LitScene) -> dict[str, PictureRequest]:
        """The other picture, where it is not the one that is there."""
        other = self._other() if self.against in ("variant", "look") else None
        if other is None:
            return {}
        size, camera = self._picture.pixel_size(), self._picture.camera_as_shown
        key = self._key(camera, size)
        if key == self._asked:
            return {}
        self._asked = key
        scene = picture_scene(other, self._session.playhead.moment, camera, size)
        if self.against == "look":
            scene = looked_by(scene, self._session.now.look, "")
        return {WIPE_NAME: PictureRequest(0, scene, camera, size, detail="thumb", view=self._picture.view)}

    def take_picture(self, name: str, image: QImage) -> None:
        """A small or other picture came."""
        if name == WIPE_NAME:
            self._image, self._image_of = image, self._asked
            self._picture.update()

    @property
    def fits(self) -> bool:
        """Whether the other picture is of this camera, hour and variant."""
        if self.against == "pinned":
            return self._pinned_image() is not None
        key = self._key(self._picture.camera_as_shown, self._picture.pixel_size())
        return self._image is not None and self._image_of == key

    def _pinned_image(self) -> QImage | None:
        name = str(self.pinned_path()) if self._session.project.pinned else ""
        if self._pinned is None or self._pinned[0] != name:
            self._pinned = (name, _read_image(name))
        return None if self._pinned[1].isNull() else self._pinned[1]

    def pinned_path(self) -> Path:
        """Where the pinned picture is."""
        return file_of(self._session.project.pinned, self._session.keeping.file)

    # -- the hand ----------------------------------------------------------------------

    def _x(self) -> float:
        return self.place * self._picture.width()

    def take(self, at: QPointF) -> "Wipe | None":
        """Take the line, where it is under the pointer."""
        return self if self.against and abs(at.x() - self._x()) <= CATCH_PX else None

    def drag(self, at: QPointF) -> str:
        self.place = min(max(at.x() / max(self._picture.width(), 1), 0.0), 1.0)
        return ""

    def let_go(self) -> None:
        pass

    def give_back(self) -> None:
        pass

    # -- painting ----------------------------------------------------------------------

    def _paint(self, painter: QPainter) -> None:
        if not self.against:
            return
        whole = QRectF(self._picture.rect())
        side = QRectF(self._x(), 0.0, whole.width() - self._x(), whole.height())
        image = self._pinned_image() if self.against == "pinned" else self._image
        if image is not None and self.fits:
            painter.save()
            painter.setClipRect(side)
            painter.setRenderHint(QPainter.RenderHint.SmoothPixmapTransform)
            painter.drawImage(self._placed(image, whole), image)
            painter.restore()
        else:
            painter.fillRect(side, QColor(30, 30, 30, 90))
        for ink, wide in ((QColor(0, 0, 0, 150), 3.5), (QColor(TOKENS["second"]), 1.5)):
            painter.setPen(QPen(ink, wide))
            painter.drawLine(side.topLeft(), side.bottomLeft())
        middle = QPointF(self._x(), whole.height() / 2)
        painter.setBrush(QColor(TOKENS["second"]))
        painter.setPen(Qt.PenStyle.NoPen)
        painter.drawRect(QRectF(middle.x() - 3, middle.y() - 12, 6, 24))
        rect = self._picture.rect()
        if self._x() > 120.0:
            draw_label(painter, QPointF(self._x() - 70.0, 26.0), "present", rect)
        draw_label(painter, QPointF(self._x() + 8.0, 26.0), self._words(), rect)

    def _placed(self, image: QImage, whole: QRectF) -> QRectF:
        """Where the other picture lies: a pinned one as large as it fits, in the middle."""
        if self.against != "pinned":
            return whole
        scale = max(whole.width() / image.width(), whole.height() / image.height())
        size = QRectF(0.0, 0.0, image.width() * scale, image.height() * scale)
        size.moveCenter(whole.center())
        return size

    def _words(self) -> str:
        if self.against == "pinned":
            return "pinned" if self.fits else "the pinned picture cannot be read"
        if self.against == "look":
            return "without the look" if self.fits else "without the look: comes when the hand rests"
        variants = self._session.project.variants
        name = next((variant.name for variant in variants if variant.id == self.variant), "")
        if not name:
            return "the variant is gone"
        return name if self.fits else f"{name}: comes when the hand rests"
