"""The pool of a lamp: how much light it brings to the surfaces that a camera sees."""

import numpy as np
from numpy.typing import NDArray

from wallum.moment.kinds import kind_of
from wallum.moment.scene import LitScene
from wallum.physics.colour import luminance
from wallum.transport.scene.rays import LIFT_M, RayScene
from wallum.transport.scene.surfaces import SeenSurfaces

__all__ = ["pool_field"]

# Neighbours whose distances from the eye differ by more than this share are of two surfaces.
ONE_SURFACE = 0.12


def pool_field(rays: RayScene, scene: LitScene, seen: SeenSurfaces, lamp_id: str) -> NDArray[np.float64]:
    """(rows, columns) illuminance by one lamp [lx] of the surfaces in a picture's pixels.

    Not a number where no surface is, and at the seams between surfaces, where a line of equal
    light would lead across a gap. Shadows by one ray a pixel to the lamp's middle. Through a gobo it is the
    mean of what that leaves: lines about each of its openings would say nothing.
    """
    columns, rows = seen.size
    out = np.full(rows * columns, np.nan)
    if lamp_id not in scene.lamps.ids or not len(seen.pixel):
        return out.reshape(rows, columns)
    index = scene.lamps.ids.index(lamp_id)
    row = scene.lamps.rows[index : index + 1].copy()
    row["emission"] *= row["gobo_open"][:, None]
    row["gobo"] = 0.0
    kind = kind_of(row[0])
    lux = kind.on_surface(row, seen.points, seen.normals) * float(luminance(row["emission"][0]))
    lit = np.flatnonzero(lux > 0.0)
    if scene.lamps.casting[index] and len(lit):
        toward, reach, _ = kind.sample(row, seen.points[lit])
        starts = seen.points[lit] + seen.normals[lit] * (LIFT_M * 20.0)
        lux[lit] *= luminance(rays.let_through(starts, toward, reach - 2.0 * LIFT_M))
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
