"""Land beyond all probes, in patches by where it lies and which way it faces: light that it sends the level.

A few places on each patch stand for it: under a low sun cliffs are bright where level ground is dim.
"""

from dataclasses import dataclass
from typing import Final

import numpy as np
from numpy.typing import NDArray

from wallum.physics.arrays import Floats
from wallum.physics.emitters import cosine_directions
from wallum.transport.field.scattering import even_albedo
from wallum.transport.field.sky_parts import BINS, sky_bins
from wallum.transport.scene.rays import Hits, RayScene
from wallum.transport.scene.surface_tables import SurfaceTables

__all__ = ["FAR_OFF_M", "PATCHES", "SAMPLES", "Land", "LandHits", "patches_of"]

# Parts of the horizon, and ways that land faces: up, and the four sides.
SECTORS: Final = 8
SIDES: Final = 5
PATCHES: Final = SECTORS * SIDES
UP: Final = 0.5  # what faces up by this cosine faces no side
SAMPLES: Final = 48
SKY_RAYS: Final = 32
# Rays start this much off land, which is far and coarse [m].
FAR_OFF_M: Final = 0.05


@dataclass(frozen=True)
class Land:
    """What stands for L patches.

    places, faces : (L, SAMPLES, 3) on their surfaces; of one that no ray met, all 0
    albedo : (L, 3) share of even light that is sent back
    sky    : (L, BINS) share of each part of the sky in what they see, by the cosine
    """

    places: NDArray[np.float32]
    faces: NDArray[np.float32]
    albedo: NDArray[np.float32]
    sky: NDArray[np.float32]

    def lit(self, direct: Floats) -> NDArray[np.float64]:
        """(L, 3) illuminance with what land sends land, by what comes straight to it (L, 3)."""
        hidden = 1.0 - self.sky.sum(axis=1, keepdims=True, dtype=np.float64)
        return np.asarray(direct * (1.0 + self.albedo * np.clip(hidden, 0.0, 1.0)))


def patches_of(away: Floats, faces: Floats) -> NDArray[np.int64]:
    """(N,) which patch surfaces belong to, by where they lie from the middle of the probes (N, 3)."""
    turn = np.arctan2(away[:, 0], away[:, 2]) / (2.0 * np.pi) % 1.0
    sector = np.minimum(np.floor(turn * SECTORS), SECTORS - 1).astype(np.int64)
    along_x = np.abs(faces[:, 0]) > np.abs(faces[:, 2])
    side = np.where(along_x, 1 + (faces[:, 0] > 0.0), 3 + (faces[:, 2] > 0.0))
    return np.asarray(sector * SIDES + np.where(faces[:, 1] >= UP, 0, side), np.int64)


class LandHits:
    """Gathers what rays hit of it."""

    def __init__(self, rays: RayScene, tables: SurfaceTables, middle: Floats) -> None:
        self._rays, self._tables, self._middle = rays, tables, np.asarray(middle, np.float64)
        self._met: list[tuple[Floats, Floats, Floats, Hits]] = []
        self._patch: list[NDArray[np.int64]] = []

    def add(self, origins: Floats, ways: Floats, hits: Hits) -> NDArray[np.int64]:
        """(N,) the patches that rays (N, 3) hit, all of them land."""
        faces = self._rays.normals(hits)
        faces = np.where((faces * ways).sum(axis=1, keepdims=True) > 0.0, -faces, faces)
        places = origins + ways * hits.distance[:, None]
        patch = patches_of(places - self._middle, faces)
        self._met.append((places, faces, ways, hits))
        self._patch.append(patch)
        return patch

    def land(self) -> Land:
        """What stands for it."""
        places, faces = (
            np.zeros((PATCHES, SAMPLES, 3), np.float32),
            np.zeros((PATCHES, SAMPLES, 3), np.float32),
        )
        albedo, sky = np.zeros((PATCHES, 3), np.float32), np.zeros((PATCHES, BINS), np.float32)
        patch = np.concatenate([np.zeros(0, np.int64), *self._patch])
        order = np.argsort(patch, kind="stable")
        result, first, count = np.unique(patch[order], return_index=True, return_counts=True)
        for number, start, many in zip(result.tolist(), first.tolist(), count.tolist(), strict=True):
            rows = order[start + np.arange(SAMPLES) * many // SAMPLES]
            places[number], faces[number], albedo[number] = self._at(rows)
        if len(result):
            sky[result] = self._sky(places[result], faces[result])
        return Land(places, faces, albedo, sky)

    def _at(self, rows: NDArray[np.int64]) -> tuple[Floats, Floats, Floats]:
        ends = np.cumsum([len(item) for item in self._patch])
        batch = np.searchsorted(ends, rows, side="right")
        own = rows - np.concatenate([[0], ends])[batch]
        picked = [
            tuple(part[i : i + 1] for part in self._met[b][:3]) for b, i in zip(batch, own, strict=True)
        ]
        places, faces, directions = (np.concatenate(item) for item in zip(*picked, strict=True))
        hits = [self._met[b][3].only(np.array([i])) for b, i in zip(batch, own, strict=True)]
        joined = Hits(*(np.concatenate([getattr(hit, name) for hit in hits]) for name in vars(hits[0])))
        return places, faces, even_albedo(self._tables.at(joined, directions)).mean(axis=0)

    def _sky(self, places: Floats, faces: Floats) -> NDArray[np.float32]:
        """(K, BINS) by rays from places (K, SAMPLES, 3)."""
        count = len(places)
        each = np.repeat(faces.reshape(-1, 3), SKY_RAYS, axis=0)
        number = np.arange(len(each))
        turns = np.stack([(number + 0.5) * 0.7548776662 % 1.0, (number + 0.5) * 0.5698402909 % 1.0], axis=1)
        directions = cosine_directions(each, turns).astype(np.float32)
        starts = (np.repeat(places.reshape(-1, 3), SKY_RAYS, axis=0) + each * FAR_OFF_M).astype(np.float32)
        free = np.flatnonzero(self._rays.first_hit(starts, directions, veils=False).triangle < 0)
        own = free // (SAMPLES * SKY_RAYS)
        bins = np.bincount(own * BINS + sky_bins(directions[free]), minlength=count * BINS)
        return np.asarray(bins.reshape(count, BINS) / (SAMPLES * SKY_RAYS), np.float32)
