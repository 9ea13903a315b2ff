"""What surfaces send back on the whole: of the part of a picture that they use, not of all of it."""

from typing import Any, Final

import numpy as np
from numpy.typing import NDArray

from wallum.level.model.model import Level, Material
from wallum.level.model.texels import texels
from wallum.physics.tone import srgb_decode

__all__ = ["SAMPLES", "mean_base"]

SAMPLES: Final = 2048
# Irrational steps spread points evenly over a triangle: Roberts 2018, the plastic number's inverses.
STEPS: Final = (0.7548776662466927, 0.5698402909980532)


def _points(area: NDArray[np.float64], count: int) -> tuple[NDArray[np.int64], NDArray[np.float64]]:
    """(N,) triangles by their area, and (N, 3) weights of their corners."""
    ends = np.cumsum(area)
    at = (np.arange(count) + 0.5) / count * ends[-1]
    chosen = np.minimum(np.searchsorted(ends, at, side="right"), len(area) - 1)
    u, v = (np.arange(1, count + 1) * step % 1.0 for step in STEPS)
    over = u + v > 1.0
    u, v = np.where(over, 1.0 - u, u), np.where(over, 1.0 - v, v)
    return chosen, np.stack([1.0 - u - v, u, v], axis=1)


def mean_base(
    level: Level,
    material: Material,
    area: NDArray[np.float64],
    faces: NDArray[Any],
    uv: NDArray[np.float32],
    colours: NDArray[np.float32],
    count: int = SAMPLES,
) -> NDArray[np.float64]:
    """(3,) mean linear base colour over triangles, by their area.

    area : (T,) [m2]; faces : (T, 3) into uv and colours, (V, 4) each; only what is sampled is gathered
    """
    base = np.array(material.base[:3])
    use = material.textures.get("base")
    if not len(area) or area.sum() <= 0.0:
        return base
    chosen, weights = _points(area, count)
    corners = faces[chosen]
    tint = np.einsum("nk,nkc->nc", weights, colours[corners, :3])
    if use is not None:
        place = np.einsum("nk,nkc->nc", weights, uv[corners].astype(np.float64))
        tint = tint * srgb_decode(texels(level, use, place)[:, :3] / 255.0)
    return np.asarray(base * tint.mean(axis=0))
