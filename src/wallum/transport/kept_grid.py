"""The sky grid of a level: the one that is kept, or a new one that is kept from then on."""

import logging
from collections.abc import Callable
from pathlib import Path

import numpy as np
from numpy.typing import NDArray

from wallum.document.derived import derived_folder
from wallum.errors import ValueProblem
from wallum.transport.rays import RayScene
from wallum.transport.sky_grid import SkyGrid, grid_key, load_grid, make_grid, save_grid

__all__ = ["MOST_KEPT", "kept_grid"]

log = logging.getLogger("wallum.derived")
# Grids in one folder; the oldest go.
MOST_KEPT = 8


def kept_grid(
    rays: RayScene,
    bounds: NDArray[np.float64],
    project_file: Path | None,
    keep_going: Callable[[float], bool] | None = None,
) -> SkyGrid | None:
    """The grid of a level, from the project's derived data or made now and put there.

    None where there is no level, or `keep_going` said no while it was made.
    """
    if not len(rays.triangles.faces):
        return None
    key = grid_key(rays)
    path = derived_folder(project_file) / f"sky-{key}.npz"
    try:
        return load_grid(path, key)
    except ValueProblem as problem:
        log.debug("%s", problem)
    grid = make_grid(rays, bounds, keep_going)
    if grid is not None:
        try:
            save_grid(grid, key, path)
            for old in sorted(path.parent.glob("sky-*.npz"), key=lambda one: one.stat().st_mtime)[
                :-MOST_KEPT
            ]:
                old.unlink()
        except OSError as error:
            log.warning("the sky grid could not be kept: %s", error)
    return grid
