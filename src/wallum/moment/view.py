"""What of a LitScene one camera needs: lamps whose light can reach its picture."""

import numpy as np
from numpy.typing import NDArray

from wallum.moment.camera import Camera, frustum_planes
from wallum.moment.scene import Lamps

__all__ = ["bounding_spheres", "in_view"]

# Reach of a lamp without a range: beyond any level, yet near enough that the rounding of
# its 32-bit direction moves the far end by millimetres only.
UNLIMITED_M = 1e5


def bounding_spheres(lamps: Lamps) -> tuple[NDArray[np.float64], NDArray[np.float64]]:
    """Centres (N, 3) and radii (N,) of the smallest spheres about each lamp's light [m].

    A spot's light up to its range fills a cone with a round end: for a narrow one the
    sphere sits half way along.
    """
    reach = lamps.column("range").astype(np.float64)
    reach = np.where(reach > 0.0, reach, UNLIMITED_M)
    position = lamps.column("position").astype(np.float64)
    axis = lamps.column("direction").astype(np.float64)
    cosine = np.clip(lamps.column("cos_outer").astype(np.float64), 0.0, 1.0)
    narrow = (lamps.column("is_spot") > 0.5) & (cosine > np.sqrt(0.5))
    wide = (lamps.column("is_spot") > 0.5) & ~narrow
    radius = np.where(narrow, 0.5 * reach / np.maximum(cosine, 1e-6), reach)
    along = np.where(narrow, radius, np.where(wide, reach * cosine, 0.0))
    radius = np.where(wide, reach * np.sqrt(1.0 - cosine**2), radius)
    return position + axis * along[:, None], radius


def in_view(lamps: Lamps, camera: Camera) -> NDArray[np.bool_]:
    """(N,) whether each lamp's light can fall on anything in the picture."""
    if not lamps.ids:
        return np.zeros(0, dtype=bool)
    centres, radii = bounding_spheres(lamps)
    planes = frustum_planes(camera.projection() @ camera.view())
    distance = centres @ planes[:, :3].T + planes[:, 3]
    return np.asarray((distance > -radii[:, None]).all(axis=1))
