"""Baked light as it is kept and read: pages of illuminance, and where the level's triangles lie on them."""

from dataclasses import dataclass
from functools import cached_property

import numpy as np
from numpy.typing import NDArray

from wallum.level.model.flatten import Triangles
from wallum.level.model.model import Level
from wallum.level.model.unwrapping import UnwrappedTriangles
from wallum.physics.arrays import Floats
from wallum.transport.field.probes import NO_PROBE, Probes

__all__ = ["BakedLight", "own_coordinates", "to_be_laid"]


@dataclass(frozen=True)
class BakedLight:
    """Illuminance of a level's surfaces by light that was baked [lx].

    laid     : where its triangles lie
    pages    : (P, H, W, 3) float32 [lx]
    straight : whether light that comes straight from sun, moon and lamps is in it
    state    : by source id, how its light was then, see moment.baked
    when     : the hour that it shows, in words
    settings : texels a metre, smallest part [m2], paths a texel, as asked
    noise    : standard error over the light, before it was denoised
    level    : key of the level that it was baked on
    """

    laid: UnwrappedTriangles
    pages: NDArray[np.float32]
    straight: bool
    state: dict[str, str]
    when: str
    settings: tuple[float, float, int]
    noise: float
    level: str

    @property
    def ids(self) -> frozenset[str]:
        """Ids of the sources whose light is in it."""
        return frozenset(self.state)

    @property
    def held_bytes(self) -> int:
        """What a delivered game holds of it: half floats [bytes]."""
        return self.pages.size * 2 + self.laid.uv.size * 4

    def share_of(self, triangle: NDArray[np.int64]) -> float:
        """Of surfaces by their triangles (N,), the share that it lights."""
        if not len(triangle):
            return 0.0
        return float(self.at(triangle, np.full((len(triangle), 2), 0.25))[1].mean())

    @cached_property
    def _rows(self) -> NDArray[np.int64]:
        """Of the level's triangles, up to the last that lies on a page: its number here; -1: none."""
        out = np.full(int(self.laid.triangles.max(initial=-1)) + 1, -1, np.int64)
        out[self.laid.triangles] = np.arange(len(self.laid.triangles))
        return out

    def rows_of(self, count: int) -> NDArray[np.int64]:
        """(count,) of the level's triangles, where each lies among those that were laid flat; -1: nowhere."""
        out = np.full(count, -1, np.int64)
        known = self._rows[:count]
        out[: len(known)] = known
        return out

    def at(
        self, triangle: NDArray[np.int64], weights: Floats
    ) -> tuple[NDArray[np.float32], NDArray[np.bool_]]:
        """(N, 3) illuminance of triangles (N,) at weights (N, 2) of their second and third corners [lx], and
        (N,) whether it was baked; zeros where not."""
        rows = np.full(len(triangle), -1, np.int64)
        known = np.flatnonzero((triangle >= 0) & (triangle < len(self._rows)))
        rows[known] = self._rows[triangle[known]]
        there = rows >= 0
        out = np.zeros((len(triangle), 3), np.float32)
        if there.any():
            corners = self.laid.faces[rows[there]]
            uv = self.laid.uv[corners].astype(np.float64)
            share = weights[there]
            at = uv[:, 0] + share[:, :1] * (uv[:, 1] - uv[:, 0]) + share[:, 1:] * (uv[:, 2] - uv[:, 0])
            out[there] = self._sampled(self.laid.page[corners[:, 0]], at - 0.5)
        return out, there

    def _sampled(self, page: NDArray[np.int32], at: Floats) -> NDArray[np.float32]:
        """(N, 3) between the four texels about places (N, 2), from the middle of the first on."""
        width, height = self.laid.size
        low = np.floor(at).astype(np.int64)
        share = (at - low).astype(np.float32)
        out = np.zeros((len(at), 3), np.float32)
        for across in (0, 1):
            for down in (0, 1):
                column = np.clip(low[:, 0] + across, 0, width - 1)
                line = np.clip(low[:, 1] + down, 0, height - 1)
                weight = np.abs(1 - across - share[:, 0]) * np.abs(1 - down - share[:, 1])
                out += weight[:, None] * self.pages[page, line, column]
        return out


def own_coordinates(level: Level) -> NDArray[np.bool_]:
    """(P,) parts whose meshes bring a second set of coordinates along: its charts are theirs."""
    whole = [all(primitive.uv1 is not None for primitive in mesh.primitives) for mesh in level.meshes]
    return np.array([whole[part.mesh] for part in level.parts] or [False])


def to_be_laid(level: Level, flat: Triangles, probes: Probes, smallest: float) -> NDArray[np.int64]:
    """Numbers of the triangles that get texels: what is near enough to have probes and is no glass, of parts
    with no less surface than `smallest` [m2] there."""
    clear = np.array([material.see_through or material.unlit for material in level.materials] or [False])
    rows = np.flatnonzero(~clear[flat.material] & (flat.areas > 0.0))
    corners = flat.positions[flat.faces[rows]].astype(np.float64)
    facing = flat.face_normals[rows].astype(np.float64)
    near = probes.find(corners.mean(axis=1), facing) != NO_PROBE
    for k in range(3):  # a large one may have its middle in another's cell
        near |= probes.find(0.9 * corners[:, k] + 0.1 * corners.mean(axis=1), facing) != NO_PROBE
    rows = rows[near]
    area = np.bincount(flat.part[rows], flat.areas[rows], max(len(level.parts), 1))
    return rows[area[flat.part[rows]] >= smallest]
