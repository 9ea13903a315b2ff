"""Whether a point lies inside a solid: rays in many directions meet nothing but backs."""

import numpy as np
from numpy.typing import NDArray

from wallum.physics.arrays import Floats, normalised
from wallum.transport.scene.rays import RayScene

__all__ = ["inside_solids"]

# The corners, edges and faces of a cube, turned so that none lies along a wall.
_WAYS = np.array(
    [(x, y, z) for x in (-1, 0, 1) for y in (-1, 0, 1) for z in (-1, 0, 1) if (x, y, z) != (0, 0, 0)]
)
_TURN = np.array([[0.82, 0.44, 0.36], [-0.55, 0.77, 0.32], [-0.14, -0.46, 0.88]])
WAYS = normalised(_WAYS @ np.linalg.qr(_TURN)[0])
# Share of the ways that must meet a back: a room has doors, a thin crack lets a ray through.
MOSTLY = 0.92


def inside_solids(rays: RayScene, points: Floats, skip_m: Floats | float = 0.0) -> NDArray[np.bool_]:
    """(N,) whether points (N, 3) lie inside closed solids. Faces are told by their winding.

    skip_m : (N,) or scalar; what lies nearer is looked through: a lamp's own glass
    """
    places = np.atleast_2d(np.asarray(points, dtype=np.float64))
    if not len(places):
        return np.zeros(0, dtype=bool)
    directions = np.tile(WAYS, (len(places), 1))
    skipped = np.repeat(np.broadcast_to(np.asarray(skip_m, dtype=np.float64), len(places)), len(WAYS))
    origins = np.repeat(places, len(WAYS), axis=0) + directions * skipped[:, None]
    hits = rays.first_hit(origins, directions)
    met = hits.triangle >= 0
    backs = np.zeros(len(origins), dtype=bool)
    backs[met] = (rays.normals(hits)[met] * directions[met]).sum(axis=1) > 0.0
    return np.asarray(backs.reshape(len(places), -1).mean(axis=1) >= MOSTLY)
