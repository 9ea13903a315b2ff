"""Luminous intensity, flux and illuminance of points and spots.

Source of the range window and of the cone's falloff: glTF 2.0 extension
KHR_lights_punctual (Khronos Group), sections "Range Property" and "Inner and Outer
Cone Angles". Twin of shaders/include/punctual.glsl.
"""

import numpy as np

from wallum.physics.arrays import Floats

__all__ = [
    "cone_falloff",
    "point_candela",
    "point_lumens",
    "punctual_illuminance",
    "range_window",
    "spot_candela",
    "spot_lumens",
    "spot_solid_angle",
]


def point_lumens(intensity_cd: float) -> float:
    """Flux of a point that shines alike in all directions [lm]: 4 pi I."""
    return 4.0 * np.pi * intensity_cd


def point_candela(flux_lm: float) -> float:
    """Intensity of a point from its flux [cd]."""
    return flux_lm / (4.0 * np.pi)


def spot_solid_angle(inner_rad: float, outer_rad: float) -> float:
    """Effective solid angle of a spot with squared falloff between its cones [sr].

    Integral of cone_falloff over the sphere: 2 pi ((1 - cos i) + (cos i - cos o) / 3).
    """
    inner, outer = np.cos(inner_rad), np.cos(outer_rad)
    return float(2.0 * np.pi * ((1.0 - inner) + (inner - outer) / 3.0))


def spot_lumens(intensity_cd: float, inner_rad: float, outer_rad: float) -> float:
    """Flux of a spot from its intensity on the axis [lm]."""
    return intensity_cd * spot_solid_angle(inner_rad, outer_rad)


def spot_candela(flux_lm: float, inner_rad: float, outer_rad: float) -> float:
    """Intensity on a spot's axis from its flux [cd]."""
    return flux_lm / spot_solid_angle(inner_rad, outer_rad)


def range_window(distance_m: Floats, range_m: Floats) -> Floats:
    """Factor that ends a light at its range [-]; range_m 0 means no end."""
    limited = np.asarray(range_m, dtype=np.float64) > 0.0
    ratio = np.asarray(distance_m) / np.where(limited, range_m, 1.0)
    return np.where(limited, np.clip(1.0 - ratio**4, 0.0, 1.0), 1.0)


def cone_falloff(cos_angle: Floats, cos_inner: Floats, cos_outer: Floats) -> Floats:
    """Factor of a spot at an angle from its axis [-]: squared ramp between the cones."""
    scale = 1.0 / np.maximum(np.asarray(cos_inner) - np.asarray(cos_outer), 1e-4)
    ramp = np.clip((np.asarray(cos_angle) - cos_outer) * scale, 0.0, 1.0)
    return ramp * ramp


def punctual_illuminance(to_source_m: Floats, normals: Floats, radius_m: Floats, range_m: Floats) -> Floats:
    """Illuminance per candela at receivers, without shadow and without a cone.

    to_source_m : (N, 3) receiver-to-source vectors [m]
    normals     : (N, 3) unit receiver normals
    radius_m    : (N,) or scalar; the inverse square is held at this distance [m]
    range_m     : (N,) or scalar; 0 for no limit [m]
    Returns (N,) [lx/cd]; 0 where the source is behind the receiver.
    """
    squared = np.einsum("ij,ij->i", to_source_m, to_source_m)
    distance = np.sqrt(squared)
    cosine = np.einsum("ij,ij->i", to_source_m, normals) / np.maximum(distance, 1e-9)
    near = np.maximum(squared, np.maximum(np.asarray(radius_m) ** 2, 1e-6))
    return np.clip(cosine, 0.0, None) / near * range_window(distance, range_m)
