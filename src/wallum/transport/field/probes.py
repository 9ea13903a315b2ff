"""Where light that comes back is known: probes on the surfaces of a level.

Space is cut into cubic cells; in each, and by each of the six ways that a surface may face, one probe stands
for the surfaces there. Where something stands between two parts of them, a wall of any thickness, there are
two, and a plane that tells a place whose it is. So no probe knows of light on the other side of a wall,
however thin that is, and none lies inside a body. Neighbours that see each other are linked: a place reads
the probes about it through the links of its own one.

Majercik 2019, "Dynamic Diffuse Global Illumination with Ray-Traced Irradiance Fields", weighs probes of a
regular grid by what they see of distance instead; that leaves a remainder behind thin walls and needs eight
probes in free space where surfaces need four.
"""

from dataclasses import dataclass, replace
from typing import Final

import numpy as np
from numpy.typing import NDArray
from scipy.spatial import cKDTree

from wallum.physics.arrays import Floats, dots
from wallum.transport.field.cells import BEFORE_M, FACINGS
from wallum.transport.field.packed_cells import FIRST_BIT, HAS_ANY, SPLIT_BIT, probes_of

__all__ = ["NO_PROBE", "PLACES", "Probes"]

NO_PROBE: Final = -1
PLACES: Final = 4  # of a probe's surfaces that its light is taken at
# Of a probe's links that to itself; how many are looked at for one that stands in its place.
OWN_LINK, NEARBY = 13, 12
# Ways that a surface may be taken to face: as far as it does so by this cosine.
MIN_FACING: Final = 0.1


@dataclass(frozen=True)
class Probes:
    """N probes.

    low, step : (3,) corner of the first cell, and the size of all [m]
    cells   : (X, Y, Z) uint32 words; 0: none near
    parts   : (P,) uint32 words of the parts of cells that are parted, x fastest in each
    planes  : (N, 4) of two probes that share a side: places with p . xyz > w, of either, are the second's
    places, normals : (N, 3) of their surfaces' middle
    samples, faces  : (N, PLACES, 3) places on their surfaces, and which way those face there
    links   : (N, 27) neighbours that each sees, by offset, x fastest; -1: none
    albedo, glow : (N, 3) share of even light that is sent back, own luminance [cd/m2] of the means
    area    : (N,) of the surfaces that each stands for [m2]
    shines_at, shines_toward : (N, PLACES, 3) places of them that glow, each for as much light, and which way
              those face; shines_over : (N,) the area of all that glows [m2]; 0 of those that do not
    part    : (N,) part of the level that most of its glow is of, for the lamp that it follows
    goes_on : (2, 3) whether the level goes on beyond the cells, below and above by axis
    """

    low: NDArray[np.float64]
    step: float
    cells: NDArray[np.uint32]
    parts: NDArray[np.uint32]
    planes: NDArray[np.float32]
    places: NDArray[np.float32]
    normals: NDArray[np.float32]
    samples: NDArray[np.float32]
    faces: NDArray[np.float32]
    links: NDArray[np.int32]
    albedo: NDArray[np.float32]
    glow: NDArray[np.float32]
    area: NDArray[np.float32]
    shines_at: NDArray[np.float32]
    shines_toward: NDArray[np.float32]
    shines_over: NDArray[np.float32]
    part: NDArray[np.int32]
    goes_on: NDArray[np.bool_]

    def __len__(self) -> int:
        return len(self.places)

    @property
    def firsts(self) -> NDArray[np.int64]:
        """(K,) probes that share a side of their cell with the next one."""
        words = np.unique(np.concatenate([self.cells.ravel(), self.parts])).astype(np.int64)
        words = words[(words & HAS_ANY) > 0]
        out = []
        for facing in range(FACINGS):
            first, two = probes_of(words, facing)
            out.append(first[two])
        return np.concatenate(out)

    def without(self, gone: NDArray[np.bool_]) -> "Probes":
        """The same, but those that lie inside bodies stand for no surface, and no other is linked to them."""
        planes, links = self.planes.copy(), self.links.copy()
        first = self.firsts
        # Of two on one side the other then stands for all of it.
        planes[first[gone[first + 1]], 3] = np.inf
        planes[first[gone[first + 1]] + 1, 3] = np.inf
        planes[first[gone[first]], 3] = -np.inf
        links[gone[np.maximum(links, 0)] & (links >= 0)] = NO_PROBE
        links[gone, OWN_LINK] = self._nearest(~gone, np.flatnonzero(gone))
        return replace(self, planes=planes, links=links)

    def _nearest(self, there: NDArray[np.bool_], rows: NDArray[np.int64]) -> NDArray[np.int32]:
        """(K,) for some probes the nearest of those that are there and face about as they do."""
        others = np.flatnonzero(there)
        out = np.full(len(rows), NO_PROBE, np.int32)
        if not len(others) or not len(rows):
            return out
        away, near = cKDTree(self.places[others]).query(self.places[rows], k=min(NEARBY, len(others)))
        near = others[near.reshape(len(rows), -1)]
        fits = np.einsum("nkc,nc->nk", self.normals[near], self.normals[rows]) > 0.5
        fits &= away.reshape(fits.shape) < 2.0 * self.step
        result = fits.any(axis=1)
        out[result] = near[result, fits[result].argmax(axis=1)]
        return out

    def cell_of(self, points: Floats, normals: Floats) -> tuple[NDArray[np.int64], NDArray[np.bool_]]:
        """(N, 3) cells of surfaces, and whether they lie within. Twin: shaders/include/probes.glsl."""
        cell = np.floor((points + normals * BEFORE_M - self.low) / self.step).astype(np.int64)
        counts = np.array(self.cells.shape)
        within = np.asarray(((cell >= 0) & (cell < counts)).all(axis=1))
        return np.clip(cell, 0, counts - 1), within

    def words_at(self, places: Floats) -> NDArray[np.int64]:
        """(N,) words of the cells, or parts of those, that places (N, 3) lie in; 0: none."""
        # By column: three values to a row are the slow way round.
        at = [(places[:, k] - self.low[k]) / self.step for k in range(3)]
        cell = [np.floor(item).astype(np.int64) for item in at]
        x, y, z = (np.clip(item, 0, count - 1) for item, count in zip(cell, self.cells.shape, strict=True))
        within = (x == cell[0]) & (y == cell[1]) & (z == cell[2])
        words = self.cells[x, y, z].astype(np.int64) * within
        if not len(self.parts):
            return words
        rows = np.flatnonzero((words > 0) & ((words & HAS_ANY) == 0))
        along = 1 << ((words[rows] >> SPLIT_BIT) & HAS_ANY)
        i, j, k = (
            np.clip(((item - low)[rows] * along).astype(np.int64), 0, along - 1)
            for item, low in zip(at, (x, y, z), strict=True)
        )
        inner = (k * along + j) * along + i
        words[rows] = self.parts[(words[rows] >> FIRST_BIT) + inner]
        return words

    def find(self, points: Floats, normals: Floats, strict: bool = False) -> NDArray[np.int64]:
        """(N,) the probe that stands for each surface (N, 3) with normals (N, 3); NO_PROBE where none does.
        strict : none of another side either. Twin: shaders/include/probes.glsl."""
        words = self.words_at(points + normals * BEFORE_M)
        out = np.full(len(points), NO_PROBE, np.int64)
        left = np.flatnonzero(words > 0)
        steep = np.abs(normals[left]).T.copy()  # three rows
        for turn in range(3):
            axis = np.where(
                steep[0] >= np.maximum(steep[1], steep[2]), 0, np.where(steep[1] >= steep[2], 1, 2)
            )
            facing = 2 * axis + (normals[left, axis] < 0.0)
            fits = ((words[left] >> facing) & 1) > 0
            if turn:
                fits &= np.abs(normals[left, axis]) > MIN_FACING
            result = left[fits]
            out[result] = self._numbered(words[result], facing[fits], points[result])
            # Most face some way plainly; the others are looked for by the next.
            left, axis, steep = left[~fits], axis[~fits], steep[:, ~fits]
            if not len(left):
                break
            steep[axis, np.arange(len(left))] = -1.0
        rest = np.flatnonzero((out == NO_PROBE) & (words > 0) & (not strict))
        out[rest] = words[rest] >> FIRST_BIT  # whichever there is
        return out

    def _numbered(
        self, words: NDArray[np.int64], facing: NDArray[np.int64], points: Floats
    ) -> NDArray[np.int64]:
        """The probe of a side of cells, the one of two on whose part points lie."""
        first, has_two = probes_of(words, facing)
        two = np.flatnonzero(has_two)
        beyond = np.zeros(len(two), dtype=bool)
        for row in (first[two], first[two] + 1):
            plane = self.planes[row]
            beyond |= dots(points[two], plane[:, :3]) > plane[:, 3]
        first[two] += beyond
        return first
