"""What a level's floors send back: for far ground that goes on as they do."""

import numpy as np
from numpy.typing import NDArray

from wallum.level.flatten import Triangles
from wallum.level.model import Level, Material
from wallum.physics.tone import srgb_decode

__all__ = ["floor_albedo", "floors_of"]

# A floor is what looks up at least this much.
LOOKS_UP = 0.7
USUAL = (0.2, 0.2, 0.2)


def floors_of(level: Level, flat: Triangles) -> tuple[float, float, float]:
    """`floor_albedo` as a project keeps it, to three digits."""
    red, green, blue = (round(float(part), 3) for part in floor_albedo(level, flat))
    return red, green, blue


def _mean_base(level: Level, material: Material) -> NDArray[np.float64]:
    """(3,) a material's base colour with the mean of its picture."""
    base = np.array(material.base[:3])
    use = material.textures.get("base")
    if use is None:
        return base
    pixels = level.pictures[use.picture].pixels[::4, ::4]
    counts = np.stack([np.bincount(pixels[..., k].ravel(), minlength=256) for k in range(3)])
    return base * (counts @ srgb_decode(np.arange(256) / 255.0)) / counts[0].sum()


def floor_albedo(level: Level, flat: Triangles) -> NDArray[np.float64]:
    """(3,) linear share of light that surfaces which look up send back, by their area; a usual one
    where there are none."""
    if not len(flat.faces):
        return np.array(USUAL)
    a, b, c = (flat.positions[flat.faces[:, k]].astype(np.float64) for k in range(3))
    area = 0.5 * np.linalg.norm(np.cross(b - a, c - a), axis=1)
    metallic = np.array([one.metallic for one in level.materials])[flat.material]
    area *= (flat.face_normals[:, 1] >= LOOKS_UP) * (1.0 - metallic)
    by_material = np.bincount(flat.material, weights=area, minlength=len(level.materials))
    if by_material.sum() <= 0.0:
        return np.array(USUAL)
    underfoot = by_material > 0.0
    colours = np.array(
        [
            _mean_base(level, one) if used else (0.0,) * 3
            for one, used in zip(level.materials, underfoot, strict=True)
        ]
    )
    tints = flat.colours[flat.faces[:, 0], :3].astype(np.float64)
    tint = (tints * area[:, None]).sum(axis=0) / area.sum()
    return np.clip(by_material @ colours / by_material.sum() * tint, 0.01, 0.95)
