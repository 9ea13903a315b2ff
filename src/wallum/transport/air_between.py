"""The air between an eye and what it sees: what it keeps of the light, and what it adds, lit alike all
along the way. Where the air is lit place by place, see air_lit.py.

Twin of shaders/include/air_light.glsl, where the parts are explained.
"""

import numpy as np
from numpy.typing import NDArray

from wallum.moment.scene import LitScene
from wallum.physics.arrays import Floats, dots
from wallum.physics.dome import scattered
from wallum.physics.medium import AIR_END_M, Layer, Medium, henyey_greenstein

__all__ = ["air_between", "air_depths", "air_kept", "air_source"]


def _scattered(
    scene: LitScene, directions: Floats, forwardness: float, share: Floats, own: Floats
) -> NDArray[np.float64]:
    """(N, 3) luminance of air too thick to see through, toward unit directions (N, 3) [cd/m2].

    share, own : (3,) RGB share of what it takes that it scatters, and its own light
    """
    out = np.zeros((3, len(directions)))  # a channel at a time: see arrays
    g = forwardness
    if scene.sun is not None:
        shown = scene.sun.illuminance * scene.sun.in_air
        out += np.outer(shown, henyey_greenstein(dots(directions, scene.sun.direction), g))
    if scene.sky is not None:
        out += scattered(scene.sky.air_terms, directions, g).T * scene.sky.in_air
    return np.asarray((out * share[:, None] + own[:, None]).T)


def air_source(scene: LitScene, layer: Layer, directions: Floats) -> NDArray[np.float64]:
    """(N, 3) luminance of a layer too thick to see through, toward unit directions (N, 3) [cd/m2]."""
    return _scattered(scene, directions, layer.forwardness, layer.scattered, np.array(layer.own))


def air_depths(air: Medium, eye: Floats, directions: Floats, distance_m: Floats) -> NDArray[np.float64]:
    """(layers and pockets, N, 3) RGB optical depths along ways from an eye (3,), of what is not clear.

    directions : (N, 3) unit; distance_m : (N,)
    """
    rise = np.asarray(directions)[:, 1]
    heights = np.full(len(directions), float(eye[1]))
    far = np.minimum(distance_m, AIR_END_M)
    near = np.minimum(far, air.clear_to)
    depths = air.depths(heights, rise, far)
    if air.clear_to > 0.0:
        depths = np.maximum(depths - air.depths(heights, rise, near), 0.0)
    layers = depths[:, :, None] * air.thickness[:, None, :]
    if not air.pockets:
        return layers
    more = [one.depth(eye, directions, far) - one.depth(eye, directions, near) for one in air.pockets]
    grey = np.repeat(np.maximum(np.stack(more), 0.0)[:, :, None], 3, axis=2)
    return np.concatenate([layers, grey])


def air_kept(scene: LitScene, eye: Floats, directions: Floats, distance_m: Floats) -> NDArray[np.float64]:
    """(N, 3) what is kept of light along ways from an eye (3,); see `air_depths`."""
    assert scene.air is not None, "a scene with air"
    depths = air_depths(scene.air, eye, directions, distance_m)
    return np.asarray(1.0 - scene.air.hides * -np.expm1(-depths.sum(axis=0)))


def air_between(
    scene: LitScene, eye: Floats, directions: Floats, distance_m: Floats
) -> tuple[NDArray[np.float64], NDArray[np.float64]]:
    """What is kept of light (N, 3) and what is added (N, 3) [cd/m2] along ways from an eye (3,).

    Layers and pockets add theirs by their part of what is taken: exact for one, and for several as far as
    they are mixed along the way.
    directions : (N, 3) unit; distance_m : (N,)
    """
    air = scene.air
    if air is None:
        return np.ones((len(directions), 3)), np.zeros((len(directions), 3))
    depths = air_depths(air, eye, directions, distance_m)
    whole = depths.sum(axis=0)
    kept = 1.0 - air.hides * -np.expm1(-whole)
    light = np.zeros_like(kept)
    for one, own in zip(air.layers, depths[: len(air.layers)], strict=True):
        light += air_source(scene, one, directions) * own
    for pocket, own in zip(air.pockets, depths[len(air.layers) :], strict=True):
        if own.any():
            albedo = np.array(pocket.albedo)
            light += _scattered(scene, directions, pocket.forwardness, albedo, np.array(pocket.own)) * own
    return kept, np.asarray(light / np.maximum(whole, 1e-30) * (1.0 - kept))
