"""Light that comes to probes straight from the sources: from each, so that it can be scaled."""

from dataclasses import dataclass
from typing import Final

import numpy as np
from numpy.typing import NDArray

from wallum.moment.bounce_gains import strengths
from wallum.moment.kinds import kind_of
from wallum.moment.scene import LitScene, Sun
from wallum.moment.view import bounding_spheres
from wallum.physics.arrays import Floats, dots
from wallum.physics.cloud_shadow import ShadowMap
from wallum.physics.emitters import halton
from wallum.transport.field.cast import ProbeView
from wallum.transport.field.glow import glow_light
from wallum.transport.field.land import FAR_OFF_M, PATCHES, SAMPLES
from wallum.transport.field.probes import PLACES, Probes
from wallum.transport.field.sky_parts import sky_parts
from wallum.transport.scene.rays import LIFT_M, RayScene

__all__ = ["Direct", "direct_of"]

# Rays start this much off surfaces, beside what Embree's own numbers ask for.
OFF: Final = 20.0


@dataclass(frozen=True)
class Direct:
    """Light that one source of strength 1 brings straight to N probes (N, 3), and to the patches of land
    beyond them (L, 3)."""

    probes: NDArray[np.float32]
    land: NDArray[np.float64]


def direct_of(
    rays: RayScene,
    probes: Probes,
    seen: ProbeView,
    shining: NDArray[np.int64] | None,
    scene: LitScene,
    source_id: str,
    draft_quality: bool = False,
) -> Direct:
    """What one source of a scene brings, for a strength of 1: see moment.bounce_gains.
    shining : numbers of the probes that it is, where it is glow
    hurried : sun and moon at half of the places of each probe"""
    if shining is not None:
        return Direct(glow_light(rays, probes, shining), np.zeros((PATCHES, 3)))
    gain = strengths(scene)[source_id]
    if scene.sun is not None and scene.sun.id == source_id:
        over = 1.0 / np.maximum(gain, 1e-12)
        land, each = seen.beyond, PLACES // 2 if draft_quality else PLACES
        lit = _sun(rays, scene.sun, land.places + land.faces * FAR_OFF_M, land.faces)
        return Direct(
            _means(_sun(rays, scene.sun, *_spread(probes, each)), each) * over.astype(np.float32),
            land.lit(_means(lit, SAMPLES) * over),
        )
    if scene.sky is not None and scene.sky.id == source_id:
        parts = np.pi * sky_parts(scene.sky) / gain
        return Direct(seen.sky @ parts.astype(np.float32), seen.beyond.lit(seen.beyond.sky @ parts))
    index = scene.lamps.ids.index(source_id)
    return Direct(_lamp(rays, probes, scene, index), np.zeros((PATCHES, 3)))


def _spread(probes: Probes, each: int) -> tuple[NDArray[np.float64], NDArray[np.float64]]:
    """(N * each, 3) places of all probes, a little off their surfaces, and normals."""
    normals = probes.faces[:, :: PLACES // each].reshape(-1, 3).astype(np.float64)
    return probes.samples[:, :: PLACES // each].reshape(-1, 3) + normals * (LIFT_M * OFF), normals


def _means(values: Floats, each: int) -> NDArray[np.float32]:
    return values.reshape(-1, each, 3).mean(axis=1).astype(np.float32)


def _sun(rays: RayScene, sun: Sun, places: Floats, normals: Floats) -> NDArray[np.float32]:
    """(M, 3) illuminance of places, a little off their surfaces, and normals (..., 3) [lx]."""
    places, normals = places.reshape(-1, 3).astype(np.float64), normals.reshape(-1, 3).astype(np.float64)
    out = np.zeros((len(places), 3), np.float32)
    cosine = normals @ sun.direction
    rows = np.flatnonzero(cosine > 0.0)
    through: Floats = np.ones((len(rows), 3))
    if sun.shadow and len(rows):
        toward = np.broadcast_to(sun.direction, (len(rows), 3))
        endless = np.full(len(rows), np.inf, np.float32)
        through = rays.let_through(places[rows], toward.astype(np.float32), endless)
    clouds = None
    if sun.clouds is not None and len(places):
        clouds = ShadowMap(sun.clouds[0], np.stack([places.min(axis=0), places.max(axis=0)]))
    lit = np.flatnonzero(through.any(axis=1))
    own = rows[lit]
    out[own] = through[lit] * sun.at(places[own], clouds) * cosine[own, None]
    return out


def _lamp(rays: RayScene, probes: Probes, scene: LitScene, index: int) -> NDArray[np.float32]:
    lamps = scene.lamps
    row = lamps.rows[index : index + 1].copy()
    row["gobo_at"] = 0.0  # as moment.bounce_gains.bounce_keys has it
    kind = kind_of(row[0])
    centres, radii = bounding_spheres(lamps)
    away = probes.places - centres[index].astype(np.float32)
    near = np.flatnonzero(dots(away, away) < (radii[index] + 2.0 * probes.step) ** 2)
    out = np.zeros((len(probes), 3), np.float32)
    if not len(near):
        return out
    normals = probes.faces[near].reshape(-1, 3).astype(np.float64)
    places = probes.samples[near].reshape(-1, 3) + normals * (LIFT_M * OFF)
    # Its body by as many points as there are places, alike for all probes.
    u = np.stack([halton(0, PLACES, base) for base in (2, 3, 5)], axis=1)
    toward, reach, strength = kind.sample(row, places, np.tile(u, (len(near), 1)))
    cosine = dots(toward, normals)
    rows = np.flatnonzero((strength > 0.0) & (cosine > 0.0))
    light = np.zeros((len(places), 3))
    through: Floats = np.ones((len(rows), 3))
    if lamps.casting[index] and len(rows):
        free = (reach[rows] - 2.0 * LIFT_M).astype(np.float32)
        through = rays.let_through(places[rows], toward[rows].astype(np.float32), free)
    light[rows] = (strength * cosine)[rows, None] * through
    if scene.air is not None:
        light[rows] *= scene.air.between(
            np.broadcast_to(kind.origins(row, places[rows]), (len(rows), 3)), places[rows]
        )
    out[near] = _means(light, PLACES)
    return out
