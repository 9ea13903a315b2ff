"""How a surface answers light: the standard's metallic-roughness model.

GGX with height-correlated Smith visibility, Schlick's Fresnel, Lambert's diffuse part, and
compensation for light that bounces between facets. Sources: glTF 2.0, appendix B; Karis
2014 for the split-sum fit; Turquin 2019 for the compensation.
Twin of shaders/include/surface.glsl.
"""

import numpy as np
from numpy.typing import NDArray

from wallum.physics.arrays import Floats, normalised

__all__ = ["MIN_ROUGHNESS", "reflectance_fit", "response"]

DIELECTRIC_F0 = 0.04
# Below this the highlight is smaller than a pixel and half floats overflow.
MIN_ROUGHNESS = 0.045


def reflectance_fit(roughness: Floats, n_dot_v: Floats) -> tuple[Floats, Floats]:
    """Scale and offset of F0 in the directional reflectance of the gloss (Karis's fit)."""
    r = np.asarray(roughness)
    x, y, z, w = 1.0 - r, -0.0275 * r + 0.0425, -0.572 * r + 1.04, 0.022 * r - 0.04
    a004 = np.minimum(x * x, 2.0 ** (-9.28 * np.asarray(n_dot_v))) * x + y
    return -1.04 * a004 + z, 1.04 * a004 + w


def response(
    base: Floats,
    metallic: Floats,
    roughness: Floats,
    normals: Floats,
    to_eye: Floats,
    to_light: Floats,
) -> NDArray[np.float64]:
    """Luminance per illuminance-facing-the-light: BRDF times the cosine.

    base                       : (N, 3) linear; metallic, roughness : (N,)
    normals, to_eye, to_light  : (N, 3) unit
    Returns (N, 3) [1/sr].
    """
    rough = np.maximum(roughness, MIN_ROUGHNESS)[:, None]
    f0 = DIELECTRIC_F0 + (base - DIELECTRIC_F0) * np.asarray(metallic)[:, None]
    diffuse = base * (1.0 - np.asarray(metallic))[:, None]
    half = normalised(to_eye + to_light)
    n_l = np.clip(np.sum(normals * to_light, axis=1, keepdims=True), 0.0, 1.0)
    n_v = np.clip(np.sum(normals * to_eye, axis=1, keepdims=True), 1e-3, 1.0)
    n_h = np.clip(np.sum(normals * half, axis=1, keepdims=True), 0.0, 1.0)
    l_h = np.clip(np.sum(to_light * half, axis=1, keepdims=True), 0.0, 1.0)
    a2 = rough**4
    facets = a2 / (np.pi * (n_h**2 * (a2 - 1.0) + 1.0) ** 2)
    smith_l = n_l * np.sqrt(n_v**2 * (1.0 - a2) + a2)
    smith_v = n_v * np.sqrt(n_l**2 * (1.0 - a2) + a2)
    visible = 0.5 / np.maximum(smith_l + smith_v, 1e-5)
    fresnel = f0 + (1.0 - f0) * (1.0 - l_h) ** 5
    scale, offset = reflectance_fit(rough, n_v)
    compensation = 1.0 + f0 * (1.0 / (scale + offset) - 1.0)
    gloss = facets * visible * fresnel * compensation
    return n_l * ((1.0 - fresnel) * diffuse / np.pi + gloss)
