"""Opening a level in the background: read, packed for the renderer, ready for rays."""

import gc
import logging
from concurrent.futures import ThreadPoolExecutor
from dataclasses import dataclass, field, replace
from pathlib import Path

import numpy as np
from PyQt6.QtCore import QObject, QThread, pyqtSignal

from wallum.document.project import Project
from wallum.document.sources import SkySource
from wallum.errors import LevelProblem, WallumError
from wallum.judge.work import Boxes
from wallum.level.dressing import Dress, dress_of, dressed
from wallum.level.flatten import Triangles, flatten
from wallum.level.floors import floors_of
from wallum.level.model import Finding, Level
from wallum.level.opening import open_level
from wallum.level.panorama_file import small_panorama
from wallum.moment.evaluate import evaluate
from wallum.realtime.bundling import bundle_level
from wallum.realtime.memory import Block, store_value
from wallum.transport.rays import RayScene

__all__ = ["LevelLoader", "LoadedLevel", "load_now", "pack_level"]

log = logging.getLogger("wallum.loading")


@dataclass(frozen=True)
class LoadedLevel:
    """A level in the forms that the desk needs.

    plain   : as it came in; level : as the project wants it, see level.dressing
    follows : by part, the lamp that its glow follows in the packed form
    boxes   : its chunks, for counting what is drawn
    floors  : share of light that its floors send back, R, G, B
    lasting : rays of it without the stand-in figure, which changes no light of the sky for good
    """

    plain: Level
    level: Level
    block: Block
    rays: RayScene
    lasting: RayScene
    boxes: Boxes
    floors: tuple[float, float, float]
    follows: dict[str, str] = field(default_factory=dict)
    dress: Dress = field(default_factory=Dress)


def _ready(level: Level, triangles: Triangles) -> RayScene:
    rays = RayScene(level, triangles)
    # The first ray makes Embree build its tree: here, and not under the artist's hand.
    rays.first_visible(np.zeros((1, 3)), np.array([[0.0, -1.0, 0.0]]))
    return rays


def pack_level(
    plain: Level, follows: dict[str, str], dress: Dress, before: LoadedLevel | None = None
) -> LoadedLevel:
    """Make a level ready as a project wants it. Raises LevelProblem.

    before : the same level as it was made ready last; what did not change is taken from it
    """
    lasts = replace(dress, figure=None)
    if before is not None and before.dress == dress:
        level, rays = before.level, before.rays
        block = store_value(bundle_level(level, rays.triangles, follows))
        return replace(before, block=block, follows=follows)
    level = dressed(plain, dress)
    triangles = flatten(level)
    with ThreadPoolExecutor(1) as beside:
        growing = beside.submit(_ready, level, triangles)
        bundle = bundle_level(level, triangles, follows)
        block = store_value(bundle)
        rays = growing.result()
    boxes = Boxes(bundle.low, bundle.high, bundle.chunks[:, 1])
    if dress.figure is None:
        lasting = rays
    elif before is not None and replace(before.dress, figure=None) == lasts:
        lasting = before.lasting
    else:
        bare = dressed(plain, lasts)
        lasting = _ready(bare, flatten(bare))
    floors = floors_of(level, triangles)
    return LoadedLevel(plain, level, block, rays, lasting, boxes, floors, follows, dress)


def _read_pictures(project: Project) -> tuple[Finding, ...]:
    """Pictures that are the sky are read here, and not when the desk first asks for their light;
    what is told of those that cannot be."""
    told = []
    for sky in project.sources:
        if isinstance(sky, SkySource) and sky.model == "picture dome" and sky.picture:
            try:
                small_panorama(Path(sky.picture), sky.disc_out)
            except LevelProblem as error:
                told.append(Finding("sky's picture", sky.name, "warning", f"{error}; the sky is plain."))
    return tuple(told)


def load_now(reference: str, beside: Path | None, project: Project | None = None) -> LoadedLevel:
    """Open a level and make it ready as a project wants it. Raises LevelProblem."""
    wanted = project or Project()
    told = _read_pictures(wanted)
    with ThreadPoolExecutor(1) as light:
        # Tables that the first picture's light needs are kept: the desk finds them made.
        light.submit(evaluate, wanted, wanted.setting.clock)
        plain = open_level(reference, beside)
        plain = replace(plain, findings=(*told, *plain.findings))
        loaded = pack_level(plain, wanted.follows, dress_of(wanted))
    # What is loaded stays: the collector need not walk through it again and again.
    # A level that was loaded before is let go of first.
    gc.unfreeze()
    gc.collect()
    gc.freeze()
    return loaded


class LevelLoader(QThread):
    """One level being opened. A loader that was given up tells no one."""

    loaded = pyqtSignal(object)
    failed = pyqtSignal(str)

    def __init__(
        self,
        reference: str,
        beside: Path | None,
        project: Project,
        parent: QObject | None = None,
    ) -> None:
        super().__init__(parent)
        self._reference, self._beside, self._project = reference, beside, project
        self._given_up = False

    def give_up(self) -> None:
        """Its answer is not wanted any more."""
        self._given_up = True

    def run(self) -> None:
        try:
            answer = load_now(self._reference, self._beside, self._project)
        except WallumError as error:
            if not self._given_up:
                self.failed.emit(str(error))
            return
        except Exception:
            log.exception("opening a level failed")
            if not self._given_up:
                self.failed.emit(f"{self._reference} could not be opened: a fault of Wallum's, see the log")
            return
        if self._given_up:
            answer.block.close()
        else:
            self.loaded.emit(answer)
