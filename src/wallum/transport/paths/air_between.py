"""The air between an eye and what it sees: what it keeps of the light, and what it adds, lit alike all
along the way. Where the air is lit place by place, see air_lit.py.

Twin of shaders/include/air_light.glsl, where the parts are explained.
"""

import numpy as np
from numpy.typing import NDArray

from wallum.moment.scene import AIR_ID, LitScene
from wallum.physics.arrays import Floats, dots
from wallum.physics.dome import scattered
from wallum.physics.medium import AIR_END_M, AirLayer, LinearFog, Medium, henyey_greenstein

__all__ = ["air_between", "air_depths", "air_kept", "air_parts", "air_source"]

# Straight fog shows the sky this far over the horizon, as sharply as this forwardness.
LEVEL, STRAIGHT_G = 0.05, 0.9


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


def air_source(scene: LitScene, layer: AirLayer, directions: Floats) -> NDArray[np.float64]:
    """(N, 3) luminance of a layer too thick to see through, toward unit directions (N, 3) [cd/m2]."""
    return _scattered(scene, directions, layer.forwardness, layer.scattered, np.array(layer.own))


def air_depths(air: Medium, eye: Floats, directions: Floats, distance_m: Floats) -> NDArray[np.float64]:
    """(layers and pockets, N, 3) RGB optical depths along ways from an eye (3,), or from one each (N, 3), of
    what is not clear.

    directions : (N, 3) unit; distance_m : (N,)
    """
    rise = np.asarray(directions)[:, 1]
    heights = np.broadcast_to(np.asarray(eye)[..., 1], len(directions))
    far = np.minimum(distance_m, AIR_END_M)
    depths = air.depths(heights, rise, far)
    more = [pocket.depth(eye, directions, far) for pocket in air.pockets]
    if air.clear_to > 0.0:
        near = np.minimum(far, air.clear_to)
        depths = np.maximum(depths - air.depths(heights, rise, near), 0.0)
        more = [
            np.maximum(depth - pocket.depth(eye, directions, near), 0.0)
            for pocket, depth in zip(air.pockets, more, strict=True)
        ]
    layers = depths[:, :, None] * air.thickness[:, None, :]
    if not more:
        return layers
    return np.concatenate([layers, np.repeat(np.stack(more)[:, :, None], 3, axis=2)])


def _hidden(fog: LinearFog, eye: Floats, directions: Floats, distance_m: Floats) -> NDArray[np.float64]:
    heights = np.broadcast_to(np.asarray(eye)[..., 1], len(directions))
    return fog.hidden(heights, np.asarray(directions)[:, 1], distance_m)


def straight_light(scene: LitScene, fog: LinearFog, directions: Floats) -> NDArray[np.float64]:
    """(N, 3) what straight fog shows toward unit directions (N, 3): the sky's light about the horizon, into
    which it goes over [cd/m2]."""
    if scene.sky is None:
        return np.zeros((len(directions), 3))
    level = np.asarray(directions, dtype=np.float64) * np.array([1.0, 0.0, 1.0]) + np.array([0.0, LEVEL, 0.0])
    level /= np.linalg.norm(level, axis=1, keepdims=True)
    return scattered(scene.sky.terms, level, STRAIGHT_G) * np.array(fog.colour)


def air_kept(scene: LitScene, eye: Floats, directions: Floats, distance_m: Floats) -> NDArray[np.float64]:
    """(N, 3) what is kept of light along ways from an eye (3,); see `air_depths`."""
    assert scene.air is not None, "a scene with air"
    if scene.air.straight is not None:
        return 1.0 - np.repeat(_hidden(scene.air.straight, eye, directions, distance_m)[:, None], 3, axis=1)
    depths = air_depths(scene.air, eye, directions, distance_m)
    return np.asarray(1.0 - scene.air.hides * -np.expm1(-depths.sum(axis=0)))


def air_parts(
    scene: LitScene, eye: Floats, directions: Floats, distance_m: Floats
) -> tuple[NDArray[np.float64], dict[str, NDArray[np.float64]]]:
    """What is kept of light (N, 3) along ways from an eye (3,), and what is added (N, 3) [cd/m2] by the
    layers together (AIR_ID), and by each pocket, by its id.

    Layers and pockets add theirs by their part of what is taken: exact for one, and for several as far as
    they are mixed along the way.
    directions : (N, 3) unit; distance_m : (N,)
    """
    air = scene.air
    assert air is not None, "a scene with air"
    if air.straight is not None:
        hidden = _hidden(air.straight, eye, directions, distance_m)[:, None]
        return 1.0 - np.repeat(hidden, 3, axis=1), {
            AIR_ID: straight_light(scene, air.straight, directions) * hidden
        }
    depths = air_depths(air, eye, directions, distance_m)
    whole = depths.sum(axis=0)
    selected = 1.0 - air.hides * -np.expm1(-whole)
    share = (1.0 - selected) / np.maximum(whole, 1e-30)
    out = {AIR_ID: np.zeros_like(selected)}
    for layer, own in zip(air.layers, depths[: len(air.layers)], strict=True):
        out[AIR_ID] += air_source(scene, layer, directions) * own * share
    for pocket, own in zip(air.pockets, depths[len(air.layers) :], strict=True):
        out[pocket.id] = np.zeros_like(selected)
        if own.any():
            albedo, light = np.array(pocket.albedo), np.array(pocket.own)
            out[pocket.id] = _scattered(scene, directions, pocket.forwardness, albedo, light) * own * share
    return selected, out


def air_between(
    scene: LitScene, eye: Floats, directions: Floats, distance_m: Floats
) -> tuple[NDArray[np.float64], NDArray[np.float64]]:
    """What is kept of light (N, 3) and all that is added (N, 3) [cd/m2] along ways; see `air_parts`."""
    if scene.air is None:
        return np.ones((len(directions), 3)), np.zeros((len(directions), 3))
    selected, parts = air_parts(scene, eye, directions, distance_m)
    return selected, np.sum(list(parts.values()), axis=0)
