"""Where in a picture a lamp's light can fall."""

import numpy as np
from numpy.typing import NDArray

from wallum.moment.camera import Camera
from wallum.realtime.gl.targets import Size

__all__ = ["lamp_scissor"]


def lamp_scissor(
    centre: NDArray[np.float64], radius: float, camera: Camera, size: Size
) -> tuple[int, int, int, int] | None:
    """Rectangle (x, y, w, h) from the lower left that a sphere can fall in; None: nothing."""
    local = camera.rotation() @ (centre - np.array(camera.eye))
    x, y, depth = local[0], local[1], -local[2]
    if depth + radius <= 0.0:
        return None
    if depth - radius <= camera.near:
        return 0, 0, size[0], size[1]
    edges = []
    for at, tangent, pixels in zip((x, y), camera.tangents, size, strict=True):
        # Tangent lines from the eye to the circle: Lengyel 2002, "The Mechanics of Robust
        # Stencil Shadows", in its plain two-dimensional form.
        along = np.hypot(at, depth)
        turn = np.arctan2(at, depth)
        spread = np.arcsin(min(radius / along, 1.0))
        low, high = (np.tan(np.clip(turn + s, -1.55, 1.55)) / tangent for s in (-spread, spread))
        edges.append(
            (
                int(np.clip(np.floor((low * 0.5 + 0.5) * pixels), 0, pixels)),
                int(np.clip(np.ceil((high * 0.5 + 0.5) * pixels), 0, pixels)),
            )
        )
    (x0, x1), (y0, y1) = edges
    return (x0, y0, x1 - x0, y1 - y0) if x1 > x0 and y1 > y0 else None
