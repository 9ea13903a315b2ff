"""Light of surfaces that glow, as probes see it: each shining probe is a disc of what it stands for."""

from dataclasses import dataclass
from typing import Final

import numpy as np
from numpy.typing import NDArray

from wallum.moment.bounce_gains import glow_of
from wallum.physics.arrays import Floats, dots, normalised
from wallum.physics.colour import luminance
from wallum.transport.field.probes import PLACES, Probes
from wallum.transport.scene.rays import RayScene

__all__ = ["GlowingProbes", "find_shining", "glow_light", "shares_of"]

# Light of a shining probe on another that is less than this is not worth a ray [lx].
MIN_LX: Final = 2e-3
# Of one that may have more than this, more is looked at than its middle.
SEVERAL_LX: Final = 0.25
LIFT_M: Final = 5e-3


@dataclass(frozen=True)
class GlowingProbes:
    """Probes whose surfaces shine, by id of the glow that they belong to: their numbers."""

    groups: dict[str, NDArray[np.int64]]

    @property
    def ids(self) -> tuple[str, ...]:
        return tuple(self.groups)


def find_shining(probes: Probes, kinds: tuple[str, ...]) -> GlowingProbes:
    """Which probes shine. kinds : by part of the level, the id of its glow"""
    shine = np.flatnonzero(probes.glow.any(axis=1))
    own = np.array([kinds[part] if part < len(kinds) else glow_of("") for part in probes.part[shine]])
    return GlowingProbes({item: shine[own == item] for item in sorted(set(own.tolist()))})


def glow_light(rays: RayScene, probes: Probes, shining: NDArray[np.int64]) -> NDArray[np.float32]:
    """(N, 3) illuminance of probes by some of them, as their glow is declared [lx]. What is near is lit by
    several places of theirs, at as many of its own; what is far by all from the middle."""
    out = np.zeros((len(probes), 3), np.float32)
    for number in shining.tolist():
        area = max(float(probes.shines_over[number]), 1e-9)
        light = probes.glow[number] * (float(probes.area[number]) / area)
        at, toward = probes.shines_at[number], probes.shines_toward[number]
        # On its axis, far away, times its distance squared.
        on_axis = float(luminance(light.astype(np.float64))) * area
        middle, faces = at.mean(axis=0), normalised(toward.mean(axis=0, keepdims=True))[0]
        offsets = middle - probes.places
        squared = np.einsum("nk,nk->n", offsets, offsets)
        close = squared < on_axis / SEVERAL_LX
        own, its = np.einsum("nk,nk->n", offsets, probes.normals), -(offsets @ faces)
        lit = (own > 0.0) & (own * its * on_axis > MIN_LX * squared**2)
        near, far = np.flatnonzero(close), np.flatnonzero(lit & ~close)
        shares = shares_of(rays, middle, faces, area, probes.places[far], probes.normals[far])
        out[far] += np.pi * shares[:, None] * light
        discs, facing = (np.tile(item, (len(near), 1)) for item in (at, toward))
        places, normals = (item[near].reshape(-1, 3) for item in (probes.samples, probes.faces))
        pieces = shares_of(rays, discs, facing, area / PLACES, places, normals)
        shares = pieces.reshape(-1, PLACES).sum(axis=1)
        out[near] += np.pi * shares[:, None] * light
    return out


def shares_of(
    rays: RayScene, at: Floats, toward: Floats, area: float | Floats, places: Floats, normals: Floats
) -> NDArray[np.float32]:
    """(N,) how much discs, their middles and the ways they face (N or 1, 3) and their area, fill of what
    surfaces at places with normals (N, 3) see, by the cosine; 0 where something is between. Exact on a disc's
    axis (Howell, configuration factors: pi r2 / (r2 + d2))."""
    offsets = at - places
    squared = np.maximum(dots(offsets, offsets), 1e-12)
    own, its = dots(offsets, normals), -dots(offsets, np.broadcast_to(toward, offsets.shape))
    out = area * np.maximum(own, 0.0) * np.maximum(its, 0.0) / ((np.pi * squared + area) * squared)
    rows = np.flatnonzero(out)
    start = places[rows] + normals[rows] * LIFT_M
    free = offsets[rows] + (np.broadcast_to(toward, offsets.shape)[rows] - normals[rows]) * LIFT_M
    length = np.maximum(np.sqrt(dots(free, free)), 1e-4)
    to = (free / length[:, None]).astype(np.float32)
    hidden = rays.blocked(start.astype(np.float32), to, (length * 0.999).astype(np.float32))
    out[rows[hidden]] = 0.0
    return np.asarray(out, np.float32)
