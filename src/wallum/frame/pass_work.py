"""A frame that is asked for, as far as counting its work needs it."""

from dataclasses import dataclass, field
from functools import cached_property
from typing import TYPE_CHECKING

import numpy as np
from numpy.typing import NDArray

from wallum.frame.quality import HIGH, Quality
from wallum.moment.camera import Camera, boxes_inside, frustum_planes
from wallum.moment.kinds import kind_of
from wallum.moment.scene import LitScene

if TYPE_CHECKING:  # the renderer's process starts faster without rays
    from wallum.transport.scene.surfaces import SeenSurfaces


__all__ = ["TEXEL_BYTES", "Boxes", "Counts", "PassCounts", "PassWork"]

# Depth of a shadow map's texel.
TEXEL_BYTES = 4
Counts = dict[str, float]


@dataclass(frozen=True)
class Boxes:
    """A level in chunks: corners (C, 3) and triangles (C,) of each."""

    low: NDArray[np.float32]
    high: NDArray[np.float32]
    triangles: NDArray[np.int64]

    def near(self, place: NDArray[np.float64], reach: float) -> int:
        """Triangles of the chunks that a ball touches; a reach of 0 is all."""
        if reach <= 0.0:
            return int(self.triangles.sum())
        away = np.maximum(np.maximum(self.low - place, place - self.high), 0.0)
        return int(self.triangles[(away**2).sum(axis=1) <= reach * reach].sum())


@dataclass
class PassCounts:
    """Counts of one pass: of all, and of what only one source asks for, by its id.

    shadow_bytes : memory that its shadow maps take
    """

    whole: Counts
    sources: dict[str, Counts] = field(default_factory=dict)
    shadow_bytes: float = 0.0


@dataclass(frozen=True)
class PassWork:
    """A picture of a scene.

    seen : surfaces that the camera sees, however coarse; size : of the picture; grid : whether light
    of the sky is cut by a grid; baked : share of the surfaces that show baked light, and
    held_bytes, the memory of that; edges : how they are smoothed, see document.targets
    """

    boxes: Boxes
    scene: LitScene
    seen: "SeenSurfaces"
    camera: Camera
    size: tuple[int, int]
    grid: bool = True
    quality: Quality = HIGH
    baked: float = 0.0
    held_bytes: float = 0.0
    edges: str = "none"

    @cached_property
    def pixels(self) -> float:
        return float(self.size[0] * self.size[1])

    @cached_property
    def each(self) -> float:
        """Pixels that one of the surfaces seen stands for."""
        return self.pixels / max(self.seen.size[0] * self.seen.size[1], 1)

    @cached_property
    def layers(self) -> float:
        """Pixels of what is seen through: lit like the surfaces behind them."""
        return self.seen.layers * self.each

    @cached_property
    def lit(self) -> float:
        """Pixels that are lit."""
        return len(self.seen.points) * self.each + self.layers

    @cached_property
    def triangles(self) -> float:
        """Triangles of what the camera may see."""
        planes = frustum_planes(self.camera.projection() @ self.camera.view())
        return float(self.boxes.triangles[boxes_inside(self.boxes.low, self.boxes.high, planes)].sum())

    @cached_property
    def reached(self) -> NDArray[np.bool_]:
        """(lamps, P) which surfaces lie in a lamp's range and cone: what a renderer has to work out."""
        lamps, points = self.scene.lamps.rows, self.seen.points
        out = np.zeros((len(lamps), len(points)), dtype=bool)
        for index, row in enumerate(lamps):
            out[index] = kind_of(row).reaches(row, points)
        return out

    @cached_property
    def lamp_pixels(self) -> NDArray[np.float64]:
        """(lamps,) pixels that each lamp reaches."""
        veiled = 1.0 + self.seen.layers / max(len(self.seen.points), 1)
        return np.asarray(self.reached.sum(axis=1) * self.each * veiled)
