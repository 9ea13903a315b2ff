"""Where light comes from that other surfaces send: paths leave for what the probes know to be bright.

Of each probe it is known which others fill its view, and what those send follows from the scene; by parts of
all directions that is a density to leave by. Paths take it as often as their own, and are weighed by the mean
of both, so that what probes do not know is found as before, and what they know wrongly costs noise alone
(Vorba et al. 2014 for paths that are guided so; Veach 1995 for the mean).
"""

import os
from concurrent.futures import ThreadPoolExecutor
from typing import Final

import numpy as np
from numpy.typing import NDArray
from scipy.sparse import csr_matrix

from wallum.moment.bounce_gains import strengths
from wallum.moment.scene import LitScene
from wallum.physics.arrays import Floats, normalised
from wallum.physics.colour import luminance
from wallum.transport.field.bounce import Field, bounced
from wallum.transport.field.land import PATCHES
from wallum.transport.field.relight import Direct, direct_of
from wallum.transport.scene.rays import RayScene, one_thread

__all__ = ["GUIDED", "UNEVEN", "LightAim", "direction_parts"]

THREADS: Final = max(1, os.cpu_count() or 1)
# Share of paths that leave so, from surfaces that mirror nothing.
GUIDED: Final = 0.7
# Parts of all directions, alike in size: bands of height, and parts around.
BANDS, AROUND = 12, 24
PARTS: Final = BANDS * AROUND
SOLID: Final = 4.0 * np.pi / PARTS
# Lamps whose light is looked at to know what is bright: the strongest.
MAX_LAMPS: Final = 64
# Of all ways each is left this much, over what an even density gives: neighbours of a part are as bright.
MINIMUM: Final = 0.1
# What `unevenness` is taken to be where nothing is known.
UNEVEN: Final = 4.0


def direction_parts(directions: Floats) -> NDArray[np.int64]:
    """(N,) which part unit directions (N, 3) point to."""
    band = np.clip(np.floor((directions[:, 1] + 1.0) * (0.5 * BANDS)), 0, BANDS - 1)
    turn = np.arctan2(directions[:, 0], directions[:, 2]) / (2.0 * np.pi) % 1.0
    return np.asarray(band * AROUND + np.minimum(np.floor(turn * AROUND), AROUND - 1), np.int64)


class LightAim:
    """Which ways paths leave surfaces by, by the probes that stand for those.

    guides : (N,) whether there is anything to go by; only : (N,) of which probes it is wanted
    """

    def __init__(self, rays: RayScene, made: Field, scene: LitScene, only: NDArray[np.bool_]) -> None:
        wanted = np.flatnonzero(only)
        with ThreadPoolExecutor(THREADS) as pool:
            seen = pool.submit(_parts_of, made, wanted)
            light = _light(rays, made, scene, pool)
            parts = _seen_parts(made, wanted, *seen.result(), luminance(made.probes.albedo * light))
        total = parts.sum(axis=1)
        self.guides = np.zeros(len(made.probes), dtype=bool)
        self.guides[wanted] = total > 0.0
        share = parts / np.maximum(total, 1e-20)[:, None] * np.float32(1.0 - MINIMUM) + np.float32(
            MINIMUM / PARTS
        )
        self._row = np.zeros(len(made.probes), np.int64)
        self._row[wanted] = np.arange(len(wanted))
        self._ends = np.cumsum(share, axis=1)
        self._density = share / np.float32(SOLID)
        self._uneven = (share * share).mean(axis=1) * np.float32(PARTS**2)

    def aim(self, probes: NDArray[np.int64], rng: np.random.Generator) -> NDArray[np.float32]:
        """(K, 3) a direction for each of some surfaces, by their probes."""
        u = rng.random((len(probes), 3), dtype=np.float32)
        part = (self._ends.take(self._row.take(probes), 0) < u[:, :1]).sum(axis=1).clip(0, PARTS - 1)
        up = ((part // AROUND + u[:, 1]) * np.float32(2.0 / BANDS) - 1.0).astype(np.float32)
        turn = (part % AROUND + u[:, 2]) * np.float32(2.0 * np.pi / AROUND)
        flat = np.sqrt(np.maximum(1.0 - up * up, 0.0))
        return np.stack([np.sin(turn) * flat, up, np.cos(turn) * flat], axis=1).astype(np.float32)

    def density(self, probes: NDArray[np.int64], toward: Floats) -> NDArray[np.float32]:
        """(K,) with which `aim` finds directions (K, 3) [1/sr]."""
        return np.asarray(self._density[self._row.take(probes), direction_parts(toward)])

    def unevenness(self, probes: NDArray[np.int64]) -> NDArray[np.float32]:
        """(K,) mean square of the light from all directions over the square of its mean, at some surfaces;
        UNEVEN where nothing is known. probes : (K,) -1 for none"""
        known = (probes >= 0) & self.guides.take(np.maximum(probes, 0))
        out = np.full(len(probes), UNEVEN, np.float32)
        out[known] = self._uneven.take(self._row.take(probes[known]))
        return out

    def shares(self, probes: NDArray[np.int64], mirrored: Floats) -> NDArray[np.float32]:
        """(K,) how many of the paths that leave some surfaces are aimed. probes : (K,) -1 for none
        mirrored : (K,) share of their paths that leave by their facets"""
        there = (probes >= 0) & self.guides.take(np.maximum(probes, 0))
        return np.where(there, np.float32(GUIDED) * (np.float32(1.0) - mirrored), np.float32(0.0))


def _light(rays: RayScene, made: Field, scene: LitScene, pool: ThreadPoolExecutor) -> NDArray[np.float32]:
    """(N, 3) illuminance of probes, all told but what glow gives straight [lx]."""
    gains = strengths(scene)
    far = [item.id for item in (scene.sun, scene.sky) if item is not None]
    strongest = np.argsort(-luminance(scene.lamps.rows["emission"].astype(np.float64)), kind="stable")
    ids = far + [scene.lamps.ids[i] for i in strongest[:MAX_LAMPS].tolist()]
    first, land = np.zeros((len(made.probes), 3), np.float32), np.zeros((PATCHES, 3))

    def direct(value: str) -> Direct:
        with one_thread():
            return direct_of(rays, made.probes, made.seen, None, scene, value)

    for one, item in zip(ids, pool.map(direct, ids), strict=True):
        first += item.probes * gains[one].astype(np.float32)
        land += item.land * gains[one]
    return first + bounced(made, first, land)


def _parts_of(made: Field, wanted: NDArray[np.int64]) -> tuple[csr_matrix, NDArray[np.int64]]:
    """What each of some probes has seen of all, and to which part of all directions each entry belongs, of
    parts that are numbered through (K * PARTS)."""
    seen = made.seen.others.tocsr()[wanted]
    row = np.repeat(np.arange(len(wanted)), np.diff(seen.indptr))
    toward = made.probes.places.take(seen.indices, 0) - made.probes.places.take(wanted.take(row), 0)
    return seen, row * PARTS + direction_parts(normalised(toward))


def _seen_parts(
    made: Field, wanted: NDArray[np.int64], seen: csr_matrix, at: NDArray[np.int64], sent: Floats
) -> NDArray[np.float32]:
    """(K, PARTS) what each of some probes has from each part of all directions. seen, at : see `_parts_of`
    sent : (N,) by each of all"""
    out = np.bincount(at, seen.data * sent.take(seen.indices), len(wanted) * PARTS).astype(np.float32)
    near: csr_matrix = made.smooth[wanted][:, wanted]  # few rays make neighbours differ by chance
    return np.asarray(near @ out.reshape(len(wanted), PARTS), np.float32)
