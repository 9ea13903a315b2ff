"""What a level's floors send back: for far ground that goes on as they do."""

import numpy as np
from numpy.typing import NDArray

from wallum.level.model.flatten import Triangles
from wallum.level.model.model import Level
from wallum.level.model.reflectance import mean_base

__all__ = ["floor_albedo", "floors_of"]

# A floor is what looks up at least this much.
LOOKS_UP = 0.7
USUAL = (0.2, 0.2, 0.2)


def floors_of(level: Level, flat: Triangles) -> tuple[float, float, float]:
    """`floor_albedo` as a project keeps it, to three digits."""
    red, green, blue = (round(float(part), 3) for part in floor_albedo(level, flat))
    return red, green, blue


def floor_albedo(level: Level, flat: Triangles) -> NDArray[np.float64]:
    """(3,) linear share of light that surfaces which look up send back, by their area; a usual one
    where there are none."""
    if not len(flat.faces):
        return np.array(USUAL)
    metallic = np.array([material.metallic for material in level.materials])[flat.material]
    area = flat.areas * (flat.face_normals[:, 1] >= LOOKS_UP) * (1.0 - metallic)
    underfoot = np.flatnonzero(area > 0.0)
    if not len(underfoot):
        return np.array(USUAL)
    total = np.zeros(3)
    owner = flat.material[underfoot]
    for number in np.flatnonzero(np.bincount(owner)):
        of_it = underfoot[owner == number]
        surfaces = (flat.faces[of_it], flat.uv, flat.colours)
        mean = mean_base(level, level.materials[number], area[of_it], *surfaces)
        total += mean * area[of_it].sum()
    return np.clip(total / area.sum(), 0.01, 0.95)
