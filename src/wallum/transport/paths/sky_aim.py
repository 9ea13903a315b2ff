"""The sky as light that paths aim at: the parts of it that a place sees, by what the probe there has seen.

What a probe's rays saw through stands for all openings about it, of whatever shape: portals that nobody has
to draw. Both ways of finding the sky, by aiming and by chance, are weighed by their densities (Veach 1995).
"""

from typing import Final

import numpy as np
from numpy.typing import NDArray

from wallum.moment.scene import Dome
from wallum.physics.arrays import Floats
from wallum.physics.colour import luminance
from wallum.transport.field.bounce import Field
from wallum.transport.field.probes import NO_PROBE
from wallum.transport.field.sky_parts import AROUND, EDGES, PARTS, SOLID, sky_bins, sky_parts

__all__ = ["SkyAim"]

# Where a probe sees more of the sky than this, chance finds it well enough.
MAX_SEEN: Final = 0.35


class SkyAim:
    """Where to look for the sky from surfaces, by the probes (N) that stand for them."""

    def __init__(self, made: Field, sky: Dome) -> None:
        self._probes = made.probes
        seen = np.asarray(made.smooth @ made.seen.sky[:, :PARTS], np.float32)
        worth = seen * luminance(sky_parts(sky))[:PARTS].astype(np.float32)
        total = worth.sum(axis=1)
        share = worth / np.maximum(total, 1e-20)[:, None]
        self._ends = np.cumsum(share, axis=1)
        self._density = share / SOLID.astype(np.float32)
        self.little = seen.sum(axis=1) < MAX_SEEN
        self._aims = (total > 0.0) & self.little
        self._density[~self._aims] = 0.0

    def find(self, places: Floats, normals: Floats) -> NDArray[np.int64]:
        """(P,) the probe by which each surface aims; NO_PROBE where chance finds the sky well enough."""
        result = self._probes.find(places, normals)
        return np.where((result != NO_PROBE) & self.little.take(np.maximum(result, 0)), result, NO_PROBE)

    def aims(self, probes: NDArray[np.int64]) -> NDArray[np.bool_]:
        """(P,) whether each of the probes that were found, or NO_PROBE, sees any of the sky."""
        return (probes != NO_PROBE) & self._aims.take(np.maximum(probes, 0))

    def aim(
        self, probes: NDArray[np.int64], rng: np.random.Generator
    ) -> tuple[NDArray[np.float32], NDArray[np.float32]]:
        """(K, 3) a direction for each of some surfaces, by their probes, and its density [1/sr]."""
        u = rng.random((len(probes), 3), dtype=np.float32)
        part = (self._ends.take(probes, 0) < u[:, :1]).sum(axis=1).clip(0, PARTS - 1)
        low, high = EDGES.take(part // AROUND), EDGES.take(part // AROUND + 1)
        up = (low + (high - low) * u[:, 1]).astype(np.float32)
        turn = (part % AROUND + u[:, 2]) * np.float32(2.0 * np.pi / AROUND)
        flat = np.sqrt(np.maximum(1.0 - up * up, 0.0))
        toward = np.stack([np.sin(turn) * flat, up, -np.cos(turn) * flat], axis=1)
        return toward.astype(np.float32), self._density[probes, part]

    def density(self, probes: NDArray[np.int64], toward: Floats) -> NDArray[np.float32]:
        """(K,) with which `aim` finds directions (K, 3) [1/sr]."""
        part = sky_bins(toward)
        known = self._density[probes, np.minimum(part, PARTS - 1)]
        return np.where(part < PARTS, known, np.float32(0.0))
