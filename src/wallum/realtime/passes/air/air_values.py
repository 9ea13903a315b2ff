"""The air as shaders read it."""

from dataclasses import replace
from functools import lru_cache
from typing import Final

import numpy as np

from wallum.memo import Memo
from wallum.moment.scene import LitScene
from wallum.physics.dome import FACTORS
from wallum.physics.medium import AirLayer, Medium
from wallum.realtime.gl.view import View, pre_exposure

__all__ = ["air_dims", "air_features", "air_uniforms", "seen_features", "thickened", "was_uniforms"]

# Several passes of one picture ask for the same.
_DIMS: Final = Memo[bool](8)
_VALUES: Final = Memo[dict[str, object]](8)
# Light that loses less than this on its way to a surface is taken as whole: a fourteenth of a stop.
MIN_LOST = 0.05
# How far a lamp without a range is taken to shine [m].
FAR_LAMP_M = 100.0


def air_features(air: Medium) -> frozenset[str]:
    """The variant of include/air.glsl that it needs."""
    return frozenset({"MIST"} if len(air.layers) > 1 else ())


def seen_features(air: Medium) -> frozenset[str]:
    """The variant of include/air_light.glsl that it needs."""
    there = {
        "SHAFTS": air.in_volume,
        "POCKETS": bool(air.pockets),
        "CLEAR": air.clear_to > 0.0,
        "TINTED": air.tinted,
        "STRAIGHT": air.straight is not None,
    }
    return air_features(air) | {name for name, used in there.items() if used}


def air_dims(scene: LitScene, low: float, high: float) -> bool:
    """Whether the air takes a noticeable part of light before that comes to surfaces between two heights [m]:
    of lamps by their ranges, of sun and moon by how deep in it a surface lies."""
    air, far = scene.air, scene.sun
    if air is None:
        return False
    return _DIMS.get(lambda: _dims(scene, air, low, high), air, far, scene.lamps.rows, also=(low, high))


def _dims(scene: LitScene, air: Medium, low: float, high: float) -> bool:
    heights = np.linspace(low, high, 16)
    if scene.sun is not None and scene.sun.through is not None:
        share = air.from_far(heights, scene.sun.through[1])
        if np.abs(share - 1.0).max() > MIN_LOST:
            return True
    reach = scene.lamps.rows["range"]
    longest = float(np.where(reach > 0.0, reach, FAR_LAMP_M).max(initial=0.0))
    return float(air.extinction(heights).max()) * longest > MIN_LOST


@lru_cache(maxsize=32)
def _of_layer(layer: AirLayer, eye_y: float) -> dict[str, tuple[float, ...]]:
    over, g = eye_y - layer.base_height, layer.forwardness
    column = layer.scale_height - float(layer.above(np.array([eye_y]))[0])
    thinned = float(layer.density(np.array([eye_y]))[0])
    return {
        "air_layer": (layer.extinction, 1.0 / layer.scale_height, layer.base_height, layer.scale_height),
        "air_eye": (over, column, thinned, g),
        "air_lobe": (1.0 + g * g, 2.0 * g, (1.0 - g * g) / (4.0 * np.pi)),
        "air_thick": tuple(layer.thickness),
        "air_scatter": tuple(layer.scattered),
        "air_own": layer.own,
    }


def thickened(was: Medium, now: Medium) -> bool:
    """Whether air is as it was but for how much of it there is at each height, and what colour that has."""
    if len(was.layers) != len(now.layers):
        return False
    layers = tuple(
        replace(layer, forwardness=other.forwardness, own=other.own)
        for layer, other in zip(was.layers, now.layers, strict=True)
    )
    return replace(now, layers=layers, clear_to=was.clear_to, hides=was.hides) == was


def was_uniforms(was: Medium) -> dict[str, object]:
    """Values of air_sum.comp.glsl with WAS."""
    rows = [
        (layer.extinction, 1.0 / layer.scale_height, layer.base_height, layer.scale_height)
        for layer in was.layers
    ]
    scattered = [layer.thickness * layer.scattered for layer in was.layers]
    return {
        "was_layer": np.array(rows, np.float32).tobytes(),
        "was_scattered": np.array(scattered, np.float32).tobytes(),
    }


def air_uniforms(scene: LitScene, view: View) -> dict[str, object]:
    """Values of include/air.glsl and air_light.glsl, but for the volume; not to be changed."""
    air = scene.air
    if air is None:
        return {}
    of = air, scene.sun, scene.sky, scene.look
    return _VALUES.get(lambda: _uniforms(scene, air, view.camera.eye[1]), *of, also=view.camera.eye[1])


def _uniforms(scene: LitScene, air: Medium, eye_y: float) -> dict[str, object]:
    exposure = pre_exposure(scene.look.ev100)
    layers = [_of_layer(layer, eye_y) for layer in air.layers]
    out: dict[str, object] = {}
    for name in layers[0]:
        gain = exposure if name == "air_own" else 1.0
        rows = np.array([layer[name] for layer in layers], dtype=np.float32) * np.float32(gain)
        out[name] = rows.tobytes()
    through = scene.sun.through if scene.sun is not None else None
    out["air_mass"] = 0.0 if through is None else through[1]
    out["air_fakes"] = (air.clear_to, air.hides)
    if scene.sky is not None:
        terms = scene.sky.air_terms * FACTORS[:, None] * exposure
        out["sky_terms"] = terms.astype("f4").tobytes()
    far = tuple(1.0 if item is None else item.in_air for item in (scene.sun, scene.sky))
    shadows = tuple(item is None or item.air_shadow for item in (scene.sun, scene.sky))
    if air.straight is not None:
        fog = air.straight
        out["straight_fog"] = (fog.start, 1.0 / (fog.end - fog.start), fog.end, fog.strength)
        out |= {"straight_top": (fog.top, 1.0 / fog.fade), "straight_colour": fog.colour}
    out |= {"air_shares": far, "air_shadows": tuple(map(float, shadows))}
    return out
