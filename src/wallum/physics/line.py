"""Light of a tube: a thin Lambertian cylinder, in closed form.

An element ds of a thin cylinder of radius r and luminance L shows the projected area 2 r sin(a) ds, where a
is the
angle between its axis and the direction. With the receiver at distance h from the axis and s along it,
d^2 = h^2 + s^2 and sin(a) = h / d. The illuminance of a surface with normal n is then

    E = 2 r L h * integral of (q + s w) / (h^2 + s^2)^2 ds,    q = foot . n,  w = axis . n

clipped where q + s w > 0 (the receiver's horizon). Both parts are elementary. The ends of the cylinder are
left
out, and h is held at r or more. Sources: Lambert 1760 (projected area); Nishita, Okamura, Nakamae 1985,
"Shading
models for point and linear sources". GLSL twin: realtime/shaders/include/kinds/tube.glsl.
"""

import numpy as np

from wallum.physics.arrays import Floats, dots, scaled

__all__ = ["tube_illuminance", "tube_lumens", "tube_point_illuminance"]

# Below this cosine the axis counts as parallel to the surface.
PARALLEL = 1e-9


def tube_lumens(luminance_cd_m2: float, length_m: float, radius_m: float) -> float:
    """Flux of a tube's side [lm].

    luminance_cd_m2 : [cd/m2]; length_m, radius_m : [m]
    Returns pi L A with A = 2 pi r l, for a Lambertian surface.
    """
    return float(2.0 * np.pi**2 * luminance_cd_m2 * radius_m * length_m)


def _primitive(s: Floats, h: Floats) -> tuple[Floats, Floats]:
    """Antiderivatives of 1 / (h^2 + s^2)^2 and of s / (h^2 + s^2)^2, each (N,)."""
    squared = h * h + s * s
    return s / (2.0 * h * h * squared) + np.arctan(s / h) / (2.0 * h**3), -0.5 / squared


def tube_illuminance(
    to_centre_m: Floats, axis: Floats, length_m: Floats, radius_m: Floats, normals: Floats
) -> Floats:
    """Illuminance of surfaces by a tube of luminance 1, without shadow.

    to_centre_m        : (N, 3) from each receiver to the middle of the tube [m]
    axis               : (N, 3) or (1, 3) unit
    length_m, radius_m : (N,) or (1,) [m]
    normals            : (N, 3) unit normals of the receivers
    Returns (N,) [lx per cd/m2]. Valid for a thin tube; its ends are left out.
    """
    c = np.asarray(to_centre_m, dtype=np.float64)
    along = np.broadcast_to(np.asarray(axis, dtype=np.float64), c.shape)
    radius = np.broadcast_to(np.asarray(radius_m, dtype=np.float64), len(c))
    half = 0.5 * np.broadcast_to(np.asarray(length_m, dtype=np.float64), len(c))
    middle = dots(c, along)
    foot = c - scaled(along, middle)
    h = np.maximum(np.sqrt(dots(foot, foot)), np.maximum(radius, 1e-6))
    q, w = dots(foot, normals), dots(along, normals)
    edge = -q / np.where(np.abs(w) > PARALLEL, w, 1.0)
    first = np.where(w > PARALLEL, np.maximum(middle - half, edge), middle - half)
    last = np.where(w < -PARALLEL, np.minimum(middle + half, edge), middle + half)
    over = (last > first) & ((np.abs(w) > PARALLEL) | (q > 0.0))
    f_last, g_last = _primitive(last, h)
    f_first, g_first = _primitive(first, h)
    whole = 2.0 * radius * h * (q * (f_last - f_first) + w * (g_last - g_first))
    return np.where(over, np.maximum(whole, 0.0), 0.0)


def tube_point_illuminance(
    toward: Floats, squared_m2: Floats, axis: Floats, length_m: Floats, radius_m: Floats
) -> Floats:
    """Illuminance facing one point of a tube of luminance 1, if all of the tube shone from there.

    toward     : (N, 3) unit directions to the point
    squared_m2 : (N,) squared distance to it [m2]
    Returns (N,) [lx per cd/m2]; its mean over points of the axis is the illuminance of all.
    """
    cosine = dots(toward, np.broadcast_to(axis, toward.shape))
    sine = np.sqrt(np.maximum(1.0 - cosine**2, 0.0))
    return np.asarray(2.0 * radius_m * length_m * sine / np.maximum(squared_m2, np.asarray(radius_m) ** 2))
