"""What a pass is, and what the passes of one picture know of each other."""

from abc import ABC, abstractmethod
from collections.abc import Iterator
from dataclasses import dataclass, field
from functools import cached_property
from typing import ClassVar

import numpy as np
from numpy.typing import NDArray

from wallum.frame.pass_spec import PassSpec
from wallum.frame.views import INSPECTED
from wallum.moment.lamps import NO_LAMPS, Lamps
from wallum.moment.scene import LitScene
from wallum.realtime.gl.pass_log import PassLog
from wallum.realtime.gl.targets import GBuffer, Size
from wallum.realtime.gl.view import View
from wallum.realtime.level.drawing import DetailLimit, LevelOnGpu
from wallum.realtime.passes.air.transparent_layers import TransparentLayer
from wallum.realtime.passes.shadows.lamp_shadows import Tile
from wallum.realtime.passes.shadows.sun_shadows import SunShadows
from wallum.realtime.render_targets import RenderTargets

__all__ = ["FrameContext", "LightSubset", "Pass", "Steps", "SunShadowTurn", "VisibleLamps"]

# A pass stops between its draws, so that whoever drives it can turn to something newer.
Steps = Iterator[None]


@dataclass(frozen=True)
class SunShadowTurn:
    """Where shadows of the sun fall from in this picture, and which cascades take it up;
    the others go on showing what they show. dither : offset of their seams, 0 to 1"""

    direction: NDArray[np.float64]
    cascades: frozenset[int]
    dither: float


@dataclass(frozen=True)
class VisibleLamps:
    """Lamps that reach the picture, and their shadow tiles."""

    lamps: Lamps
    tiles: dict[str, Tile]
    unshadowed: tuple[str, ...]

    @property
    def shadowed(self) -> NDArray[np.bool_]:
        return np.array([item in self.tiles for item in self.lamps.ids], dtype=bool)


@dataclass(frozen=True)
class LightSubset:
    """A scene whose light is summed: all of it, or what is not under the hand.

    lamps : those of its lamps that reach the picture; keep : which those are of all that do
    """

    scene: LitScene
    lamps: Lamps
    keep: NDArray[np.bool_] | None = None


@dataclass
class FrameContext:
    """One picture on its way through the passes.

    active : ids of the sources under the hand
    turn   : of the sun's disc while a picture settles
    moving : whether it is one of a moving camera or a running hour
    coarse : how coarse far surfaces may be; None: not at all
    folded : whether the light pass lays the air over what it lights
    baked  : ids of the sources of which baked light is shown; fixed : those of them that draw nothing
             themselves on surfaces, as what comes straight from them is baked too
    hand_gains : of the sources under it, what their light from surfaces at strength 1 is multiplied by
    waits  : passes that may show what they hold, see turns.py
    keys   : of each pass that this picture has come through, what its result depends on
    """

    level: LevelOnGpu
    level_number: int
    targets: RenderTargets
    gbuffer: GBuffer
    scene: LitScene
    view: View
    size: Size
    active: frozenset[str] = frozenset()
    turn: SunShadowTurn | None = None
    moving: bool = False
    coarse: DetailLimit | None = None
    folded: bool = False
    waits: frozenset[str] = frozenset()
    keys: dict[str, object] = field(default_factory=dict)
    layers: list[TransparentLayer] = field(default_factory=list)
    seen: VisibleLamps = field(default_factory=lambda: VisibleLamps(NO_LAMPS, {}, ()))
    dirty_lamps: list[str] = field(default_factory=list)
    sun_shadows: SunShadows | None = None
    hand_gains: dict[str, NDArray[np.float64]] = field(default_factory=dict)
    baked: frozenset[str] = frozenset()
    fixed: frozenset[str] = frozenset()

    @property
    def inspected(self) -> bool:
        """Whether it shows surfaces alone, without any light."""
        return self.view.show in INSPECTED

    @property
    def whole(self) -> LightSubset:
        """The scene with every source."""
        return LightSubset(self.scene, self.seen.lamps)

    @property
    def laid_over(self) -> object:
        """What is laid over the finished picture in its place."""
        return self.scene.cards, self.scene.screen

    @cached_property
    def on_surfaces(self) -> LightSubset:
        """The scene as it lights surfaces: all of it but what is baked."""
        return self._without(self.fixed) if self.fixed else self.whole

    @cached_property
    def rest(self) -> LightSubset:
        """The same without the sources under the hand."""
        return self._without(self.active | self.fixed)

    def _without(self, ids: frozenset[str]) -> LightSubset:
        keep = np.array([item not in ids for item in self.seen.lamps.ids], dtype=bool)
        return LightSubset(self.scene.without(ids), self.seen.lamps.only(keep), keep)


class Pass(ABC):
    """One pass of a frame.

    described : its name, and what it counts (wallum.frame)
    reads     : passes whose results it draws from: what they depend on, so does its own
    over      : whether it is laid over what the passes it reads have drawn, in the same target
    target    : the target that it shares with others, by name
    """

    described: ClassVar[PassSpec]
    reads: ClassVar[tuple[str, ...]] = ()
    over: ClassVar[bool] = False
    target: ClassVar[str] = ""

    def __init__(self, log: PassLog) -> None:
        self.log = log

    @property
    def name(self) -> str:
        return self.described.name

    def wanted(self, draft: FrameContext) -> bool:
        """Whether a picture has this pass."""
        return True

    def begin(self, draft: FrameContext) -> None:  # noqa: B027  (most have nothing to find out)
        """Find out what the picture needs of it, before it is asked what that depends on."""

    @abstractmethod
    def key(self, draft: FrameContext, lit: LightSubset) -> object:
        """What the result for a scene depends on, beside what is read; None: drawn every time."""

    def is_kept(self, draft: FrameContext) -> bool:
        """Whether the result that was kept is the one that is wanted."""
        key = draft.keys[self.name]
        return key is not None and draft.targets.keys.get(self.name) == key

    def may_wait(self, draft: FrameContext) -> bool:
        """Whether the result that is held may stand for the one that is wanted."""
        return True

    def unnoticed(self, draft: FrameContext, held: object) -> bool:
        """Whether, among pictures that take turns, its own may be left out; held : key of what is held."""
        return False

    def follow(self, draft: FrameContext) -> Steps:
        """Draw what must follow at once, though the rest of it waits."""
        yield from ()

    @abstractmethod
    def draw(self, draft: FrameContext) -> Steps:
        """Draw it; stops after each part, measured by itself with what it has done."""
