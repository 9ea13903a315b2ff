"""What of a LitScene one camera needs: lamps whose light can reach its picture."""

import numpy as np
from numpy.typing import NDArray

from wallum.moment.camera import Camera, frustum_planes
from wallum.moment.kinds import by_kind
from wallum.moment.lamps import Lamps

__all__ = ["bounding_spheres", "in_view"]


def bounding_spheres(lamps: Lamps) -> tuple[NDArray[np.float64], NDArray[np.float64]]:
    """Centres (N, 3) and radii (N,) of spheres about each lamp's light [m]."""
    centres, radii = np.zeros((len(lamps.ids), 3)), np.zeros(len(lamps.ids))
    for kind, numbers in by_kind(lamps.rows):
        centres[numbers], radii[numbers] = kind.bounds(lamps.rows[numbers])
    return centres, radii


def in_view(lamps: Lamps, camera: Camera) -> NDArray[np.bool_]:
    """(N,) whether each lamp's light can fall on anything in the picture."""
    if not lamps.ids:
        return np.zeros(0, dtype=bool)
    centres, radii = bounding_spheres(lamps)
    planes = frustum_planes(camera.projection() @ camera.view())
    distance = centres @ planes[:, :3].T + planes[:, 3]
    return np.asarray((distance > -radii[:, None]).all(axis=1))
