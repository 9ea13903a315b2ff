"""Asking the renderer for the picture of what is shown, no oftener than it can draw."""

from collections.abc import Callable

from PyQt6.QtCore import QObject, pyqtSignal

from wallum.desk.jobs.render_link import RenderLink
from wallum.desk.session.exposure_follower import ExposureFollower, heroes_for
from wallum.desk.session.playback import Playback
from wallum.desk.session.session import Session
from wallum.desk.viewport.view import PictureView
from wallum.document.look import Look
from wallum.document.project import Project
from wallum.moment.picture_scene import picture_scene
from wallum.moment.scene import LitScene

__all__ = ["FrameScheduler"]


class FrameScheduler(QObject):
    """A hand sends more moves than pictures can be drawn, and each would be evaluated: while one
    picture is drawn and one waits, the next is asked for once there is room, as things stand then."""

    asked = pyqtSignal(bool)  # whether a hand moves something
    lit = pyqtSignal(object)  # the scene of the picture that was asked for

    def __init__(
        self,
        session: Session,
        link: RenderLink,
        picture: PictureView,
        transport: Playback,
        exposing: ExposureFollower,
    ) -> None:
        super().__init__(picture)
        self._session, self._link, self._picture = session, link, picture
        self._playback, self._exposure_follower = transport, exposing
        self._held_back: bool | None = None  # a picture still to be asked for: whether it moves
        self.project: Project | None = None  # that was asked for last
        self.only = ""  # the source that is shown alone
        # A scene as it is developed while a key is held.
        self.through: Callable[[LitScene, Look], LitScene] = lambda scene, _: scene
        link.room_came.connect(self._ask_held_back)

    def ask(self, moving: bool = False) -> None:
        """Ask for the picture of what is shown now. Never waits.

        moving : whether the camera or the hour moves; a smaller picture will do
        """
        session = self._session
        dragging = session.light_dragged
        # All light changes with the air: a smaller picture will do for that too. And light that comes while
        # the hour moves asks for no whole picture between two of its moves.
        moving = moving or (dragging and not session.active)
        moving = moving or session.playhead.scrubbing or self._playback.playing
        if session.level is None:
            return
        if (moving or dragging) and not self._link.has_room:
            self._held_back = moving
            return
        self._held_back = None
        self.project = session.project
        camera, size = self._picture.camera_as_shown, self._picture.pixel_size()
        scene = picture_scene(session.project, session.playhead.moment, camera, size)
        view = self._picture.view
        if self.only:
            # What a pocket shows is light of others: it is seen as what it adds to the picture.
            pocket = scene.pocket_alone(self.only)
            view = view if pocket is None else "air"
            scene = scene.only(self.only) if pocket is None else pocket
        self.asked.emit(moving or session.hand_holds)
        self.lit.emit(scene)
        look = session.now.look
        self._link.edges = session.project.target.edges
        self._link.show(
            self.through(scene, look),
            camera,
            size,
            session.active,
            moving,
            self._exposure_follower.held(look, dragging, self._playback.pace, camera),
            heroes_for(session, look, camera),
            view,
            session.selection.lead,
        )

    def _ask_held_back(self) -> None:
        if self._held_back is not None:
            self.ask(self._held_back)
