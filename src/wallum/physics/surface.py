"""How a surface answers light: the standard's metallic-roughness model.

GGX with height-correlated Smith visibility, Schlick's Fresnel, Lambert's diffuse part, and
compensation for light that bounces between facets. What lies under a dielectric's gloss has what
that leaves of the light on its way in and out, so that a white surface in even light is as bright
as that, whatever its roughness. Sources: glTF 2.0, appendix B; Turquin 2019 for the compensation;
Kelemen, Szirmay-Kalos 2001 for the light that is left.
Twin of shaders/include/surface.glsl.
"""

import numpy as np

from wallum.physics.arrays import Floats, dots, normalised
from wallum.physics.gloss_table import DIELECTRIC_F0, MIN_ROUGHNESS, falling, look_up

__all__ = ["MIN_ROUGHNESS", "fresnel", "gloss_terms", "response"]

# What reflects less than this, looked at straight, reflects less than all at grazing angles: no real
# matter does, it stands for what a gloss is dimmed by. Source: Lagarde, de Rousiers 2014.
FULL_AT_EDGE_F0 = 0.02


def _at_edge(f0: Floats | float) -> Floats:
    """Reflectance at grazing angles of what reflects f0 looked at straight."""
    return np.minimum(np.asarray(f0) / FULL_AT_EDGE_F0, 1.0)


def fresnel(f0: Floats | float, cosine: Floats | float) -> Floats:
    """(N,) share of light that a smooth dielectric reflects at a cosine. Source: Schlick 1994."""
    return f0 + (_at_edge(f0) - f0) * (1.0 - cosine) ** 5


def gloss_terms(
    base: Floats, metallic: Floats, whole: Floats, f0: Floats | float = DIELECTRIC_F0
) -> tuple[Floats, Floats]:
    """Fresnel's reflectance with compensation, as value + rise * (1 - cosine)^5: of metal and of
    dielectric, by their shares.

    base : a channel; whole : share that a mirror of F0 = 1 sends back; f0 : of the dielectric
    """
    regained = 1.0 / whole - 1.0
    metal = metallic * (1.0 + base * regained)
    other = (1.0 - metallic) * (1.0 + f0 * regained)
    return metal * base + other * f0, metal * (1.0 - base) + other * (_at_edge(f0) - f0)


def _left(f0: Floats | float, scale: Floats, offset: Floats) -> Floats:
    """(N,) share of even light that a dielectric's gloss leaves for what lies under it."""
    sent = f0 * scale + _at_edge(f0) * offset
    return 1.0 - sent * (1.0 + f0 * (1.0 / (scale + offset) - 1.0))


def response(
    base: Floats,
    metallic: Floats,
    roughness: Floats,
    normals: Floats,
    to_eye: Floats,
    to_light: Floats,
    f0: Floats | None = None,
) -> Floats:
    """Luminance per illuminance-facing-the-light: BRDF times the cosine.

    base                       : (N, 3) linear; metallic, roughness : (N,)
    normals, to_eye, to_light  : (N, 3) unit
    f0                         : (N,) reflectance of what is not metal; 0.04 by default
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
    scale, offset, selected, steep = look_up(rough, n_v).T
    gleam = facets * visible
    grazing = (1.0 - l_h) * np.square(np.square(1.0 - l_h))
    under = (1.0 - metallic) * selected * (1.0 - steep * falling(rough, n_l)) / np.pi
    other: Floats | float = DIELECTRIC_F0
    if f0 is not None:
        other = f0
        under = under * (_left(f0, scale, offset) / _left(DIELECTRIC_F0, scale, offset))
    out = np.empty(np.shape(base), np.result_type(base, gleam))
    for k in range(3):  # a channel at a time: see arrays
        value, rise = gloss_terms(base[:, k], metallic, scale + offset, other)
        np.multiply(n_l, base[:, k] * under + gleam * (value + rise * grazing), out=out[:, k])
    return out
