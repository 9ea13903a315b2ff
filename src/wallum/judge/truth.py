"""How far the real-time picture is from light followed along paths, on the surfaces that a camera sees."""

from dataclasses import dataclass
from typing import Any, Final

import numpy as np
from numpy.typing import NDArray

from wallum.level.model.model import Level
from wallum.moment.camera import Camera
from wallum.physics.arrays import Floats
from wallum.physics.colour import luminance
from wallum.transport.scene.rays import RayScene
from wallum.transport.scene.surfaces import seen_surfaces

__all__ = ["BLOCKS", "INSIDE_SKY", "PICTURE", "TruthError", "compare", "solid_blocks"]

# Means of blocks are compared. The reference has so many pixels in each that paths are followed many at a
# time: an eighth of the work that one pixel a block is.
BLOCKS: Final = (48, 27)
EACH: Final = 10
PICTURE: Final = (BLOCKS[0] * EACH, BLOCKS[1] * EACH)
TRACED_EACH: Final = 5
TRACED: Final = (BLOCKS[0] * TRACED_EACH, BLOCKS[1] * TRACED_EACH)
LOOKED: Final = 5  # rays across a block that tell whether all of it is surface
MINIMUM: Final = 1e-9
# A shot whose surfaces see less of the sky than this, at the median, is one inside; under slats, too.
INSIDE_SKY: Final = 0.2


@dataclass(frozen=True)
class TruthError:
    """Stops that a picture is brighter than the reference: at the median, its size there, and at 9 of 10.

    whole  : between the means of both, which noise does not shift as it does a median
    noise  : standard error of the reference's blocks, at the median: what is off by less is not known
    blocks : that were compared
    """

    shot: str
    clock: str
    inside: bool
    bias: float
    median: float
    most: float
    whole: float
    noise: float
    blocks: int

    def as_json(self) -> dict[str, Any]:
        return vars(self)

    def as_text(self) -> str:
        where = "inside " if self.inside else "outside"
        return (
            f"{self.shot:32s} {self.clock}  {where}  {self.bias:+5.2f}  median {self.median:4.2f}"
            f"  9 of 10 {self.most:4.2f} stops, all {self.whole:+5.2f}, noise {self.noise:4.2f}"
        )


def solid_blocks(rays: RayScene, level: Level, camera: Camera) -> NDArray[np.bool_]:
    """(B,) which blocks of a picture show nothing but surfaces."""
    columns, rows = BLOCKS[0] * LOOKED, BLOCKS[1] * LOOKED
    seen = np.zeros(columns * rows)
    seen[seen_surfaces(rays, level, camera, (columns, rows)).pixel] = 1.0
    return np.asarray(_mean(seen.reshape(rows, columns, 1), LOOKED)[:, 0] > 0.99)


def _mean(picture: Floats, each: int) -> Floats:
    """(B, C) means of the blocks of (H, W, C)."""
    columns, rows = BLOCKS
    means = picture.reshape(rows, each, columns, each, -1).mean(axis=(1, 3))
    return np.asarray(means).reshape(rows * columns, -1)


def compare(
    picture: Floats, reference: Floats, errors: Floats, solid: NDArray[np.bool_], where: tuple[str, str, bool]
) -> TruthError:
    """A picture of PICTURE pixels (H, W, 3) beside a reference of TRACED pixels (h, w, 3) [cd/m2].

    errors : (h, w) standard errors of that [cd/m2]; solid : (B,) blocks that count
    where : shot, clock, whether it is inside
    """
    own = luminance(_mean(picture.astype(np.float64), EACH))[solid]
    true = luminance(_mean(reference, TRACED_EACH))[solid]
    if not len(own):
        return TruthError(*where, 0.0, 0.0, 0.0, 0.0, 0.0, 0)
    off = np.log2(np.maximum(own, MINIMUM) / np.maximum(true, MINIMUM))
    size = np.abs(off)
    whole = np.log2(max(float(own.mean()), MINIMUM) / max(float(true.mean()), MINIMUM))
    apart = np.sqrt(_mean(errors[..., None] ** 2, TRACED_EACH)[solid, 0]) / TRACED_EACH
    noise = np.log2(1.0 + apart / np.maximum(true, MINIMUM))
    messages = np.median(off), np.median(size), np.quantile(size, 0.9), whole, np.median(noise)
    bias, median, largest, means, error = (round(float(item), 3) for item in messages)
    return TruthError(*where, bias, median, largest, means, error, len(off))
