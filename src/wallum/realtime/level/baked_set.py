"""Baked light as the renderer takes it: the triangles that have texels, and their pages."""

from dataclasses import dataclass
from typing import TYPE_CHECKING

import numpy as np
from numpy.typing import NDArray

if TYPE_CHECKING:  # the renderer's process starts faster without rays
    from wallum.level.model.flatten import Triangles
    from wallum.transport.field.baked_light import BakedLight

__all__ = ["TEXEL_CORNER", "BakedSet", "baked_set"]

# Half floats end a little later.
MAX_LIGHT = 60_000.0
TEXEL_CORNER = np.dtype([("position", "<f4", 3), ("texel", "<f4", 3)])


@dataclass(frozen=True)
class BakedSet:
    """Pages of illuminance, and where triangles read them.

    corners : (V,) structured, see TEXEL_CORNER: place [m]; place on a page, 0 to 1, and its number
    faces   : (T, 3) uint32 into these
    pages   : (P, H, W, 4) float16, RGB illuminance over `scale`, 1
    scale   : [lx]
    ids     : of the sources whose light it is; straight : whether with what comes straight from them
    """

    corners: NDArray[np.void]
    faces: NDArray[np.uint32]
    pages: NDArray[np.float16]
    scale: float
    ids: frozenset[str]
    straight: bool


def baked_set(baked: "BakedLight", flat: "Triangles") -> BakedSet:
    """Baked light of a level whose triangles are given."""
    laid = baked.laid
    corners = np.zeros(len(laid.vertices), TEXEL_CORNER)
    corners["position"] = flat.positions[laid.vertices]
    corners["texel"][:, :2] = laid.uv / np.array(laid.size, np.float32)
    corners["texel"][:, 2] = laid.page
    scale = max(float(baked.pages.max(initial=0.0)) / MAX_LIGHT, 1.0)
    pages = np.ones((*baked.pages.shape[:3], 4), np.float16)
    pages[..., :3] = baked.pages / scale
    return BakedSet(corners, laid.faces, pages, scale, baked.ids, baked.straight)
