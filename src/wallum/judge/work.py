"""What a picture has to do, counted: pixels, lights on pixels, triangles and texels of shadows.

Counted from the scene itself and a coarse look at what the camera sees, so that the same counts
stand for any device and any size of picture.
"""

from dataclasses import dataclass, field
from typing import Final

import numpy as np
from numpy.typing import NDArray

from wallum.moment.camera import Camera, boxes_inside, frustum_planes
from wallum.moment.kinds import kind_of
from wallum.moment.scene import LitScene
from wallum.physics.deck import DECK_STEPS
from wallum.transport.surfaces import SeenSurfaces

__all__ = ["COUNTS", "Boxes", "Work", "count_work"]

# What each pass of a picture counts; times are sums of these, each times a coefficient.
COUNTS: Final[dict[str, tuple[str, ...]]] = {
    "surfaces": ("each", "pixels", "triangles"),
    "open sky": ("pixels",),
    "lamp shadows": ("tiles", "triangles", "texels"),
    "sun shadows": ("each", "triangles", "texels"),
    "light": (
        "each",
        "pixels",
        "sky pixels",
        "cloud pixels",
        "sun pixels",
        "lamp pixels",
        "shadowed lamp pixels",
    ),
    "clouds": ("deck samples",),
    "develop": ("pixels",),
}
TILE: Final = 512
# The deck is marched for one pixel of so many each way; see realtime.sky_pass.
DECK_PART: Final = 3
# Depth of a shadow map's texel.
TEXEL_BYTES: Final = 4


@dataclass(frozen=True)
class Boxes:
    """A level in chunks: corners (C, 3) and triangles (C,) of each."""

    low: NDArray[np.float32]
    high: NDArray[np.float32]
    triangles: NDArray[np.int64]


@dataclass
class Work:
    """Counts by pass; by source the pixels that it lights and what its shadow draws.

    lamps_per_pixel, shadowed_per_pixel : the most lamps that reach one pixel, and of those with shadow
    shadow_bytes : memory that all shadow maps take
    """

    passes: dict[str, dict[str, float]]
    sources: dict[str, dict[str, dict[str, float]]] = field(default_factory=dict)
    lamps_per_pixel: int = 0
    shadowed_per_pixel: int = 0
    shadow_bytes: float = 0.0


def _near(boxes: Boxes, place: NDArray[np.float64], reach: float) -> int:
    """Triangles of the chunks that a ball touches; a reach of 0 is all."""
    if reach <= 0.0:
        return int(boxes.triangles.sum())
    away = np.maximum(np.maximum(boxes.low - place, place - boxes.high), 0.0)
    return int(boxes.triangles[(away**2).sum(axis=1) <= reach * reach].sum())


def _reached(scene: LitScene, seen: SeenSurfaces) -> NDArray[np.bool_]:
    """(lamps, P) which surfaces lie in a lamp's range and cone: what a renderer has to work out."""
    lamps = scene.lamps.rows
    out = np.zeros((len(lamps), len(seen.points)), dtype=bool)
    for index, row in enumerate(lamps):
        way = seen.points - row["position"].astype(np.float64)
        squared = np.einsum("ij,ij->i", way, way)
        reach = float(row["range"])
        out[index] = squared <= reach * reach if reach > 0.0 else True
        if row["cos_outer"] > -1.0:
            along = way @ row["direction"].astype(np.float64)
            out[index] &= along >= float(row["cos_outer"]) * np.sqrt(squared)
    return out


def count_work(
    boxes: Boxes,
    scene: LitScene,
    seen: SeenSurfaces,
    camera: Camera,
    size: tuple[int, int],
    grid: bool = True,
) -> Work:
    """What a picture of a scene has to do.

    seen : surfaces that the camera sees, however coarse; size : of the picture; grid : whether light
    of the sky is cut by a grid
    """
    pixels = float(size[0] * size[1])
    each = pixels / max(seen.size[0] * seen.size[1], 1)
    # Layers of what is seen through are lit like the surfaces behind them.
    layers = seen.layers * each
    lit = len(seen.points) * each + layers
    planes = frustum_planes(camera.projection() @ camera.view())
    visible = boxes_inside(boxes.low, boxes.high, planes)
    work = Work(
        {
            "surfaces": {
                "each": 1.0,
                "pixels": pixels + layers,
                "triangles": float(boxes.triangles[visible].sum()),
            }
        }
    )
    light = {**dict.fromkeys(COUNTS["light"], 0.0), "each": 1.0, "pixels": pixels + layers}
    if scene.sky is not None:
        own: dict[str, dict[str, float]] = {"light": {"sky pixels": pixels + layers}}
        light["sky pixels"] = pixels + layers
        if grid:
            work.passes["open sky"] = {"pixels": pixels}
            own["open sky"] = {"pixels": pixels}
        if scene.sky.cloud is not None:  # on the pixels of the sky
            own["light"]["cloud pixels"] = light["cloud pixels"] = max(pixels - lit + layers, 0.0)
        if scene.sky.deck is not None:  # marched for a ninth of all
            own["clouds"] = {"deck samples": pixels / DECK_PART**2 * DECK_STEPS}
            work.passes["clouds"] = dict(own["clouds"])
        work.sources[scene.sky.id] = own
    if scene.sun is not None:
        light["sun pixels"] = lit
        work.sources[scene.sun.id] = {"light": {"sun pixels": lit}}
        if scene.sun.shadow:
            reach, texels, maps = scene.sun.maps
            drawn = maps * _near(boxes, np.array(camera.eye), reach)
            sun = {"each": float(maps), "triangles": float(drawn), "texels": float(maps * texels**2)}
            work.passes["sun shadows"] = sun
            work.sources[scene.sun.id]["sun shadows"] = dict(sun)
            work.shadow_bytes += sun["texels"] * TEXEL_BYTES
    _count_lamps(work, light, boxes, scene, seen, each)
    work.passes["light"] = light
    work.passes["develop"] = {"pixels": pixels}
    return work


def _count_lamps(
    work: Work, light: dict[str, float], boxes: Boxes, scene: LitScene, seen: SeenSurfaces, each: float
) -> None:
    reached = _reached(scene, seen)
    casts = scene.lamps.casting
    shadows = {"tiles": 0.0, "triangles": 0.0, "texels": 0.0}
    for index, lamp_id in enumerate(scene.lamps.ids):
        count = float(reached[index].sum()) * each * (1.0 + seen.layers / max(len(seen.points), 1))
        if count == 0.0:
            work.sources[lamp_id] = {}
            continue
        own: dict[str, dict[str, float]] = {"light": {"lamp pixels": count}}
        light["lamp pixels"] += count
        if casts[index]:
            row = scene.lamps.rows[index]
            tiles = float(kind_of(row).tiles)
            place, reach = row["position"].astype(np.float64), float(row["range"])
            drawn = {
                "tiles": tiles,
                "triangles": float(_near(boxes, place, reach)),
                "texels": tiles * TILE**2,
            }
            own["light"]["shadowed lamp pixels"] = count
            own["lamp shadows"] = drawn
            light["shadowed lamp pixels"] += count
            for name, value in drawn.items():
                shadows[name] += value
            work.shadow_bytes += drawn["texels"] * TEXEL_BYTES
        work.sources[lamp_id] = own
    if shadows["tiles"]:
        work.passes["lamp shadows"] = shadows
    if reached.size:
        work.lamps_per_pixel = int(reached.sum(axis=0).max())
        work.shadowed_per_pixel = int(reached[casts].sum(axis=0).max()) if casts.any() else 0
