"""The air between an eye and what it sees: what it keeps of the light, and what it adds.

Twin of shaders/include/air_light.glsl, where the parts are explained.
"""

import numpy as np
from numpy.typing import NDArray

from wallum.moment.scene import LitScene
from wallum.physics.arrays import Floats, dots, scaled
from wallum.physics.dome import FACTORS, irradiance
from wallum.physics.medium import henyey_greenstein, optical_depth

__all__ = ["air_between", "air_source"]


def air_source(scene: LitScene, directions: Floats) -> NDArray[np.float64]:
    """(N, 3) luminance of air too thick to see through, toward unit directions (N, 3) [cd/m2]."""
    out = np.zeros((3, len(directions)))  # a channel at a time: see arrays
    if scene.air is None:
        return out.T
    g = scene.air.forwardness
    if scene.sun is not None:
        out += np.outer(scene.sun.illuminance, henyey_greenstein(dots(directions, scene.sun.direction), g))
    if scene.sky is not None:
        mean, ahead = scene.sky.terms[0] * FACTORS[0], irradiance(scene.sky.terms, directions)
        forward = max(g, 0.0)
        out += ((1.0 - forward) * mean[:, None] + forward * ahead.T) / np.pi
    return (out * np.array(scene.air.albedo)[:, None]).T


def air_between(
    scene: LitScene, eye: Floats, directions: Floats, distance_m: Floats
) -> tuple[NDArray[np.float64], NDArray[np.float64]]:
    """What is kept (N,) and what is added (N, 3) [cd/m2] along ways from an eye (3,).

    directions : (N, 3) unit; distance_m : (N,)
    """
    air = scene.air
    if air is None:
        return np.ones(len(directions)), np.zeros((len(directions), 3))
    over = np.full(len(directions), float(eye[1]) - air.base_height)
    rise = np.asarray(directions)[:, 1]
    depth = optical_depth(air.extinction, air.scale_height, over, rise, np.minimum(distance_m, 2e5))
    kept = np.exp(-depth)
    return kept, scaled(air_source(scene, directions), 1.0 - kept)
