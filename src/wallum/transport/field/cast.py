"""What probes see: rays from each, once, kept by the probe that stands for what they hit.

All rays of a probe come by the cosine, so that the light of what they hit, averaged, is what falls on it.
What is kept of a ray that hits a surface is that surface's probe; of one that leaves the level, which part of
the sky it went to. Light is then a product of matrices: no ray is sent again, whatever becomes of the lamps.
"""

from collections.abc import Iterator
from concurrent.futures import Future, ThreadPoolExecutor
from dataclasses import dataclass
from typing import Final

import numpy as np
from numpy.typing import NDArray
from scipy.sparse import csr_matrix

from wallum.physics.arrays import Floats, dots
from wallum.physics.colour import luminance
from wallum.physics.emitters import cosine_directions
from wallum.transport.field.land import PATCHES, Land, LandHits
from wallum.transport.field.probes import NO_PROBE, PLACES, Probes
from wallum.transport.field.sky_parts import BINS, sky_bins
from wallum.transport.scene.rays import Hits, RayScene
from wallum.transport.scene.surface_tables import SurfaceTables

__all__ = ["ALL_RAYS", "FEW_RAYS", "ProbeView", "cast", "rays_each"]

# Rays of each probe: more where there are few probes, as much as is worth the time.
MIN_RAYS, MAX_RAYS, ALL_RAYS = 160, 1024, 6_000_000
# And of each for a quick look, until those are cast.
FEW_RAYS: Final = 24
BATCH: Final = 512  # probes at once: small steps keep the window's thread free
LIFT_M: Final = 2e-3
# A surface of the level that lies beyond all probes; the back of what has one side only.
LAND, DARK = -2, -3
GOLDEN: Final = 0.6180339887


@dataclass(frozen=True)
class ProbeView:
    """What N probes see.

    others : (N, N) share of a probe's view that each other one fills, by the cosine
    sky    : (N, BINS) the same of parts of the sky, see sky_parts.py; land : (N, PATCHES) of land beyond all
             probes, whose patches are `beyond`
    toward : (N, 3) mean of the directions to what is seen of the sky, each as often as it is
    dark   : (N,) share that is the back of what has one side: nothing is seen of that
    """

    others: csr_matrix
    sky: NDArray[np.float32]
    land: NDArray[np.float32]
    toward: NDArray[np.float32]
    dark: NDArray[np.float32]
    beyond: Land


def rays_each(count: int) -> int:
    """Rays that each of so many probes sends."""
    return int(np.clip(ALL_RAYS // max(count, 1), MIN_RAYS, MAX_RAYS)) // PLACES * PLACES


def _ways(faces: Floats, rows: NDArray[np.int64], each: int) -> NDArray[np.float32]:
    """(P * each, 3) directions about normals (P, PLACES, 3) by the cosine; each probe's set is turned."""
    number = np.arange(each)
    # Two turns a probe, spread as evenly as any (Roberts 2018, the plastic number).
    first = ((number + 0.5) / each + rows[:, None] * 0.7548776662) % 1.0
    second = (number * GOLDEN + rows[:, None] * 0.5698402909) % 1.0
    normals = faces[:, number % PLACES].reshape(-1, 3)
    return cosine_directions(normals, np.stack([first.ravel(), second.ravel()], axis=1))


def cast(rays: RayScene, tables: SurfaceTables, probes: Probes, few: int = 0) -> Iterator[float | ProbeView]:
    """Send the rays; gives the share that is done, and in the end what was seen.

    few : rays of each probe, for a quick look; 0: as many as are worth the time
    """
    count = len(probes)
    each = few or rays_each(count)
    sky, land = np.zeros((count, BINS), np.float32), np.zeros((count, PATCHES), np.float32)
    beyond = LandHits(rays, tables, probes.low + 0.5 * probes.step * np.array(probes.cells.shape))
    toward, dark = np.zeros((count, 3), np.float32), np.zeros(count, np.float32)
    parts = []
    for rows, origins, directions, hits in _sent(rays, probes, each):
        weight = _weight(rays, origins, directions, hits)
        result = _found(rays, probes, origins, directions, hits)
        known = (result != NO_PROBE).reshape(len(rows), each)
        weight /= np.repeat(np.maximum(known.sum(axis=1), 1), each)
        own = np.repeat(np.arange(len(rows)), each)
        free = np.flatnonzero(hits.triangle < 0)
        bins = np.bincount(own[free] * BINS + sky_bins(directions[free]), weight[free], len(rows) * BINS)
        sky[rows] = bins.reshape(len(rows), BINS)
        for k in range(3):
            toward[rows, k] = np.bincount(own[free], directions[free, k] * weight[free], len(rows))
        out = np.flatnonzero(result == DARK)
        dark[rows] = np.bincount(own[out], weight[out], len(rows))
        out = np.flatnonzero(result == LAND)
        patch = beyond.add(origins[out], directions[out], hits.only(out))
        shares = np.bincount(own[out] * PATCHES + patch, weight[out], len(rows) * PATCHES)
        land[rows] = shares.reshape(len(rows), PATCHES)
        met = np.flatnonzero(result >= 0)
        parts.append(csr_matrix((weight[met], (own[met], result[met])), (len(rows), count), dtype=np.float32))
        yield min((rows[-1] + 1) / count, 1.0)
    yield ProbeView(_stacked(parts, count), sky, land, toward, dark, beyond.land())


# Of some probes, their numbers (P,), and of each of their rays, origins, directions (P * each, 3), and hits.
_Sent = tuple[NDArray[np.int64], NDArray[np.float32], NDArray[np.float32], Hits]


def _sent(rays: RayScene, probes: Probes, each: int) -> Iterator[_Sent]:
    """Send rays of all probes, of a few at a time: those of the next are under way meanwhile."""
    batch = max(BATCH * MIN_RAYS // each, 1)
    turn = np.arange(each) % PLACES
    before: tuple[NDArray[np.int64], NDArray[np.float32], NDArray[np.float32], Future[Hits]] | None = None
    with ThreadPoolExecutor(1) as pool:
        for start in range(0, len(probes), batch):
            rows = np.arange(start, min(start + batch, len(probes)))
            directions = _ways(probes.faces[rows], rows, each)
            origins = probes.samples[rows][:, turn].reshape(-1, 3)
            origins = origins + probes.faces[rows][:, turn].reshape(-1, 3) * np.float32(LIFT_M)
            sent = pool.submit(rays.first_hit, origins, directions, False)
            if before is not None:
                yield *before[:3], before[3].result()
            before = rows, origins, directions, sent
        if before is not None:
            yield *before[:3], before[3].result()


def _stacked(parts: list[csr_matrix], count: int) -> csr_matrix:
    if not parts:
        return csr_matrix((count, count), dtype=np.float32)
    starts = np.cumsum([0, *(part.nnz for part in parts)])
    pointers = [part.indptr[:-1] + base for part, base in zip(parts, starts[:-1], strict=True)]
    return csr_matrix(
        (
            np.concatenate([part.data for part in parts]),
            np.concatenate([part.indices for part in parts]),
            np.concatenate([*pointers, starts[-1:]]),
        ),
        (count, count),
    )


def _weight(rays: RayScene, origins: Floats, ways: Floats, hits: Hits) -> NDArray[np.float32]:
    """(N,) what see-through surfaces on the way leave of light."""
    if not rays.has_veils:
        return np.ones(len(ways), np.float32)
    reach = hits.distance * np.float32(0.999) - np.float32(LIFT_M)
    return np.asarray(luminance(rays.let_through(origins, ways, reach)), np.float32)


def _found(rays: RayScene, probes: Probes, origins: Floats, ways: Floats, hits: Hits) -> NDArray[np.int64]:
    """(N,) the probe that stands for what each ray hit, or LAND, DARK, NO_PROBE; none for the sky."""
    out = np.full(len(ways), np.iinfo(np.int64).min)
    met = np.flatnonzero(hits.triangle >= 0)
    faces = rays.triangles.face_normals.take(hits.triangle[met], 0)
    back = dots(faces, ways[met]) > 0.0
    double = rays.double_sided.take(rays.triangles.material.take(hits.triangle[met]))
    faces = np.where(back[:, None], -faces, faces)
    places = origins[met] + ways[met] * hits.distance[met, None]
    result = probes.find(places, faces, strict=True)
    out[met] = np.where(back & ~double, DARK, result)
    beyond = np.flatnonzero((result == NO_PROBE) & ~(back & ~double))
    _, within = probes.cell_of(places[beyond], faces[beyond])
    out[met[beyond[~within]]] = LAND
    return out
