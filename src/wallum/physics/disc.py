"""Illuminance by a uniform disc light in closed form.

The illuminance by a uniform source is half its luminance times an integral around its edge (Lambert 1760;
Stokes' theorem). For a circle clipped by the horizon of the receiver all parts of it are elementary.
GLSL twin: realtime/shaders/include/kinds/panel.glsl.
"""

import numpy as np

from wallum.physics.arrays import Floats, dots, scaled
from wallum.physics.frames import frame_of

__all__ = ["disc_illuminance", "disc_lumens"]

# Below this share of p the receiver counts as on the axis, where two terms have a limit.
ON_AXIS = 1e-9


def disc_lumens(luminance_cd_m2: float, radius_m: float) -> float:
    """Flux of a disc that shines to one side.

    luminance_cd_m2 : [cd/m2]
    radius_m        : [m]
    Returns pi L A [lm], for a Lambertian source.
    """
    return float(np.pi**2 * luminance_cd_m2 * radius_m**2)


def disc_illuminance(to_centre_m: Floats, facing: Floats, radius_m: Floats, normals: Floats) -> Floats:
    """Illuminance by a disc of luminance 1, without shadow. Parts below the receiver's horizon do not count.

    to_centre_m : (N, 3) from each receiver to the centre of the disc [m]
    facing      : (N, 3) or (1, 3) unit normal of the disc
    radius_m    : (N,) or (1,) [m]
    normals     : (N, 3) unit normals of the receivers
    Returns (N,) [lx per cd/m2]; 0 behind the disc. Source: Lambert 1760; see the module.
    """
    c = np.asarray(to_centre_m, dtype=np.float64)
    w = np.broadcast_to(np.asarray(facing, dtype=np.float64), c.shape)
    n = np.broadcast_to(np.asarray(normals, dtype=np.float64), c.shape)
    a = np.broadcast_to(np.asarray(radius_m, dtype=np.float64), len(c))
    before = -dots(c, w)
    h = np.maximum(before, 1e-9)
    # Axes of the disc: u points away from the receiver, in the plane of the disc.
    aside = c + scaled(w, before)
    rho = np.sqrt(dots(aside, aside))
    any_side, _ = frame_of(w)
    u = np.where((rho > 1e-9)[:, None], scaled(aside, 1.0 / np.maximum(rho, 1e-12)), any_side)
    v = np.cross(w, u)
    n_u, n_v, n_w = dots(n, u), dots(n, v), dots(n, w)
    level, largest = rho * n_u - h * n_w, a * np.hypot(n_u, n_v)
    middle = np.arctan2(n_v, n_u)
    share = np.clip(-level / np.maximum(largest, 1e-30), -1.0, 1.0)
    half = np.where(level >= largest, np.pi, np.where(level <= -largest, 0.0, np.arccos(share)))
    around = (a * a * n_w, a * (rho * n_w + h * n_u), a * h * n_v)
    sizes = (rho * rho + h * h + a * a, 2.0 * a * rho)
    arc = _primitive(middle + half, *around, *sizes) - _primitive(middle - half, *around, *sizes)
    cut = (half > 0.0) & (half < np.pi)
    last, first = (
        c + scaled(u, a * np.cos(t)) + scaled(v, a * np.sin(t)) for t in (middle + half, middle - half)
    )
    crossed = np.cross(last, first)
    angle = np.arctan2(np.sqrt(dots(crossed, crossed)), dots(last, first))
    chord = np.where(cut, np.sign(dots(crossed, n)) * angle, 0.0)
    return np.where((before > 0.0) & (half > 0.0), np.maximum(-0.5 * (arc + chord), 0.0), 0.0)


def _primitive(t: Floats, alpha: Floats, beta: Floats, gamma: Floats, p: Floats, q: Floats) -> Floats:
    """Antiderivative of (alpha + beta cos t + gamma sin t) / (p + q cos t), continuous in t, for p > q >= 0.

    All arguments are (N,). Near q = 0 two terms are replaced by their limits.
    """
    s = np.sqrt(np.maximum(p * p - q * q, 1e-30))
    sine, cosine = np.sin(t), np.cos(t)
    part = sine / (p + s + q * cosine)
    near = q <= ON_AXIS * p
    safe = np.where(near, 1.0, q)
    turned = np.where(near, part, np.arctan(q * part) / safe)
    plain = (t - 2.0 * q * turned) / s
    by_cosine = -t * q / (s * (s + p)) + 2.0 * p * turned / s
    by_sine = np.where(near, -cosine / p, -np.log(p + q * cosine) / safe)
    return alpha * plain + beta * by_cosine + gamma * by_sine
