"""Shadow maps of lamps and of the sun."""

import numpy as np

from wallum.frame.pass_spec import PassSpec
from wallum.frame.pass_work import TEXEL_BYTES, PassCounts, PassWork
from wallum.moment.kinds import kind_of

__all__ = ["LAMP_SHADOWS", "SUN_SHADOWS"]


def _lamps(asked: PassWork) -> PassCounts | None:
    lamps, tile = asked.scene.lamps, asked.quality.tile_sizes[0]
    counted = PassCounts({"tiles": 0.0, "triangles": 0.0, "texels": 0.0})
    for index, lamp_id in enumerate(lamps.ids):
        if not lamps.casting[index] or asked.lamp_pixels[index] == 0.0:
            continue
        row = lamps.rows[index]
        tiles = float(kind_of(row).tiles)
        drawn = asked.boxes.near(row["position"].astype(np.float64), float(row["range"]))
        own = {"tiles": tiles, "triangles": float(drawn), "texels": tiles * tile**2}
        counted.sources[lamp_id] = own
        for name, value in own.items():
            counted.whole[name] += value
        counted.shadow_bytes += own["texels"] * TEXEL_BYTES
    return counted if counted.sources else None


def _sun(asked: PassWork) -> PassCounts | None:
    sun = asked.scene.sun
    if sun is None or not sun.shadow:
        return None
    reach, texels, maps = sun.maps
    drawn = maps * asked.boxes.near(np.array(asked.camera.eye), reach)
    counts = {"each": float(maps), "triangles": float(drawn), "texels": float(maps * texels**2)}
    return PassCounts(counts, {sun.id: dict(counts)}, counts["texels"] * TEXEL_BYTES)


LAMP_SHADOWS = PassSpec("lamp shadows", ("tiles", "triangles", "texels"), _lamps)
SUN_SHADOWS = PassSpec("sun shadows", ("each", "triangles", "texels"), _sun)
