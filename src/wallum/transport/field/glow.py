"""Light of surfaces that glow, as probes see it: each shining probe is a disc of what it stands for."""

from dataclasses import dataclass
from typing import Final

import numpy as np
from numpy.typing import NDArray

from wallum.moment.bounce_gains import glow_of
from wallum.physics.arrays import dots
from wallum.physics.colour import luminance
from wallum.transport.field.probes import Probes
from wallum.transport.rays import RayScene

__all__ = ["Shining", "find_shining", "glow_light"]

# Light of a shining probe on another that is less than this is not worth a ray [lx].
LEAST_LX: Final = 2e-3
LIFT_M: Final = 5e-3


@dataclass(frozen=True)
class Shining:
    """Probes whose surfaces shine, by id of the glow that they belong to: their numbers."""

    groups: dict[str, NDArray[np.int64]]

    @property
    def ids(self) -> tuple[str, ...]:
        return tuple(self.groups)


def find_shining(probes: Probes, kinds: tuple[str, ...]) -> Shining:
    """Which probes shine. kinds : by part of the level, the id of its glow"""
    shine = np.flatnonzero(probes.glow.any(axis=1))
    own = np.array([kinds[part] if part < len(kinds) else glow_of("") for part in probes.part[shine]])
    return Shining({one: shine[own == one] for one in sorted(set(own.tolist()))})


def glow_light(rays: RayScene, probes: Probes, shining: NDArray[np.int64]) -> NDArray[np.float32]:
    """(N, 3) illuminance of probes by some of them, as their glow is declared [lx]. A disc's light by area
    and distance, exact on its axis (Howell, configuration factors: pi r2 / (r2 + d2))."""
    out = np.zeros((len(probes), 3), np.float32)
    places, normals = probes.places.astype(np.float64), probes.normals.astype(np.float64)
    for number in shining.tolist():
        area = max(float(probes.shines_over[number]), 1e-9)
        light = probes.glow[number].astype(np.float64) * (float(probes.area[number]) / area)
        bright = np.pi * float(luminance(light))
        its_place, its_normal = (
            one[number].astype(np.float64) for one in (probes.shines_at, probes.shines_toward)
        )
        way = its_place - places
        squared = dots(way, way)
        near = np.flatnonzero((squared < bright * area / np.pi / LEAST_LX) & (squared > 0.0))
        length = np.sqrt(squared[near])
        toward = way[near] / length[:, None]
        own, its = dots(toward, normals[near]), -(toward @ its_normal)
        share = area * np.maximum(own, 0.0) * np.maximum(its, 0.0) / (np.pi * length**2 + area)
        strong = np.flatnonzero(share * bright > LEAST_LX)
        near, share = near[strong], share[strong]
        start = places[near] + normals[near] * LIFT_M
        free = its_place + its_normal * LIFT_M - start
        far = np.sqrt(dots(free, free))
        ways = (free / np.maximum(far, 1e-4)[:, None]).astype(np.float32)
        seen = ~rays.blocked(start.astype(np.float32), ways, (far * 0.999).astype(np.float32))
        out[near[seen]] += (np.pi * share[seen, None] * light).astype(np.float32)
    return out
