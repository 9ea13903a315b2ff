"""Paths that light takes from the eye on, many at a time, and where they gather it."""

from dataclasses import dataclass

import numpy as np
from numpy.typing import NDArray

from wallum.physics.arrays import Floats

__all__ = ["PathStates", "add_light"]

ONES = np.ones(3, np.float32)


@dataclass
class PathStates:
    """Paths on their way: which pixel, where, whereto, what share of light they still carry; the density
    with which their way was taken [1/sr], infinite where nothing else could have found what they meet; the
    probe by which the surface that they left aims at the sky, -1 where none does."""

    pixel: NDArray[np.int64]
    origins: Floats
    directions: Floats
    weight: Floats
    density: Floats
    probe: NDArray[np.int64]

    @classmethod
    def alone(
        cls, pixel: NDArray[np.int64], origins: Floats, directions: Floats, weight: Floats
    ) -> "PathStates":
        """Paths of which what they meet is found by nothing else."""
        count = len(pixel)
        free = np.full(count, np.inf, np.float32), np.full(count, -1, np.int64)
        return cls(pixel, origins, directions, weight, *free)

    def only(self, keep: NDArray[np.int64]) -> "PathStates":
        return PathStates(*(getattr(self, name).take(keep, 0) for name in PathStates.__dataclass_fields__))

    def joined(self, other: "PathStates") -> "PathStates":
        both = ((getattr(self, name), getattr(other, name)) for name in PathStates.__dataclass_fields__)
        return PathStates(*(np.concatenate(pair) for pair in both))

    def chosen(self, rng: np.random.Generator, full: Floats) -> "PathStates":
        """Those of less than a `full` weight (N,) by chance, each with the more weight the less likely it
        goes on: what they gather stays the same in the mean. Arvo and Kirk 1990, "Russian roulette"."""
        chance = np.minimum(self.weight.max(axis=1, initial=0.0) / full, 1.0).astype(np.float32)
        stay = np.flatnonzero(rng.random(len(chance), np.float32) < chance)
        out = self.only(stay)
        out.weight = out.weight / chance[stay, None]
        return out

    def alive(self) -> NDArray[np.bool_]:
        """(N,) which of them still carry light."""
        return np.asarray((self.weight @ ONES) > 0.0)


def add_light(light: Floats, pixel: NDArray[np.int64], values: Floats) -> None:
    """Add to the light (P, 3) of pixels (N,), of which several may be the same, values (N, 3)."""
    for k in range(3):
        light[:, k] += np.bincount(pixel, values[:, k], len(light))
