"""What Embree does alone on this machine: the measure of what is built on it."""

import time
from typing import Final

import numpy as np

from wallum.transport.scene.rays import RayScene, rays_asked

__all__ = ["raw_rate"]

RAYS: Final = 400_000


def raw_rate(rays: RayScene) -> float:
    """Rays a second that Embree answers with next to nothing of ours around it."""
    rng = np.random.default_rng(1)
    origins = rng.uniform((-15.0, 0.5, -12.0), (15.0, 3.0, 12.0), (RAYS, 3)).astype(np.float32)
    directions = rng.normal(size=(RAYS, 3)).astype(np.float32)
    directions /= np.linalg.norm(directions, axis=1, keepdims=True)
    before, start = rays_asked(), time.perf_counter()
    rays.blocked(origins, directions, np.full(RAYS, np.inf, np.float32))
    return (rays_asked() - before) / (time.perf_counter() - start)
