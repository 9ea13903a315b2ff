"""The ways of showing light from all around beside each other, each with its price and how far it is off."""

from collections.abc import Callable, Iterator
from dataclasses import replace
from typing import Any, Final

import numpy as np
from numpy.typing import NDArray
from PyQt6.QtGui import QImage

from wallum.desk.jobs.comparison_thread import ComparisonThread
from wallum.desk.jobs.loading import LoadedLevel
from wallum.desk.jobs.work_thread import ThreadGroup
from wallum.desk.session.session import Session
from wallum.desk.viewport.picture_grid import PictureGrid
from wallum.desk.viewport.pixels import pixels_of
from wallum.desk.viewport.view import PictureView
from wallum.document.look import Indirect
from wallum.errors import WallumError
from wallum.judge.device import DeviceProfile, load_profile
from wallum.judge.indirect_methods import (
    DRAWN,
    IndirectWay,
    Surroundings,
    bare,
    of_ways,
    stops_off,
    surface_truth,
    ways_of,
)
from wallum.judge.shaft_methods import exposure_for, read_off
from wallum.moment.picture_scene import picture_scene
from wallum.moment.resolved_look import ResolvedLook
from wallum.moment.scene import LitScene
from wallum.realtime.process.request import PictureRequest
from wallum.transport.direct.contributions import LAYER_SIZE
from wallum.transport.field.bounce import BounceField
from wallum.transport.scene.surfaces import seen_surfaces

__all__ = ["IndirectWays"]

PREFIX: Final = "around "
MEASURED: Final = "around, measured "
TITLES: Final[dict[Indirect, str]] = {
    "probes": "Probes", "lightmaps": "Lightmaps", "sky alone": "Sky alone", "flat": "Flat", "none": "None",
}  # fmt: skip


class IndirectWays(PictureGrid):
    """This picture by each way. A click or Enter shows the project that way from now on."""

    def __init__(self, session: Session, picture: PictureView) -> None:
        super().__init__(session, picture, "Ways of light from all around")
        self._picture, self._crew = picture, ThreadGroup(self)
        self.bounce: Any = lambda: None  # light from surfaces of the level, as far as it is known
        self.found: dict[Indirect, IndirectWay] = {}
        self._pictures: dict[str, QImage] = {}
        self._asked: set[str] = set()
        self._key: tuple[object, ...] = ()
        self._truth: NDArray[np.float64] | None = None
        self._look = ResolvedLook(0.0)
        self._thread: ComparisonThread | None = None
        self.left.connect(self.hide)
        self.closed.connect(self._forget)

    def swap(self) -> None:
        """Show it, or the picture again."""
        if self.isVisible():
            self.hide()
        else:
            self.open()

    def open(self) -> None:
        """Show it."""
        self._focused = self._focus()
        self.open_grid()

    def _ways(self) -> tuple[Indirect, ...]:
        bounce = self.bounce()
        return ways_of(None if bounce is None else bounce.baked)

    def _focus(self) -> int:
        ways, shown = self._ways(), self._session.project.look.indirect
        return ways.index(shown) if shown in ways else 0

    def dispose(self) -> None:
        """Stop for good."""
        self._forget()
        self._crew.wait()

    # -- what stands in the grid ---------------------------------------------------------

    def count(self) -> int:
        return len(self._ways())

    def aspect(self) -> float:
        return max(self._picture.width(), 1) / max(self._picture.height(), 1)

    def picture_of(self, number: int) -> QImage | None:
        return self._pictures.get(PREFIX + self._ways()[number])

    def name_of(self, number: int) -> str:
        way = self._ways()[number]
        item = self.found.get(way)
        if item is None:
            return f"{TITLES[way]}: is being worked out"
        off = "is being measured" if item.off is None else f"{item.off:.2f} stops off"
        return f"{TITLES[way]}: {item.ms:.2f} ms, {item.megabytes:.1f} MB, {off}"

    def choose(self, number: int) -> None:
        way = self._ways()[number]
        self.hide()
        if way != self._session.project.look.indirect:
            self._session.set_value(f"light around: {TITLES[way].lower()}", "look/indirect", way)

    # -- working it out ------------------------------------------------------------------

    def _state(self) -> tuple[object, ...]:
        project, bounce = self._session.history.present, self.bounce()
        # Light from surfaces that is worked out meanwhile is compared anew.
        lit = () if bounce is None else tuple(id(unit) for unit in list(bounce.units.values()))
        shown = self._picture.camera_as_shown, self._cell_size()
        return project, self._session.playhead.moment, *shown, lit

    def _cell_size(self) -> tuple[int, int]:
        wide, high = self.cell(self.columns())
        ratio = self.devicePixelRatioF()
        return max(int(wide * ratio), 16), max(int(high * ratio), 16)

    def wanted(self, _: LitScene) -> dict[str, PictureRequest]:
        """Pictures that are not on their way: to be seen, and to be measured once paths are there."""
        if not self.isVisible() or self._session.level is None:
            return {}
        state = self._state()
        if state != self._key:
            self._start(self._session.level, state)
            return {}
        camera, out = self._picture.camera_as_shown, {}
        for way, item in self.found.items():
            scene = picture_scene(item.project, self._session.playhead.moment, camera, self._cell_size())
            out[PREFIX + way] = PictureRequest(0, scene, camera, self._cell_size(), detail="thumb")
            if self._truth is not None:
                plain = replace(bare(scene), look=self._look)
                out[MEASURED + way] = PictureRequest(0, plain, camera, DRAWN, detail="thumb")
        missing = {name: request for name, request in out.items() if name not in self._asked}
        self._asked |= set(missing)
        return missing

    def _start(self, loaded: LoadedLevel, state: tuple[object, ...]) -> None:
        self._forget()
        self._key = state
        try:
            profile = load_profile(self._session.history.present.target.profile)
        except WallumError as error:
            self._session.failed.emit(str(error))
            return

        def compare(keep_going: Callable[[], bool]) -> Iterator[object]:
            """Each method, then what paths say of the surfaces."""
            surroundings = self._surroundings(loaded, state, profile)
            yield from of_ways(surroundings)
            yield surface_truth(surroundings, keep_going)

        self._thread = ComparisonThread("comparing methods of indirect light", compare)
        self._thread.found.connect(self._take_result)
        self._thread.failed.connect(self._session.failed)
        self._crew.start(self._thread)

    def _surroundings(
        self, loaded: LoadedLevel, state: tuple[Any, ...], profile: DeviceProfile
    ) -> Surroundings:
        """What is compared; on its own thread."""
        project, moment, camera, *_ = state
        bounce: BounceField | None = self.bounce()
        seen = seen_surfaces(loaded.rays, loaded.level, camera, LAYER_SIZE)
        built, baked = (None, None) if bounce is None else (bounce.made, bounce.baked)
        return Surroundings(
            project, moment, loaded.level, loaded.rays, camera, loaded.boxes, seen, profile, built, baked
        )

    def _forget(self) -> None:
        if self._thread is not None:
            self._thread.give_up()
        self._thread, self._key, self._truth = None, (), None
        self.found, self._pictures, self._asked = {}, {}, set()

    def _take_result(self, result: object) -> None:
        if isinstance(result, IndirectWay):
            self._take(result)
        elif isinstance(result, np.ndarray):
            self._take_truth(result)

    def _take(self, way: IndirectWay) -> None:
        if self.sender() is self._thread:
            self.found[way.way] = way
            self.opened.emit()  # there is more to be asked for
            self.update()

    def _take_truth(self, truth: NDArray[np.float64]) -> None:
        if self.sender() is self._thread:
            self._truth = truth
            shown = truth[truth > 0.0]
            self._look = ResolvedLook(exposure_for(shown) if len(shown) else 0.0)
            self.opened.emit()

    def take_picture(self, name: str, image: QImage) -> None:
        """A small or other picture came."""
        if name.startswith(MEASURED) and self._truth is not None:
            way = self.found.get(name.removeprefix(MEASURED))  # type: ignore[call-overload]
            if way is not None and (image.width(), image.height()) == DRAWN:
                light = read_off(pixels_of(image), self._look).reshape(DRAWN[1], DRAWN[0])
                self.found[way.way] = replace(way, off=stops_off(light, self._truth))
        elif name.startswith(PREFIX):
            self._pictures[name] = image
        self.update()
