"""What is asked of the renderer, and what it answers. Plain data, sent between processes."""

from dataclasses import dataclass, field, replace
from typing import Literal

import numpy as np
from numpy.typing import NDArray

from wallum.frame.record import PassRecord
from wallum.frame.views import FROM_SURFACES
from wallum.moment.camera import Camera
from wallum.moment.resolved_look import ResolvedLook
from wallum.moment.scene import LitScene

__all__ = ["Frame", "PictureRequest"]

Size = tuple[int, int]

Detail = Literal["full", "reduced", "sketch", "thumb"]


@dataclass(frozen=True, eq=False)
class PictureRequest:
    """One picture: newest wins.

    active : ids of the sources under the hand; the sum of all others is kept
    detail : reduced draws a quarter of the pixels or fewer (see pace.py), for a moving camera;
             thumb is a small picture of another camera, made when there is nothing else to do;
             sketch also leaves the shadows out, for the first sign of life after a restart
    settle : go on to as many jittered pictures as the quality has, while nothing newer comes
    held_ev : exposure to keep where the scene is metered; None: as metered
    view    : one of frame.views.VIEWS
    view_of : id of the source that a view is about; empty for the sun
    heroes : (36, 64) how much of each cell of the picture is a hero, for metering
    sampled : whether its values are wanted too, in small
    edges   : how they are smoothed where it is as delivered, see document.targets
    most    : pictures that a settled one is the mean of; 0: as many as the quality has
    delivered: whether it is to be as it is delivered: what has settled of its light is not shown for it
    seed    : of its grain: pictures of a film have one each
    """

    number: int
    scene: LitScene
    camera: Camera
    size: Size
    active: frozenset[str] = frozenset()
    detail: Detail = "full"
    settle: bool = False
    held_ev: float | None = None
    view: str = "final"
    view_of: str = ""
    heroes: NDArray[np.float32] | None = None
    sampled: bool = False
    seed: int = 0
    edges: str = "none"
    most: int = 0
    delivered: bool = False

    @property
    def shown_scene(self) -> LitScene:
        """The scene as the view shows it."""
        if self.view in FROM_SURFACES:
            return replace(self.scene, air=None, cards=(), screen=None)
        return self.scene.direct() if self.view == "direct" else self.scene


@dataclass
class Frame:
    """A finished picture. `settled` counts the jittered pictures in it, 0 for none.

    ev100   : exposure that it is developed with
    metered : exposure that its light asks for, where the scene is metered
    look    : that it is developed with; None where a view has none
    sample  : (135, 240, 3) its values before that, exposed, where they were asked for
    delivered: whether it is as it is delivered, however many pictures it is the mean of
    all_sky : whether surfaces see all of the sky, as nothing is known yet of what stands before it
    """

    number: int
    size: Size
    settled: int
    detail: Detail
    passes: list[PassRecord] = field(default_factory=list)
    unshadowed: tuple[str, ...] = ()
    buffer: int = -1
    ev100: float = 0.0
    metered: float | None = None
    look: ResolvedLook | None = None
    sample: NDArray[np.float16] | None = None
    all_sky: bool = False
    delivered: bool = False

    @property
    def total_ms(self) -> float:
        return sum(record.ms for record in self.passes)
