"""What each source gives the picture, worked out behind the window: newest wins."""

from dataclasses import dataclass

from PyQt6.QtCore import pyqtSignal

from wallum.desk.jobs.loading import LoadedLevel
from wallum.desk.jobs.work_thread import NewestThread
from wallum.document.targets import Target
from wallum.errors import WallumError
from wallum.frame.pass_work import PassWork
from wallum.judge.cost import frame_cost
from wallum.judge.device import load_profile
from wallum.judge.ledger import ledger
from wallum.judge.work import count_work, with_baked
from wallum.moment.camera import Camera
from wallum.moment.scene import LitScene
from wallum.transport.direct.contributions import LAYER_SIZE, Layers, fill_layers
from wallum.transport.direct.pool import pool_field
from wallum.transport.field.bounce import BounceField
from wallum.transport.scene.surfaces import SeenSurfaces, seen_surfaces

__all__ = ["ContributionRequest", "ContributionThread"]


@dataclass(frozen=True)
class ContributionRequest:
    """What is to be worked out: of a scene, for a camera, at an exposure, on a target.

    pool_of : id of a lamp whose pool is found first; bounce : light from surfaces, as far as it is known
    """

    loaded: LoadedLevel
    scene: LitScene
    camera: Camera
    ev100: float
    target: Target
    pool_of: str = ""
    bounce: BounceField | None = None


class ContributionThread(NewestThread):
    """Works out what each source of a scene gives; `ask` takes a Wanted."""

    worked_out = pyqtSignal(object)  # by source id, what it gives
    pool_found = pyqtSignal(str, object, object)  # lamp id, camera, its field of lux
    cost_found = pyqtSignal(object)  # a FrameCost
    cost_refused = pyqtSignal(str)  # why there is none
    doing = "working out what sources give"

    def __init__(self) -> None:
        super().__init__()
        self._seen: tuple[object, Camera, SeenSurfaces] | None = None

    def _surfaces(self, loaded: LoadedLevel, camera: Camera) -> SeenSurfaces:
        selected = self._seen
        if selected is None or selected[0] is not loaded.rays or selected[1] != camera:
            seen = seen_surfaces(loaded.rays, loaded.level, camera, LAYER_SIZE)
            selected = self._seen = (loaded.rays, camera, seen)
        return selected[2]

    def work_on(self, wanted: ContributionRequest) -> None:
        loaded, scene = wanted.loaded, wanted.scene
        layers = Layers(self._surfaces(loaded, wanted.camera))
        if wanted.pool_of in scene.lamps.ids:
            field = pool_field(loaded.rays, scene, layers.seen, wanted.pool_of)
            self.pool_found.emit(wanted.pool_of, wanted.camera, field)
        self._find_cost(wanted, layers.seen)
        for _ in fill_layers(layers, loaded.rays, scene, wanted.bounce):
            if self.overtaken:
                return
        self.worked_out.emit(ledger(layers, wanted.ev100))

    def _find_cost(self, wanted: ContributionRequest, seen: SeenSurfaces) -> None:
        target = wanted.target
        try:
            profile = load_profile(target.profile)
        except WallumError as error:
            self.cost_refused.emit(str(error))
            return
        size = (target.width, target.height)
        asked = PassWork(wanted.loaded.boxes, wanted.scene, seen, wanted.camera, size, edges=target.edges)
        work = count_work(with_baked(asked, None if wanted.bounce is None else wanted.bounce.baked))
        self.cost_found.emit(frame_cost(work, target, profile))
