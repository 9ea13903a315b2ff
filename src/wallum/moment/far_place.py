"""Where a far light stands in the picture."""

import numpy as np

from wallum.moment.camera import Camera
from wallum.physics.screen_shafts import reaching

__all__ = ["sun_in_picture"]


def sun_in_picture(toward: tuple[float, float, float], camera: Camera) -> tuple[float, float, float]:
    """Where a far light stands, 0..1 from the upper left; what is left of its screen shafts there, 0 to 1.

    toward : (3,) unit direction to it
    """
    local = camera.rotation() @ np.array(toward)
    depth = float(-local[2])
    if depth <= 1e-6:
        return 0.5, 0.5, 0.0
    tangents = camera.tangents
    x = 0.5 + 0.5 * float(local[0]) / depth / tangents[0]
    y = 0.5 - 0.5 * float(local[1]) / depth / tangents[1]
    return x, y, reaching(x, y, depth)
