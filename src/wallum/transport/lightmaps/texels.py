"""The texels of pages that a level's triangles lie on: which surface each of them is."""

from dataclasses import dataclass, fields
from typing import Final

import numpy as np
from numpy.typing import NDArray
from scipy.ndimage import distance_transform_edt

from wallum.level.model.flatten import Triangles
from wallum.level.model.unwrapping import UnwrappedTriangles
from wallum.physics.arrays import Floats, normalised

__all__ = ["Texels", "filled", "find_texels"]

# A texel whose middle lies no farther beside a triangle is read at its edge, and has the light there.
BESIDE: Final = 0.75
# What lies at a triangle's edge is looked at from so far within it [m], at most from so much of the way to
# its middle: to the rim of a slab that lies on a wall light comes from beyond the wall.
WITHIN_M, WITHIN = 0.02, 0.25
# Texels that are looked at in one go.
AT_ONCE: Final = 2_000_000


@dataclass(frozen=True)
class Texels:
    """K texels, in the order of pages, rows, columns.

    number    : (K,) of each among all texels of all pages
    triangle  : (K,) of the level; weights : (K, 2) of its second and third corners
    places, normals, faces : (K, 3) [m], of the surface there and of its triangle, unit
    """

    number: NDArray[np.int64]
    triangle: NDArray[np.int64]
    weights: NDArray[np.float32]
    places: NDArray[np.float32]
    normals: NDArray[np.float32]
    faces: NDArray[np.float32]

    def __len__(self) -> int:
        return len(self.number)

    def only(self, keep: NDArray[np.bool_]) -> "Texels":
        """Some of them."""
        return Texels(*(getattr(self, field_.name)[keep] for field_ in fields(Texels)))

    def joined(self, other: "Texels") -> "Texels":
        """These and others after them."""
        pairs = ((getattr(self, field_.name), getattr(other, field_.name)) for field_ in fields(Texels))
        return Texels(*(np.concatenate(pair) for pair in pairs))


def find_texels(flat: Triangles, laid: UnwrappedTriangles) -> Texels:
    """The texels of all triangles that were laid flat; those beside an edge too, so that what is read between
    texels is always light."""
    width, height = laid.size
    best = np.full(laid.pages * width * height, np.inf, np.float32)
    owner = np.full(len(best), -1, np.int64)
    share = np.zeros((len(best), 2), np.float32)
    corners = laid.uv[laid.faces]
    low = np.maximum(np.floor(corners.min(axis=1) - BESIDE), 0).astype(np.int64)
    high = np.minimum(np.ceil(corners.max(axis=1) + BESIDE), [width, height]).astype(np.int64)
    wide = np.maximum(high - low, 0)
    ends = np.cumsum(wide.prod(axis=1))
    first = 0
    while first < len(corners):
        before = ends[first - 1] if first else 0
        last = max(int(np.searchsorted(ends, before + AT_ONCE, "right")), first + 1)
        rows, column, line = _boxes(low[first:last], wide[first:last])
        rows += first
        away, weights = _nearest(corners[rows], np.stack([column + 0.5, line + 0.5], axis=1))
        near = np.flatnonzero(away <= BESIDE)
        rows, away, weights = rows[near], away[near], weights[near]
        page = laid.page[laid.faces[rows, 0]]
        number = (page * height + line[near]) * width + column[near]
        # Of several the nearest: the last that is written stays.
        order = np.argsort(-away, kind="stable")
        order = order[away[order] < best[number[order]]]
        best[number[order]], owner[number[order]] = away[order], rows[order]
        share[number[order]] = weights[order]
        first = last
    number = np.flatnonzero(owner >= 0)
    return _texels(flat, laid.triangles[owner[number]], share[number], number)


def _texels(
    flat: Triangles, triangle: NDArray[np.int64], weights: NDArray[np.float32], number: NDArray[np.int64]
) -> Texels:
    corners = flat.faces[triangle]
    shares = np.concatenate([1.0 - weights.sum(axis=1, keepdims=True), weights], axis=1)
    inputs = flat.positions[corners]
    inward = inputs.mean(axis=1) - (shares[..., None] * inputs).sum(axis=1)
    away = np.linalg.norm(inward, axis=1, keepdims=True)
    shares += (1.0 / 3.0 - shares) * np.minimum(WITHIN_M / np.maximum(away, 1e-9), WITHIN)
    places, normals = (
        sum(shares[:, k : k + 1] * table[corners[:, k]] for k in range(3))
        for table in (flat.positions, flat.normals)
    )
    faces = flat.face_normals[triangle]
    normals = normalised(np.asarray(normals))
    # Where what is given turns away from the triangle, the triangle is right.
    normals = np.where((normals * faces).sum(axis=1, keepdims=True) > 0.1, normals, faces)
    shown = (np.asarray(item, np.float32) for item in (places, normals, faces))
    return Texels(number, triangle, weights, *shown)


def _boxes(
    low: NDArray[np.int64], wide: NDArray[np.int64]
) -> tuple[NDArray[np.int64], NDArray[np.int64], NDArray[np.int64]]:
    """Row, column and line of each texel of boxes (N, 2) from their lowest corners on."""
    counts = wide.prod(axis=1)
    rows = np.repeat(np.arange(len(low)), counts)
    within = np.arange(counts.sum()) - np.repeat(np.cumsum(counts) - counts, counts)
    across = np.maximum(wide[rows, 0], 1)
    return rows, low[rows, 0] + within % across, low[rows, 1] + within // across


def _nearest(corners: Floats, at: Floats) -> tuple[NDArray[np.float32], NDArray[np.float32]]:
    """How far places (N, 2) lie from triangles (N, 3, 2), and the weights (N, 2) of the second and third
    corners where those are nearest. Source: Ericson 2005, "Real-Time Collision Detection", 5.1.5."""
    a, b, c = (corners[:, k].astype(np.float64) for k in range(3))
    ab, ac, bc = b - a, c - a, c - b
    ap, bp = at - a, at - b
    cross = ab[:, 0] * ac[:, 1] - ab[:, 1] * ac[:, 0]
    safe = np.where(np.abs(cross) > 1e-12, cross, 1.0)
    v = np.where(np.abs(cross) > 1e-12, (ap[:, 0] * ac[:, 1] - ap[:, 1] * ac[:, 0]) / safe, -1.0)
    w = np.where(np.abs(cross) > 1e-12, (ab[:, 0] * ap[:, 1] - ab[:, 1] * ap[:, 0]) / safe, -1.0)
    inside = (v >= 0.0) & (w >= 0.0) & (v + w <= 1.0)
    nothing = np.zeros(len(at))
    best = np.where(inside, 0.0, np.inf)
    weights = np.stack([v, w], axis=1)
    for along, direction, start, at_start in ((ab, ap, a, 0), (ac, ap, a, 1), (bc, bp, b, 2)):
        length = np.maximum((along**2).sum(axis=1), 1e-20)
        t = np.clip((direction * along).sum(axis=1) / length, 0.0, 1.0)
        away = np.linalg.norm(at - start - along * t[:, None], axis=1)
        own = ((t, nothing), (nothing, t), (1.0 - t, t))[at_start]
        nearer = away < best
        weights[nearer] = np.stack(own, axis=1)[nearer]
        best = np.where(nearer, away, best)
    return best.astype(np.float32), np.clip(weights, 0.0, 1.0).astype(np.float32)


def filled(pages: Floats, known: NDArray[np.bool_]) -> NDArray[np.float32]:
    """(P, H, W, C) with what is not known (P, H, W) as the nearest on its page that is."""
    out = np.array(pages, np.float32)
    for page, has in zip(out, known, strict=True):
        if has.any():
            line, column = distance_transform_edt(~has, return_distances=False, return_indices=True)
            page[...] = page[line, column]
    return out
