"""The pool of a lamp: how much light it brings to the surfaces that a camera sees."""

import numpy as np
from numpy.typing import NDArray

from wallum.moment.scene import LAMP_COLUMNS, LitScene
from wallum.physics.colour import luminance
from wallum.physics.photometry import cone_falloff, punctual_illuminance
from wallum.transport.rays import LIFT_M, RayScene
from wallum.transport.surfaces import SeenSurfaces

__all__ = ["pool_field"]

# Neighbours whose distances from the eye differ by more than this share are of two surfaces.
ONE_SURFACE = 0.12


def pool_field(rays: RayScene, scene: LitScene, seen: SeenSurfaces, lamp_id: str) -> NDArray[np.float64]:
    """(rows, columns) illuminance by one lamp [lx] of the surfaces in a picture's pixels.

    Not a number where no surface is, and at the seams between surfaces, where a line of equal
    light would lead across a gap. Shadows by one ray a pixel to the lamp's middle.
    """
    columns, rows = seen.size
    out = np.full(rows * columns, np.nan)
    if lamp_id not in scene.lamps.ids or not len(seen.pixel):
        return out.reshape(rows, columns)
    values = scene.lamps.rows[scene.lamps.ids.index(lamp_id)].astype(np.float64)
    row = {name: values[where] for name, where in LAMP_COLUMNS.items()}
    way = row["position"] - seen.points
    lux = punctual_illuminance(way, seen.normals, row["radius"], row["range"])
    distance = np.linalg.norm(way, axis=1)
    toward = way / np.maximum(distance, 1e-9)[:, None]
    if row["is_spot"] > 0.5:
        lux = lux * cone_falloff(-toward @ row["direction"], row["cos_inner"], row["cos_outer"])
    lux = lux * float(luminance(row["intensity"]))
    lit = np.flatnonzero(lux > 0.0)
    if row["shadow"] > 0.5 and len(lit):
        starts = seen.points[lit] + seen.normals[lit] * (LIFT_M * 20.0)
        reach = distance[lit] - row["radius"] - 2.0 * LIFT_M
        lux[lit] *= luminance(rays.let_through(starts, toward[lit], reach))
    out[seen.pixel] = lux
    return np.where(_seams(seen), np.nan, out.reshape(rows, columns))


def _seams(seen: SeenSurfaces) -> NDArray[np.bool_]:
    """(rows, columns) whether a pixel's neighbour is of another surface."""
    columns, rows = seen.size
    depth = np.full(rows * columns, np.inf)
    # Along a flat surface the inverse of the distance changes evenly: its second difference tells.
    depth[seen.pixel] = seen.distance
    grid = depth.reshape(rows, columns)
    with np.errstate(invalid="ignore", divide="ignore"):
        inverse = 1.0 / grid
        bend = np.zeros_like(grid)
        bend[:, 1:-1] = np.abs(inverse[:, 2:] - 2.0 * inverse[:, 1:-1] + inverse[:, :-2]) * grid[:, 1:-1]
        down = np.abs(inverse[2:] - 2.0 * inverse[1:-1] + inverse[:-2]) * grid[1:-1]
        bend[1:-1] = np.maximum(bend[1:-1], down)
    return np.asarray(~np.isfinite(bend) | (bend > ONE_SURFACE))
