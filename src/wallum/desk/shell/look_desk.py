"""What of the desk is about the look, tied together: reader, head, scopes, keys that are held."""

from collections.abc import Callable

import numpy as np
from PyQt6.QtCore import QObject, QPointF, Qt
from PyQt6.QtGui import QCursor, QImage
from PyQt6.QtWidgets import QMainWindow

from wallum.desk.jobs.render_link import RenderLink
from wallum.desk.look.held_keys import HeldLookKeys
from wallum.desk.look.pointed import PointedPixels
from wallum.desk.look.reading import LookReader, around
from wallum.desk.look.scopes import ScopesDock
from wallum.desk.panes.tune import TunePane
from wallum.desk.session.session import Session
from wallum.desk.viewport.frame_scheduler import FrameScheduler
from wallum.desk.viewport.view import PictureView
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
        asking: FrameScheduler,
        link: RenderLink,
        window: QMainWindow,
    ) -> None:
        super().__init__(window)
        self._session, self._frame_scheduler, self._link = session, asking, link
        self._picture, self._tune = picture, tune
        self._to_pick: QPointF | None = None  # once the picture's values are there
        self.reader = LookReader(self)
        self.held = HeldLookKeys(session)
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
        return {
            "scopes": self.dock.swap,
            "grey": self.pick_grey,
            "focus": self.pick_focus,
            "delivered": self.swap_delivered,
            "copy_look": self.head.copy,
            "paste_look": self.head.paste,
        }

    def swap_delivered(self) -> None:
        """Let pictures stay as the target delivers them, or settle again."""
        self._link.delivered = not self._link.delivered
        edges = {"none": "not smoothed", "filter": "smoothed by the filter", "samples": "by several samples"}
        words = edges[self._session.project.target.edges]
        self._session.told.emit(f"As delivered: edges {words} (see Target)" if self._link.delivered else "")
        self._frame_scheduler.ask()

    def pick_grey(self) -> None:
        """Let what is under the pointer look neutral."""
        at = QPointF(self._picture.mapFromGlobal(QCursor.pos()))
        if self._picture.rect().contains(at.toPoint()):
            self.pick_at(at)
        else:
            self._session.told.emit("Point at something that is to be grey first")

    def pick_focus(self) -> None:
        """Let what is under the pointer be sharp."""
        at = QPointF(self._picture.mapFromGlobal(QCursor.pos()))
        inside = self._picture.rect().contains(at.toPoint())
        self.focus_at(at if inside else QPointF(self._picture.rect().center()))

    def focus_at(self, at: QPointF) -> None:
        """Let what is at a place of the picture be sharp, as one step."""
        result, camera = self._picture.surface_at(at), self._picture.camera
        if result is None:
            self._session.told.emit("There is no surface there to focus on")
            return
        depth = float((result[0] - np.array(camera.eye)) @ np.array(camera.direction))
        values: dict[str, object] = {"look/focus_at": round(min(max(depth, 0.1), 10_000.0), 2)}
        if self._session.now.look.focus == "off":
            values["look/focus"] = "far and near"
        if self._session.set_all("focus", values):
            self._session.told.emit(f"Sharp at {depth:.2f} m; how unsharp the rest is: Picture, Focus")

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
        # The head waits for a hand to rest; scopes that are open go with it.
        self._link.sampled_often = self.reader.scopes
        if self.reader.wanted and not before:
            self._frame_scheduler.ask()

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
