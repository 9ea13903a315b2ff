"""What of the desk is about the look, tied together: reader, head, scopes, keys that are held."""

from collections.abc import Callable

from PyQt6.QtCore import QObject, Qt
from PyQt6.QtGui import QImage
from PyQt6.QtWidgets import QMainWindow

from wallum.desk.look.held import HeldLook
from wallum.desk.look.pointed import PointedPixels
from wallum.desk.look.reading import LookReader
from wallum.desk.look.scopes import ScopesDock
from wallum.desk.panes.tune import TunePane
from wallum.desk.picture.view import PictureView
from wallum.desk.project.session import Session
from wallum.desk.rendering.asking import Asking
from wallum.desk.rendering.render_link import RenderLink
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
        return {"scopes": self.dock.swap}

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
        elif self._link.sampled:
            self._link.sampled = False

    def dispose(self) -> None:
        """Stop what runs beside the window."""
        self.held.end()
        self.reader.end()
