"""What of the desk is about the look, tied together: reader, head, scopes, keys that are held."""

from collections.abc import Callable

from PyQt6.QtCore import QObject, QPointF, Qt
from PyQt6.QtGui import QCursor, QImage
from PyQt6.QtWidgets import QMainWindow

from wallum.desk.look.held import HeldLook
from wallum.desk.look.pointed import PointedPixels
from wallum.desk.look.reading import LookReader, around
from wallum.desk.look.scopes import ScopesDock
from wallum.desk.panes.tune import TunePane
from wallum.desk.picture.view import PictureView
from wallum.desk.project.session import Session
from wallum.desk.rendering.asking import Asking
from wallum.desk.rendering.render_link import RenderLink
from wallum.physics.grade import neutral_for
from wallum.realtime.process.request import Frame

__all__ = ["LookDesk"]


class LookDesk(QObject):
    """Asks the renderer for a picture's values while anyone looks at them."""

    def __init__(
        self,
        session: Session,
        picture: PictureView,
        tune: TunePane,
        asking: Asking,
        link: RenderLink,
        window: QMainWindow,
    ) -> None:
        super().__init__(window)
        self._session, self._asking, self._link = session, asking, link
        self._picture, self._tune = picture, tune
        self._to_pick: QPointF | None = None  # once the picture's values are there
        self.reader = LookReader(self)
        self.held = HeldLook(session)
        self.head = tune.look
        self.dock = ScopesDock(self.reader, window)
        window.addDockWidget(Qt.DockWidgetArea.BottomDockWidgetArea, self.dock)
        self.dock.hide()
        self.pointed = PointedPixels(picture)
        self.head.lead(self.reader)
        self.head.scopes_asked.connect(self.dock.swap)
        self.dock.pointed.connect(self.pointed.show)
        self.dock.shown.connect(self._looked_at)
        tune.group_changed.connect(self._head_shown)
        self.reader.came.connect(lambda _: tune.mark_zones() if tune.group == "look" else None)
        self.reader.failed.connect(session.failed)
        self.held.changed.connect(asking.ask)
        asking.through = self.held.of
        link.frame_came.connect(self._take)
        self._head_shown(tune.group)

    @property
    def commands(self) -> dict[str, Callable[[], object]]:
        """By the names of the commands."""
        return {"scopes": self.dock.swap, "grey": self.pick_grey}

    def pick_grey(self) -> None:
        """Let what is under the pointer look neutral."""
        at = QPointF(self._picture.mapFromGlobal(QCursor.pos()))
        if self._picture.rect().contains(at.toPoint()):
            self.pick_at(at)
        else:
            self._session.told.emit("Point at something that is to be grey first")

    def pick_at(self, at: QPointF) -> None:
        """Let a place of the picture look neutral, as one step."""
        if not self.reader.wanted or self.reader.values is None:
            self._to_pick = at
            self._tune.show_group("look")
            self._looked_at()
            return
        across, down = at.x() / self._picture.width(), at.y() / self._picture.height()
        try:
            kelvin, tint = neutral_for(around(self.reader.values, across, down))
        except ValueError:
            self._session.told.emit("It is black there: point at something that has light")
            return
        values = {
            "look/neutral_kelvin": round(kelvin),
            "look/neutral_tint": round(tint, 4),
            "look/with_white": True,
        }
        if self._session.set_all("what is picked is grey", values):
            self._session.told.emit(f"Light of {kelvin:.0f} K looks neutral now")

    def _head_shown(self, group: str) -> None:
        self.reader.head = group == "look"
        self._looked_at()

    def _looked_at(self) -> None:
        """Someone looks, or no more: pictures bring their values from now on."""
        before, self._link.sampled = self._link.sampled, self.reader.wanted
        if self.reader.wanted and not before:
            self._asking.ask()

    def _take(self, frame: Frame, image: QImage) -> None:
        if self.reader.wanted:
            self.reader.take(frame, image)
            if self._to_pick is not None and frame.sample is not None:
                at, self._to_pick = self._to_pick, None
                self.pick_at(at)
        elif self._link.sampled:
            self._link.sampled = False

    def dispose(self) -> None:
        """Stop what runs beside the window."""
        self.held.end()
        self.reader.end()
