"""What is asked of the renderer, and what it answers. Plain data, sent between processes."""

from dataclasses import dataclass, field
from typing import Literal

from wallum.moment.camera import Camera
from wallum.moment.scene import LitScene
from wallum.realtime.passes import PassRecord
from wallum.realtime.targets import Size

__all__ = ["SETTLE_FRAMES", "Frame", "PictureRequest"]

# Jittered pictures that a settled one is the mean of.
SETTLE_FRAMES = 64

Detail = Literal["full", "reduced", "sketch"]


@dataclass(frozen=True)
class PictureRequest:
    """One picture: newest wins.

    active : ids of the sources under the hand; the sum of all others is kept
    detail : reduced draws a quarter of the pixels or fewer (see pace.py), for a moving camera;
             sketch also leaves the shadows out, for the first sign of life after a restart
    settle : go on to SETTLE_FRAMES jittered pictures while nothing newer comes
    """

    number: int
    scene: LitScene
    camera: Camera
    size: Size
    active: frozenset[str] = frozenset()
    detail: Detail = "full"
    settle: bool = False


@dataclass
class Frame:
    """A finished picture. `settled` counts the jittered pictures in it, 0 for none."""

    number: int
    size: Size
    settled: int
    detail: Detail
    passes: list[PassRecord] = field(default_factory=list)
    unshadowed: tuple[str, ...] = ()
    buffer: int = -1

    @property
    def total_ms(self) -> float:
        return sum(record.ms for record in self.passes)
