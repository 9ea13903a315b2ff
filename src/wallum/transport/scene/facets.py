"""Ways on from a surface, by the facets that an eye sees of it. Heitz 2018, "Sampling the GGX Distribution of
Visible Normals"."""

import numpy as np
from numpy.typing import NDArray

from wallum.physics.arrays import Floats, dots, normalised, scaled

__all__ = ["facet_pdf", "seen_facets"]


def seen_facets(n: Floats, side: Floats, up: Floats, v: Floats, alpha: Floats, u: Floats) -> Floats:
    """Normals of facets that an eye sees, by how many it sees. Source: Heitz 2018."""
    # The eye in the facets' own frame, stretched; then two directions across it: (ax, ay, 0), (bx, by, flat).
    x, y, z = alpha * dots(v, side), alpha * dots(v, up), np.maximum(dots(v, n), 1e-3)
    length = np.sqrt(x * x + y * y + z * z)
    x, y, z = x / length, y / length, z / length
    flat = np.sqrt(x * x + y * y)
    upright = flat < 1e-7
    safe = np.where(upright, 1.0, flat)
    ax, ay = np.where(upright, 1.0, -y / safe), np.where(upright, 0.0, x / safe)
    bx, by = -z * ay, z * ax
    r, phi = np.sqrt(u[:, 0]), 2.0 * np.pi * u[:, 1]
    p1, p2 = r * np.cos(phi), r * np.sin(phi)
    s = 0.5 * (1.0 + z)
    p2 = (1.0 - s) * np.sqrt(np.maximum(1.0 - p1 * p1, 0.0)) + s * p2
    p3 = np.sqrt(np.maximum(1.0 - p1 * p1 - p2 * p2, 0.0))
    across, along = alpha * (p1 * ax + p2 * bx + p3 * x), alpha * (p1 * ay + p2 * by + p3 * y)
    upward = np.maximum(p2 * (x * ay - y * ax) + p3 * z, 1e-6)
    length = np.sqrt(across * across + along * along + upward * upward)
    return scaled(side, across / length) + scaled(up, along / length) + scaled(n, upward / length)


def facet_pdf(n: Floats, v: Floats, toward: Floats, alpha: Floats, share: Floats) -> NDArray[np.float64]:
    """(N,) probability density (pdf) of directions by both ways of picking them [1/sr]."""
    n_l, n_v = dots(n, toward), np.maximum(dots(n, v), 1e-3)
    half = normalised(v + toward)
    n_h = np.clip(dots(n, half), 0.0, 1.0)
    a2 = alpha * alpha
    facets = a2 / (np.pi * np.square(np.square(n_h) * (a2 - 1.0) + 1.0))
    seen = 2.0 * n_v / (n_v + np.sqrt(a2 + (1.0 - a2) * n_v**2))
    # Density of seen facets over 4 v.h, in which v.h cancels out.
    return np.asarray(share * facets * seen / (4.0 * n_v) + (1.0 - share) * n_l / np.pi)
