"""Where the heroes stand in a picture, coarsely: for metering them."""

import numpy as np
from numpy.typing import NDArray

from wallum.level.model.model import Level
from wallum.moment.camera import Camera
from wallum.transport.scene.rays import RayScene

__all__ = ["hero_cells"]


def hero_cells(
    rays: RayScene, level: Level, heroes: frozenset[str], camera: Camera, cells: tuple[int, int]
) -> NDArray[np.float32]:
    """(rows, columns) 1 where the middle of a cell of the picture shows a hero, else 0.

    heroes : ids of parts; cells : columns and rows
    """
    columns, rows = cells
    if not heroes:
        return np.zeros((rows, columns), np.float32)
    x, y = np.meshgrid((np.arange(columns) + 0.5) / columns, (np.arange(rows) + 0.5) / rows)
    directions = camera.rays(x.ravel(), y.ravel())
    hits = rays.first_visible(np.broadcast_to(np.array(camera.eye), directions.shape), directions)
    chosen = np.array([part.id in heroes for part in level.parts] or [False])
    met = hits.triangle >= 0
    out = np.zeros(rows * columns, np.float32)
    out[met] = chosen[rays.triangles.part[hits.triangle[met]]]
    return out.reshape(rows, columns)
