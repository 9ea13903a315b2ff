"""Three ways of showing a source's shafts in one picture: true, over the screen, by cards, with two movable
lines between them, and of each its price and how far it is off."""

from collections.abc import Callable, Iterator
from dataclasses import replace
from functools import partial
from typing import Final

import numpy as np
from PyQt6.QtCore import QObject, QPointF, QRectF, Qt, pyqtSignal
from PyQt6.QtGui import QColor, QImage, QPainter, QPen
from PyQt6.QtWidgets import QToolButton

from wallum.desk.jobs.comparison_thread import ComparisonThread
from wallum.desk.jobs.work_thread import ThreadGroup
from wallum.desk.session.session import Session
from wallum.desk.viewport.marks import draw_label
from wallum.desk.viewport.pixels import pixels_of
from wallum.desk.viewport.shaft_tools import ShaftTools
from wallum.desk.viewport.view import PictureView
from wallum.desk.widgets.tokens import TOKENS
from wallum.document.shaft_methods import WAYS, Way
from wallum.document.sources import CardSource
from wallum.errors import WallumError
from wallum.judge.device import load_profile
from wallum.judge.shaft_methods import (
    MEASURED,
    ShaftWay,
    Subject,
    apart,
    compare_ways,
    exposure_for,
    read_off,
)
from wallum.moment.camera import Camera
from wallum.moment.picture_scene import picture_scene
from wallum.moment.resolved_look import ResolvedLook
from wallum.moment.scene import LitScene
from wallum.realtime.process.request import PictureRequest
from wallum.transport.direct.contributions import LAYER_SIZE
from wallum.transport.scene.surfaces import seen_surfaces

__all__ = ["ThreeWays"]

PREFIX: Final = "shafts "
MEASURED_NAME: Final = "shafts, measured"
CATCH_PX = 7.0
TITLES: Final[dict[Way, str]] = {"true": "True shafts", "screen": "Screen shafts", "card": "Card"}
BUTTON_UP, MINIMUM = 46, 0.08


class ThreeWays(QObject):
    """Drag either line. What cannot be shown, its strip says."""

    began = pyqtSignal()

    def __init__(self, session: Session, picture: PictureView, tools: ShaftTools) -> None:
        super().__init__(picture)
        self._session, self._picture, self._tools, self._crew = session, picture, tools, ThreadGroup(self)
        self.shown = False
        self.places = [1.0 / 3.0, 2.0 / 3.0]
        self.found: dict[Way, ShaftWay] = {}
        self.images: dict[Way, QImage] = {}
        self._asked: set[str] = set()
        self._key: tuple[object, ...] = ()
        self._thread: ComparisonThread | None = None
        self._cards: tuple[CardSource, ...] = ()
        self._line = -1
        self._look = ResolvedLook(0.0)
        self._buttons = {way: self._button(way) for way in WAYS}
        picture.overlays.insert(0, self._paint)
        picture.first_grips.append(self.take)
        picture.resized.connect(self._place_buttons)

    def _button(self, way: Way) -> QToolButton:
        button = QToolButton(self._picture)
        button.setText("Turn into this")
        button.setToolTip("Show the shafts this way from now on, as strong as they are here")
        button.setFocusPolicy(Qt.FocusPolicy.TabFocus)
        button.clicked.connect(partial(self._turn_into, way))
        button.hide()
        return button

    # -- begin and end -----------------------------------------------------------------

    def toggle(self, at: QPointF) -> None:
        """Begin, or end it."""
        if self.shown:
            self.end()
        else:
            self.begin(at)

    def begin(self, at: QPointF) -> None:
        """Compare the ways for the source that is meant.

        at : where the opening is, for sun or moon without cards
        """
        source = self._tools.subject()
        if source is None or self._session.level is None:
            self._session.told.emit("Select the lamp, the sun or the moon whose shafts are to be compared")
            return
        self._cards = self._tools.fitted(source, at)
        self.shown = True
        self.began.emit()
        self._session.told.emit(f"Shafts of {source.name}, three ways; drag the lines, Escape ends it")
        self._picture.update()

    def end(self) -> None:
        """Back to the picture."""
        if self.shown:
            self.shown = False
            self._forget()
            self.began.emit()
            self._picture.update()

    def dispose(self) -> None:
        """Stop for good."""
        self._crew.wait()

    def _forget(self) -> None:
        if self._thread is not None:
            self._thread.give_up()
        self._thread, self._key = None, ()
        self.found, self.images, self._asked = {}, {}, set()
        for button in self._buttons.values():
            button.hide()

    # -- what is compared --------------------------------------------------------------

    def _state(self) -> tuple[object, ...]:
        camera, size = self._picture.camera_as_shown, self._picture.pixel_size()
        source = self._tools.subject()
        project = self._session.history.present
        return (None if source is None else source.id, project, self._session.playhead.moment, camera, size)

    def wanted(self, _: LitScene) -> dict[str, PictureRequest]:
        """Pictures of the ways that are worked out, where they are not on their way."""
        if not self.shown:
            return {}
        state = self._state()
        if state != self._key:
            self._start(state)
            return {}
        camera, size = self._picture.camera_as_shown, self._picture.pixel_size()
        out = {}
        for way, item in self.found.items():
            if item.refused or way in self._asked:
                continue
            self._asked.add(way)
            scene = picture_scene(item.project, self._session.playhead.moment, camera, size)
            view = self._picture.view
            out[PREFIX + way] = PictureRequest(0, scene, camera, size, detail="thumb", view=view)
            if item.alone is not None and item.truth is not None:
                self._look = ResolvedLook(exposure_for(item.truth))
                alone = replace(item.alone, look=self._look)
                out[MEASURED_NAME] = PictureRequest(0, alone, camera, MEASURED, detail="thumb", view="air")
        return out

    def _start(self, state: tuple[object, ...]) -> None:
        source, loaded = self._tools.subject(), self._session.level
        self._forget()
        if source is None or loaded is None:
            return
        self._key = state
        project, moment, cards = self._session.history.present, self._session.playhead.moment, self._cards
        camera: Camera = self._picture.camera_as_shown
        try:
            profile = load_profile(project.target.profile)
        except WallumError as error:
            self._session.failed.emit(str(error))
            return

        def compare(_: Callable[[], bool]) -> Iterator[ShaftWay]:
            seen = seen_surfaces(loaded.rays, loaded.level, camera, LAYER_SIZE)
            yield from compare_ways(
                Subject(project, moment, source, cards, camera, loaded.rays, loaded.boxes, seen, profile)
            )

        self._thread = ComparisonThread("comparing methods of shafts", compare)
        self._thread.found.connect(self._take)
        self._thread.failed.connect(self._session.failed)
        self._crew.start(self._thread)

    def _take(self, way: ShaftWay) -> None:
        if self.sender() is not self._thread:
            return
        self.found[way.way] = way
        self.began.emit()  # there is more to be asked for
        self._place_buttons()
        self._picture.update()

    def take_picture(self, name: str, image: QImage) -> None:
        """A small or other picture came."""
        if name == MEASURED_NAME and "true" in self.found:
            self._measure(image)
        elif name.startswith(PREFIX):
            self.images[name.removeprefix(PREFIX)] = image  # type: ignore[index]
        self._picture.update()

    def _measure(self, image: QImage) -> None:
        """How far true shafts are off: what the picture shows of them, against rays."""
        true = self.found["true"]
        if true.truth is None or (image.width(), image.height()) != MEASURED:
            return
        light = read_off(pixels_of(image), self._look)
        self.found["true"] = replace(true, off=apart(light, true.truth))

    def _turn_into(self, way: Way) -> None:
        item = self.found.get(way)
        if item is not None and not item.refused and self._tools.turn_into(way, item.gain, self._cards):
            self.end()

    # -- the hand ----------------------------------------------------------------------

    def take(self, at: QPointF) -> "ThreeWays | None":
        """Take the nearer line, where it is under the pointer."""
        if not self.shown:
            return None
        away = [abs(at.x() - place * self._picture.width()) for place in self.places]
        self._line = int(np.argmin(away))
        return self if away[self._line] <= CATCH_PX else None

    def drag(self, at: QPointF) -> str:
        place = at.x() / max(self._picture.width(), 1)
        low, high = (
            (MINIMUM, self.places[1] - MINIMUM) if self._line == 0 else (self.places[0] + MINIMUM, 1.0)
        )
        self.places[self._line] = min(max(place, low), high)
        self._place_buttons()
        return ""

    def let_go(self) -> None:
        pass

    def give_back(self) -> None:
        pass

    # -- painting ----------------------------------------------------------------------

    def _strips(self) -> dict[Way, QRectF]:
        whole = QRectF(self._picture.rect())
        edges = [0.0, *self.places, 1.0]
        return {
            way: QRectF(
                edges[k] * whole.width(), 0.0, (edges[k + 1] - edges[k]) * whole.width(), whole.height()
            )
            for k, way in enumerate(WAYS)
        }

    def _place_buttons(self) -> None:
        for way, strip in self._strips().items():
            button, item = self._buttons[way], self.found.get(way)
            wide = button.sizeHint().width()
            fits = self.shown and item is not None and not item.refused and strip.width() > wide + 16
            button.setVisible(fits)
            button.move(round(strip.left()) + 10, round(strip.bottom()) - BUTTON_UP)

    def words(self, way: Way) -> list[str]:
        """What a strip says, a line each."""
        item = self.found.get(way)
        if item is None:
            return [TITLES[way], "is being worked out"]
        if item.refused:
            return [TITLES[way], item.refused]
        name = self._session.project.target.name
        off = [] if item.off is None else [f"{item.off:.0%} off the reference"]
        return [TITLES[way], f"{item.ms:.2f} ms on {name}", *off]

    def _paint(self, painter: QPainter) -> None:
        if not self.shown:
            return
        whole, rect = QRectF(self._picture.rect()), self._picture.rect()
        for way, strip in self._strips().items():
            image = self.images.get(way)
            if image is not None and way in self.found:
                painter.save()
                painter.setClipRect(strip)
                painter.setRenderHint(QPainter.RenderHint.SmoothPixmapTransform)
                painter.drawImage(whole, image)
                painter.restore()
            else:
                painter.fillRect(strip, QColor(30, 30, 30, 120))
            painter.save()
            painter.setClipRect(strip)
            for number, line in enumerate(self.words(way)):
                draw_label(painter, QPointF(strip.left() + 10.0, 26.0 + 22.0 * number), line, rect)
            painter.restore()
        for place in self.places:
            x = place * whole.width()
            for ink, wide in ((QColor(0, 0, 0, 150), 3.5), (QColor(TOKENS["second"]), 1.5)):
                painter.setPen(QPen(ink, wide))
                painter.drawLine(QPointF(x, 0.0), QPointF(x, whole.height()))
            painter.setPen(Qt.PenStyle.NoPen)
            painter.setBrush(QColor(TOKENS["second"]))
            painter.drawRect(QRectF(x - 3.0, whole.height() / 2 - 12.0, 6.0, 24.0))
