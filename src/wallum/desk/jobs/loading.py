"""Opening a level in the background: read, packed for the renderer, ready for rays."""

import gc
from collections.abc import Callable
from concurrent.futures import ThreadPoolExecutor
from dataclasses import dataclass, field, replace
from functools import cached_property
from pathlib import Path

import numpy as np
from numpy.typing import NDArray
from PyQt6.QtCore import pyqtSignal

from wallum.desk.jobs.work_thread import WorkThread
from wallum.document.project import Project
from wallum.document.sources import SkySource
from wallum.errors import LevelProblem
from wallum.frame.pass_work import Boxes
from wallum.level.importers.images.panorama_file import small_panorama
from wallum.level.model.flatten import Triangles, flatten
from wallum.level.model.floors import floors_of
from wallum.level.model.level_fit import fitted
from wallum.level.model.level_overrides import LevelOverrides, dress_of, dressed
from wallum.level.model.model import Finding, Level
from wallum.level.opening import open_level, project_of_level
from wallum.moment.evaluate import evaluate
from wallum.realtime.level.bundling import bundle_level
from wallum.realtime.process.memory import Block, store_value
from wallum.transport.scene.rays import RayScene

__all__ = ["LevelLoader", "LoadedLevel", "load_new", "load_now", "pack_level"]

# From so many triangles on a level is drawn before its rays are there, which take it seconds.
DRAWN_FIRST = 200_000


@dataclass(frozen=True)
class LoadedLevel:
    """A level in the forms that the desk needs.

    plain   : as it came in; level : as the project wants it, see level.dressing
    follows : by part, the lamp that its glow follows in the packed form
    boxes   : its chunks, for counting what is drawn
    floors  : share of light that its floors send back, R, G, B
    whole   : whether its rays are there; before, they meet nothing
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
    dress: LevelOverrides = field(default_factory=LevelOverrides)
    whole: bool = True

    @cached_property
    def bounds(self) -> NDArray[np.float64]:
        """(2, 3) corners of the level as it lies, without a stand-in [m]."""
        return fitted(self.plain, self.dress.fit).bounds


def _ready(level: Level, triangles: Triangles) -> RayScene:
    rays = RayScene(level, triangles)
    rays.build()
    return rays


Early = Callable[[LoadedLevel], None]


def pack_level(
    plain: Level,
    follows: dict[str, str],
    dress: LevelOverrides,
    before: LoadedLevel | None = None,
    early: Early | None = None,
) -> LoadedLevel:
    """Make a level ready as a project wants it. Raises LevelProblem.

    before : the same level as it was made ready last; what did not change is taken from it
    early  : is given a level of many triangles as soon as it can be drawn, before its rays are there
    """
    lasts = replace(dress, figure=None)
    if before is not None and before.dress == dress:
        level, rays = before.level, before.rays
        block = store_value(bundle_level(level, rays.triangles, follows))
        return replace(before, block=block, follows=follows)
    level = dressed(plain, dress)
    triangles = flatten(level)
    if early is not None and len(triangles.faces) >= DRAWN_FIRST:
        drawn = _drawn(plain, level, triangles, follows, dress)
        early(drawn)
        rays = _ready(level, triangles)
        drawn = replace(drawn, rays=rays, whole=True)
    else:
        with ThreadPoolExecutor(1) as beside:
            growing = beside.submit(_ready, level, triangles)
            drawn = _drawn(plain, level, triangles, follows, dress)
            rays = growing.result()
        drawn = replace(drawn, rays=rays, whole=True)
    if dress.figure is None:
        lasting = rays
    elif before is not None and replace(before.dress, figure=None) == lasts:
        lasting = before.lasting
    else:
        bare = dressed(plain, lasts)
        lasting = _ready(bare, flatten(bare))
    return replace(drawn, lasting=lasting)


def _drawn(
    plain: Level, level: Level, triangles: Triangles, follows: dict[str, str], dress: LevelOverrides
) -> LoadedLevel:
    """A level as far as its picture needs it: its rays meet nothing yet."""
    bundle = bundle_level(level, triangles, follows)
    none = Level(level.name)
    nothing = RayScene(none, flatten(none))
    block, floors, boxes = store_value(bundle), floors_of(level, triangles), Boxes(*bundle.boxes)
    return LoadedLevel(plain, level, block, nothing, nothing, boxes, floors, follows, dress, whole=False)


def _read_pictures(project: Project) -> tuple[Finding, ...]:
    """Pictures that are the sky are read here, and not when the desk first asks for their light;
    what is told of those that cannot be."""
    messages = []
    for sky in project.resolved_sources:
        if isinstance(sky, SkySource) and sky.model == "picture dome" and sky.picture:
            try:
                small_panorama(Path(sky.picture), sky.disc_out)
            except LevelProblem as error:
                messages.append(Finding("sky's picture", sky.name, "warning", f"{error}; the sky is plain."))
    return tuple(messages)


def load_now(
    reference: str, beside: Path | None, project: Project, early: Early | None = None
) -> LoadedLevel:
    """Open a level and make it ready as a project wants it. Raises LevelProblem. early : see `pack_level`"""
    messages = _read_pictures(project)
    with ThreadPoolExecutor(1) as light:
        # Tables that the first picture's light needs are kept: the desk finds them made.
        light.submit(evaluate, project)
        plain = open_level(reference, beside)
        plain = replace(plain, findings=(*messages, *plain.findings))
        loaded = pack_level(plain, project.follows, dress_of(project), early=early)
    _let_the_collector_rest()
    return loaded


def load_new(
    reference: str, early: Callable[[LoadedLevel, Project], None] = lambda *_: None
) -> tuple[LoadedLevel, Project]:
    """Open a level file, and make the project that begins with it. Raises LevelProblem. early : see
    `pack_level`"""
    plain = open_level(reference, None)
    project = project_of_level(plain, reference)
    with ThreadPoolExecutor(1) as light:
        light.submit(evaluate, project)
        dress = dress_of(project)
        loaded = pack_level(plain, project.follows, dress, early=lambda drawn: early(drawn, project))
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

    drawn = pyqtSignal(object, object)  # a LoadedLevel, and the project that begins with it or None
    whole = pyqtSignal(object)  # the same with its rays; always after `drawn`
    doing = "opening a level"

    def __init__(self, reference: str, beside: Path | None, project: Project | None) -> None:
        super().__init__()
        self._reference, self._beside, self._project = reference, beside, project
        self._drawn = False

    def work(self) -> None:
        begun: Project | None = None
        if self._project is None:
            answer, begun = load_new(self._reference, self._show)
        else:
            answer = load_now(
                self._reference, self._beside, self._project, lambda item: self._show(item, None)
            )
        if not self._drawn:
            self._show(answer, begun)
        if not self.given_up:
            self.whole.emit(answer)

    def _show(self, loaded: LoadedLevel, begun: Project | None) -> None:
        self._drawn = True
        if self.given_up:
            loaded.block.close()
        else:
            self.drawn.emit(loaded, begun)
