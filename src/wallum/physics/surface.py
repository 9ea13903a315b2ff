"""How a surface answers light: the standard's metallic-roughness model.

GGX with height-correlated Smith visibility, Schlick's Fresnel, Lambert's diffuse part, and
compensation for light that bounces between facets. Sources: glTF 2.0, appendix B; Turquin
2019 for the compensation.
Twin of shaders/include/surface.glsl.
"""

import numpy as np

from wallum.physics.arrays import Floats, dots, normalised

__all__ = ["MIN_ROUGHNESS", "reflectance_fit", "response"]

DIELECTRIC_F0 = 0.04
# Below this the highlight is smaller than a pixel and half floats overflow.
MIN_ROUGHNESS = 0.045


# Fits of our own to the model's directional integrals, computed with 65,536 samples at 24 x 24
# roughnesses and angles: the share that a mirror of F0 = 1 sends back, within 1.5 % on
# average and 6 % at worst; and the part of it that Fresnel's rise adds, within 0.007 and
# 0.06 (grazing). Twin of reflectance_fit in shaders/include/surface.glsl.
LOSS_OVER = (64.2309, -50.8168, -178.0137, 1000.0, -200.0137, 41.5353)
LOSS_UNDER = (543.6193, 115.8285, 306.4943)
RISE_3 = (0.42946, -0.29867, -0.19458)
RISE_6 = (0.70528, -2.37075, 1.81966)
RISE_0 = (-0.0102958, 0.0137478)


def reflectance_fit(roughness: Floats, n_dot_v: Floats) -> tuple[Floats, Floats]:
    """Scale and offset of F0 in the share of light that the gloss sends back."""
    r, n = np.asarray(roughness), np.asarray(n_dot_v)
    p, q = LOSS_OVER, LOSS_UNDER
    over = p[0] + p[1] * r + p[2] * n + p[3] * r * n + p[4] * n * n + p[5] * r * r
    under = q[0] * r * r + q[1] * n + q[2] * r * n + 0.1
    whole = np.clip(1.0 - r * r * over / under, 0.05, 1.0)
    x3 = (1.0 - n) * np.square(1.0 - n)
    rise = x3 * (RISE_3[0] + r * (RISE_3[1] + r * RISE_3[2]))
    rise = rise + x3 * x3 * (RISE_6[0] + r * (RISE_6[1] + r * RISE_6[2]))
    rise = np.clip(rise + RISE_0[0] + r * RISE_0[1], 0.0, whole)
    return whole - rise, rise


def response(
    base: Floats,
    metallic: Floats,
    roughness: Floats,
    normals: Floats,
    to_eye: Floats,
    to_light: Floats,
) -> Floats:
    """Luminance per illuminance-facing-the-light: BRDF times the cosine.

    base                       : (N, 3) linear; metallic, roughness : (N,)
    normals, to_eye, to_light  : (N, 3) unit
    Returns (N, 3) [1/sr].
    """
    metallic, rough = np.asarray(metallic), np.maximum(roughness, MIN_ROUGHNESS)
    half = normalised(to_eye + to_light)
    n_l = np.clip(dots(normals, to_light), 0.0, 1.0)
    n_v = np.clip(dots(normals, to_eye), 1e-3, 1.0)
    n_h = np.clip(dots(normals, half), 0.0, 1.0)
    l_h = np.clip(dots(to_light, half), 0.0, 1.0)
    a2 = np.square(np.square(rough))
    facets = a2 / (np.pi * np.square(np.square(n_h) * (a2 - 1.0) + 1.0))
    smith_l = n_l * np.sqrt(np.square(n_v) * (1.0 - a2) + a2)
    smith_v = n_v * np.sqrt(np.square(n_l) * (1.0 - a2) + a2)
    visible = 0.5 / np.maximum(smith_l + smith_v, 1e-5)
    scale, offset = reflectance_fit(rough, n_v)
    regained = 1.0 / (scale + offset) - 1.0
    gleam = facets * visible
    grazing = (1.0 - l_h) * np.square(np.square(1.0 - l_h))
    out = np.empty(np.shape(base), np.result_type(base, gleam))
    for k in range(3):  # a channel at a time: see arrays
        f0 = DIELECTRIC_F0 + (base[:, k] - DIELECTRIC_F0) * metallic
        diffuse = base[:, k] * (1.0 - metallic) / np.pi
        fresnel = f0 + (1.0 - f0) * grazing
        gloss = gleam * fresnel * (1.0 + f0 * regained)
        np.multiply(n_l, (1.0 - fresnel) * diffuse + gloss, out=out[:, k])
    return out
