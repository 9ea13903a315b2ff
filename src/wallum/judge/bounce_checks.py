"""Checks of light that comes back from surfaces: where nothing knows of it, and where it should not be."""

from collections.abc import Iterable, Iterator
from dataclasses import dataclass
from typing import Final

import numpy as np
from numpy.typing import NDArray
from scipy.sparse import csr_matrix, diags
from scipy.sparse.csgraph import connected_components

from wallum.judge.findings import Finding
from wallum.moment.bounce_gains import bounce_gains
from wallum.moment.scene import LitScene
from wallum.physics.arrays import Floats
from wallum.physics.colour import luminance
from wallum.transport.field.bounce import BounceField, Field
from wallum.transport.scene.inside import inside_solids
from wallum.transport.scene.surfaces import SeenSurfaces

__all__ = ["leaks", "places_without", "within_bodies"]

# Of a shot's surfaces: the share without probes that is worth a word, and that with probes inside bodies; a
# probe is taken so far before its surface [m].
WITHOUT, WITHIN, BEFORE_M = 0.05, 0.03, 0.02
# Probes belong together that are neighbours of one side, or where one fills so much of the other's view.
TOGETHER: Final = 0.01
# One that sees so much of the sky, or of land, looks out.
LOOKS_OUT: Final = 0.03
# A room has so many probes; a larger gap is a window; light must be so many stops under that outside.
ROOM, GAP_M2, STOPS = 40, 0.2, 14.0


def places_without(shots: Iterable[tuple[str, SeenSurfaces]], made: Field) -> Iterator[Finding]:
    """Surfaces of shots that no probe stands for, within the part of the level that has probes."""
    for name, seen in shots:
        _, within = made.probes.cell_of(seen.points, seen.normals)
        missing = within & (made.probes.find(seen.points, seen.normals) < 0)
        share = float(missing.mean()) if len(missing) else 0.0
        if share > WITHOUT:
            x, y, z = np.median(seen.points[missing], axis=0)
            text = (
                f"{share:.0%} of what {name} shows, about ({x:.1f}, {y:.1f}, {z:.1f}), has no probe: it gets "
                "no light from surfaces. Turn its faces to their fronts, or give them two sides"
            )
            yield Finding("place without probes", name, "warning", text)


def within_bodies(bounce: BounceField, shots: Iterable[tuple[str, SeenSurfaces]]) -> Iterator[Finding]:
    """Surfaces of shots whose probes lie inside closed bodies: what those know is dark."""
    probes = bounce.made.probes
    for name, seen in shots:
        result = probes.find(seen.points, seen.normals)
        used, pixels = np.unique(result[result >= 0], return_counts=True)
        # Its light is taken at several places: most of them tell.
        places: Floats = probes.samples[used] + probes.faces[used] * np.float32(BEFORE_M)
        each = inside_solids(bounce.rays, places.reshape(-1, 3)).reshape(places.shape[:2])
        inside, places = each.mean(axis=1) > 0.5, probes.places[used]
        share = float(pixels[inside].sum() / max(len(result), 1))
        if share > WITHIN:
            x, y, z = places[inside][np.argmax(pixels[inside])].tolist()
            text = (
                f"{share:.0%} of what {name} shows, most about ({x:.1f}, {y:.1f}, {z:.1f}), has its probe "
                "inside a body and is too dark: take away faces that lie within others"
            )
            yield Finding("probe inside a solid", name, "warning", text)


@dataclass(frozen=True)
class _ProbeRoom:
    """Probes that see next to nothing but each other, and how large is what they see through [m2]."""

    probes: NDArray[np.int64]
    gap: float


def leaks(lit: Iterable[tuple[BounceField, LitScene]]) -> Iterator[Finding]:
    """Closed rooms that light from outside gets into, at its brightest hour.

    lit : what probes have, and the scene, by hour
    """
    bounce, scene = max(lit, key=lambda item: _sunlight(item[1]))
    built = bounce.made
    rooms = [room for room in _rooms(built) if room.gap > 0.0]
    before = _on_open_ground(scene)
    if before <= 0.0 or not rooms:
        return
    light = luminance(_of_far(bounce, scene))
    for room in rooms:
        got = float(light[room.probes].mean())
        down = np.log2(max(before, 1e-12) / max(got, 1e-12))
        if down < STOPS:
            place = built.probes.places[room.probes[np.argmax(light[room.probes])]]
            x, y, z = place.tolist()
            text = (
                f"light from outside gets into a closed room at ({x:.1f}, {y:.1f}, {z:.1f}), only {down:.1f} "
                f"stops down, by a gap of about {room.gap:.2g} m2: close it, or lay the walls over each other"
            )
            yield Finding("leak", f"{x:.1f},{y:.1f},{z:.1f}", "warning", text)


def _sunlight(scene: LitScene) -> float:
    return 0.0 if scene.sun is None else float(luminance(scene.sun.illuminance))


def _on_open_ground(scene: LitScene) -> float:
    """What level ground has under the whole sky [lx]."""
    sun, sky = scene.sun, scene.sky
    straight = 0.0 if sun is None else _sunlight(scene) * max(float(sun.direction[1]), 0.0)
    return straight + (0.0 if sky is None else float(luminance(np.maximum(sky.terms[0], 0.0))))


def _of_far(bounce: BounceField, scene: LitScene) -> NDArray[np.float64]:
    """(N, 3) what comes back of sun and sky alone [lx]."""
    far = {item.id for item in (scene.sun, scene.sky) if item is not None}
    out = np.zeros((len(bounce.made.probes), 3))
    for source_id, gain in bounce_gains(scene).items():
        if source_id in far and source_id in bounce.units:
            out += bounce.units[source_id].light * gain
    return out


def _rooms(made: Field) -> Iterator[_ProbeRoom]:
    """Heaps of probes that stand beside each other, or before, and see next to nothing else."""
    others, links = made.seen.others, made.probes.links
    rows, columns = np.nonzero(links >= 0)
    near = csr_matrix((np.ones(len(rows), np.float32), (rows, links[rows, columns])), others.shape)
    seen = others.copy()
    seen.data = np.where(seen.data >= TOGETHER, seen.data, np.float32(0.0))
    # What looks out of a gap belongs to neither side of it.
    within = diags((made.seen.sky.sum(axis=1) + made.seen.land.sum(axis=1) < LOOKS_OUT).astype(np.float32))
    beside = within @ (near + seen) @ within
    beside.eliminate_zeros()
    count, heap = connected_components(beside, directed=False)
    sizes = np.bincount(heap, minlength=count)
    for number in np.flatnonzero(sizes >= ROOM):
        rows = np.flatnonzero(heap == number)
        own = np.zeros(len(heap), np.float32)
        own[rows] = 1.0
        among = (others[rows] @ own) + made.seen.dark[rows]
        # What a closed room's surfaces see through a gap is together as large as that.
        gap = float((np.clip(1.0 - among, 0.0, None) * made.probes.area[rows]).sum())
        if gap < GAP_M2:
            yield _ProbeRoom(rows, gap)
