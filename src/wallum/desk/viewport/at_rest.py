"""What is worked out once the hand rests: what each source gives, and how the shots look."""

from collections.abc import Callable

from PyQt6.QtCore import QObject, QTimer, pyqtSignal

from wallum.desk.jobs.contribution_thread import ContributionRequest, ContributionThread
from wallum.desk.jobs.render_link import RenderLink
from wallum.desk.session.playback import Playback
from wallum.desk.session.session import Session
from wallum.desk.viewport.view import PictureView
from wallum.document.project import Project
from wallum.document.sources import ZoneSource
from wallum.moment.camera import Camera, far_for
from wallum.moment.evaluate import evaluate
from wallum.moment.moment import Moment
from wallum.moment.scene import LitScene
from wallum.realtime.process.request import PictureRequest
from wallum.transport.field.bounce import BounceField

__all__ = ["THUMB_SIZE", "AtRest", "shot_requests"]

# Size of a shot in the list [pixels].
THUMB_SIZE = (88, 50)

REST_MS = 300


def shot_requests(
    project: Project, scene: LitScene, moment: Moment, far: float, size: tuple[int, int], prefix: str = ""
) -> dict[str, PictureRequest]:
    """A small picture of each shot, by a prefix and its id."""
    cameras = {shot.id: Camera.of_shot(shot, size[0] / size[1], far) for shot in project.shots}
    return {
        f"{prefix}{shot}": PictureRequest(
            0, _zoned(project, scene, moment, camera), camera, size, detail="thumb"
        )
        for shot, camera in cameras.items()
    }


def _zoned(project: Project, scene: LitScene, moment: Moment, camera: Camera) -> LitScene:
    """A scene as a camera has it by the zones that it stands in."""
    zones = any(isinstance(source, ZoneSource) and source.on for source in project.sources)
    return evaluate(project, moment, camera.eye) if zones else scene


class AtRest(QObject):
    """Waits until nothing was asked for a while; never works while the hand does."""

    worked_out = pyqtSignal(object)  # by source id, what it gives
    pool_found = pyqtSignal(str, object, object)  # lamp id, camera, its field of lux
    cost_found = pyqtSignal(object)  # a FrameCost
    cost_refused = pyqtSignal(str)  # why there is none

    def __init__(self, session: Session, link: RenderLink, picture: PictureView, transport: Playback) -> None:
        super().__init__()
        self._session, self._link, self._picture, self._playback = session, link, picture, transport
        self._contributions = ContributionThread()
        self._contributions.worked_out.connect(self.worked_out)
        self._contributions.pool_found.connect(self.pool_found)
        self._contributions.cost_found.connect(self.cost_found)
        self._contributions.cost_refused.connect(self.cost_refused)
        self._contributions.failed.connect(session.failed)
        session.selection.changed.connect(self.asked)
        self._thumbs_of: tuple[object, ...] = (None, None, None)
        self._makes_way = False
        self._waiting: dict[str, PictureRequest] = {}
        # Whoever wants other pictures too: given the scene, what is missing, by its name.
        self.more: list[Callable[[LitScene], dict[str, PictureRequest]]] = []
        link.thumb_came.connect(lambda name, _: self._waiting.pop(name, None))
        # Light from surfaces of the level that is shown, as far as it is known.
        self.bounce: Callable[[], BounceField | None] = lambda: None
        self._timer = QTimer(self)
        self._timer.setSingleShot(True)
        self._timer.setInterval(REST_MS)
        self._timer.timeout.connect(self._work)

    def asked(self) -> None:
        """A picture was asked for: wait anew."""
        self._contributions.give_up()
        self._timer.start()

    def make_way(self, on: bool) -> None:
        """Whether the processor is needed for a level that is being opened."""
        self._makes_way = on
        if on:
            self._contributions.give_up()

    def _work(self) -> None:
        loaded = self._session.level
        if loaded is None:
            return
        if self._makes_way or self._link.client.busy or self._playback.playing or self._session.light_dragged:
            self._timer.start()
            return
        scene = evaluate(self._session.project, self._session.playhead.moment)
        lamp = self._session.selection.lead
        camera = self._picture.camera_as_shown
        project = self._session.project
        ev100, target = self._session.shown_ev, project.target
        self._contributions.ask(
            ContributionRequest(loaded, scene, camera, ev100, target, lamp, self.bounce())
        )
        wanted = self._picture_shots(scene, far_for(loaded.level.bounds))
        for more in self.more:
            wanted |= more(scene)
        if wanted:
            # What is asked for anew takes the place of what has not come yet.
            self._waiting |= wanted
            self._link.ask_others(dict(self._waiting))

    def _picture_shots(self, scene: LitScene, far: float) -> dict[str, PictureRequest]:
        """Small pictures of the shots; those that were asked for already are on their way."""
        shown = (self._session.project, self._session.playhead.hour, self._link.client.light_number)
        if all(a is b or a == b for a, b in zip(shown, self._thumbs_of, strict=True)):
            return {}
        self._thumbs_of = shown
        return shot_requests(self._session.project, scene, self._session.playhead.moment, far, THUMB_SIZE)

    def dispose(self) -> None:
        """Stop for good."""
        self._timer.stop()
        self._contributions.end()
