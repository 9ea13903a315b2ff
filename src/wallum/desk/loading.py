"""Opening a level in the background: read, packed for the renderer, ready for rays."""

import gc
from concurrent.futures import ThreadPoolExecutor
from dataclasses import dataclass, field, replace
from functools import cached_property
from pathlib import Path

import numpy as np
from numpy.typing import NDArray
from PyQt6.QtCore import pyqtSignal

from wallum.desk.work_thread import WorkThread
from wallum.document.project import Project
from wallum.document.sources import SkySource
from wallum.errors import LevelProblem
from wallum.judge.work import Boxes
from wallum.level.dressing import Dress, dress_of, dressed
from wallum.level.flatten import Triangles, flatten
from wallum.level.floors import floors_of
from wallum.level.lying import fitted
from wallum.level.model import Finding, Level
from wallum.level.opening import open_level, project_of_level
from wallum.level.panorama_file import small_panorama
from wallum.moment.evaluate import evaluate
from wallum.realtime.bundling import bundle_level
from wallum.realtime.memory import Block, store_value
from wallum.transport.rays import RayScene

__all__ = ["LevelLoader", "LoadedLevel", "load_new", "load_now", "pack_level"]


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

    @cached_property
    def bounds(self) -> NDArray[np.float64]:
        """(2, 3) corners of the level as it lies, without a stand-in [m]."""
        return fitted(self.plain, self.dress.fit).bounds


def _ready(level: Level, triangles: Triangles) -> RayScene:
    rays = RayScene(level, triangles)
    rays.build()
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
        floors = floors_of(level, triangles)
        rays = growing.result()
    boxes = Boxes(bundle.low, bundle.high, bundle.chunks[:, 1])
    if dress.figure is None:
        lasting = rays
    elif before is not None and replace(before.dress, figure=None) == lasts:
        lasting = before.lasting
    else:
        bare = dressed(plain, lasts)
        lasting = _ready(bare, flatten(bare))
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


def load_now(reference: str, beside: Path | None, project: Project) -> LoadedLevel:
    """Open a level and make it ready as a project wants it. Raises LevelProblem."""
    told = _read_pictures(project)
    with ThreadPoolExecutor(1) as light:
        # Tables that the first picture's light needs are kept: the desk finds them made.
        light.submit(evaluate, project, project.setting.clock)
        plain = open_level(reference, beside)
        plain = replace(plain, findings=(*told, *plain.findings))
        loaded = pack_level(plain, project.follows, dress_of(project))
    _let_the_collector_rest()
    return loaded


def load_new(reference: str) -> tuple[LoadedLevel, Project]:
    """Open a level file, and make the project that begins with it. Raises LevelProblem."""
    plain = open_level(reference, None)
    project = project_of_level(plain, reference)
    with ThreadPoolExecutor(1) as light:
        light.submit(evaluate, project, project.setting.clock)
        loaded = pack_level(plain, project.follows, dress_of(project))
    _let_the_collector_rest()
    return loaded, project


def _let_the_collector_rest() -> None:
    """What is loaded stays: the collector need not walk through it again and again.
    A level that was loaded before is let go of first."""
    gc.unfreeze()
    gc.collect()
    gc.freeze()


class LevelLoader(WorkThread):
    """One level being opened: that of a project, or a file that a project begins with."""

    loaded = pyqtSignal(object, object)  # a LoadedLevel, and the project that begins with it or None
    doing = "opening a level"

    def __init__(self, reference: str, beside: Path | None, project: Project | None) -> None:
        super().__init__()
        self._reference, self._beside, self._project = reference, beside, project

    def work(self) -> None:
        begun: Project | None = None
        if self._project is None:
            answer, begun = load_new(self._reference)
        else:
            answer = load_now(self._reference, self._beside, self._project)
        if self.given_up:
            answer.block.close()
        else:
            self.loaded.emit(answer, begun)
