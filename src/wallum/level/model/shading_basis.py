"""Normals and tangents for meshes that came without."""

from dataclasses import replace
from typing import Any

import numpy as np
from numpy.typing import NDArray
from scipy.sparse import coo_matrix
from scipy.sparse.csgraph import connected_components

from wallum.level.model.model import Primitive
from wallum.physics.arrays import normalised

__all__ = ["corner_tangents", "flat_normals", "with_tangents"]


def flat_normals(positions: NDArray[np.float32]) -> NDArray[np.float32]:
    """Unit normals of unshared corners: (3 T, 3) positions to (3 T, 3).

    The standard asks for flat normals where none are given (glTF 2.0, section 3.7.2.1).
    A triangle without area gets +Y.
    """
    corners = positions.reshape(-1, 3, 3).astype(np.float64)
    crossed = np.cross(corners[:, 1] - corners[:, 0], corners[:, 2] - corners[:, 0])
    unit = normalised(crossed)
    unit[np.linalg.norm(crossed, axis=1) == 0.0] = (0.0, 1.0, 0.0)
    return np.repeat(unit, 3, axis=0).astype(np.float32)


def _sum_at(index: NDArray[np.int64], values: NDArray[np.float64], size: int) -> NDArray[np.float64]:
    columns = [np.bincount(index, weights=values[:, axis], minlength=size) for axis in range(3)]
    return np.stack(columns, axis=1)


def _unit(vectors: NDArray[np.float64]) -> NDArray[np.float64]:
    """The same at length 1; zeros stay zeros."""
    length = np.linalg.norm(vectors, axis=-1, keepdims=True)
    return vectors / np.where(length > 0.0, length, 1.0)


def _in_plane(vectors: NDArray[np.float64], normals: NDArray[np.float64]) -> NDArray[np.float64]:
    """Vectors without their part along the normals, at length 1."""
    return _unit(vectors - normals * (vectors * normals).sum(axis=-1, keepdims=True))


def _welded(*columns: NDArray[np.float32]) -> NDArray[np.int64]:
    """(N,) a number for each corner; those that are alike in every column share one."""
    rows = np.ascontiguousarray(np.concatenate(columns, axis=1, dtype=np.float32)) + np.float32(0.0)
    keys = rows.view([("", np.void, rows.dtype.itemsize * rows.shape[1])]).ravel()
    return np.unique(keys, return_inverse=True)[1].ravel()


def _groups(
    vertex: NDArray[np.int64], sound: NDArray[np.bool_], turned: NDArray[np.bool_]
) -> NDArray[np.int64]:
    """(3 T,) groups of corners that share a tangent: those about one vertex whose triangles meet at
    edges and are laid out alike, not one mirrored."""
    corner = np.arange(len(vertex)).reshape(-1, 3)
    start, end = corner.ravel(), np.roll(corner, -1, axis=1).ravel()
    a, b = vertex[start], vertex[end]
    triangle = start // 3
    key = np.minimum(a, b) * (int(vertex.max()) + 1) + np.maximum(a, b)
    order = np.lexsort((a > b, turned[triangle], key))
    item, two = order[:-1], order[1:]
    alike = (key[item] == key[two]) & (a[item] == b[two]) & (a[item] != a[two])
    alike &= (turned[triangle[item]] == turned[triangle[two]]) & sound[triangle[item]] & sound[triangle[two]]
    item, two = item[alike], two[alike]
    # Of two triangles at an edge, the corners at its one end belong together, and those at its other.
    left = np.concatenate([start[item], end[item]])
    right = np.concatenate([end[two], start[two]])
    links = coo_matrix((np.ones(len(left), bool), (left, right)), shape=(len(vertex),) * 2)
    return np.asarray(connected_components(links, directed=False)[1])


def corner_tangents(
    positions: NDArray[np.float32],
    normals: NDArray[np.float32],
    uv: NDArray[np.float32],
    triangles: NDArray[np.uint32],
) -> tuple[NDArray[np.float64], NDArray[np.int64]]:
    """(3 T, 4) unit tangents along u at each corner, the bitangent's sign in w; and (3 T,) which
    corners share one.

    As MikkTSpace makes them (Mikkelsen 2008, "Simulation of Wrinkled Surfaces Revisited", and the
    reference code `mikktspace.c`), which glTF 2.0, section 3.7.2.1, asks for: corners that are alike are
    one; about each, triangles that meet at edges and are not mirrored share the mean of their
    directions, laid into the plane of the normal and weighed by the angle. In glTF v goes down the
    picture and the bitangent up. Where the coordinates give no direction, that of a neighbour is
    taken, or any that is square to the normal.
    """
    corners = triangles.ravel()
    p, n, t = (item[corners].astype(np.float64) for item in (positions, normals, uv))
    vertex = _welded(positions[corners], normals[corners], uv[corners])
    at, laid = p.reshape(-1, 3, 3), t.reshape(-1, 3, 2)
    edge1, edge2 = at[:, 1] - at[:, 0], at[:, 2] - at[:, 0]
    d1, d2 = laid[:, 1] - laid[:, 0], laid[:, 2] - laid[:, 0]
    area = d1[:, 0] * d2[:, 1] - d2[:, 0] * d1[:, 1]
    turned = area < 0.0  # v goes down: what runs clockwise in the file runs the other way in the picture
    along = _unit(edge1 * d2[:, 1:2] - edge2 * d1[:, 1:2]) * np.where(area < 0.0, -1.0, 1.0)[:, None]
    flat = np.linalg.norm(np.cross(edge1, edge2), axis=1) == 0.0
    sound = (area != 0.0) & ~flat & (np.linalg.norm(along, axis=1) > 0.0)
    group = _groups(vertex, sound, turned)
    good = np.repeat(sound, 3)
    before, after = np.roll(at, 1, axis=1).reshape(-1, 3), np.roll(at, -1, axis=1).reshape(-1, 3)
    between = (_in_plane(before - p, n) * _in_plane(after - p, n)).sum(axis=1)
    angle = np.where(good, np.arccos(np.clip(between, -1.0, 1.0)), 0.0)[:, None]
    part = _in_plane(np.repeat(along, 3, axis=0), n) * angle
    summed = _unit(_sum_at(group, part, int(group.max()) + 1 if len(group) else 0))
    out = np.concatenate([summed[group], np.where(np.repeat(turned, 3), 1.0, -1.0)[:, None]], axis=1)
    return _without_gaps(out, n, vertex, group, good)


def _without_gaps(
    out: NDArray[np.float64],
    normals: NDArray[np.float64],
    vertex: NDArray[np.int64],
    group: NDArray[np.int64],
    good: NDArray[np.bool_],
) -> tuple[NDArray[np.float64], NDArray[np.int64]]:
    """Directions for corners that have none of their own: of a corner that is alike, or any."""
    lost = ~good | (np.linalg.norm(out[:, :3], axis=1) < 0.5)
    if not lost.any():
        return out, group
    donor = np.full(int(vertex.max()) + 1, -1)
    donor[vertex[~lost]] = np.flatnonzero(~lost)
    from_one = lost & (donor[vertex] >= 0)
    out[from_one] = out[donor[vertex[from_one]]]
    group = group.copy()
    group[from_one] = group[donor[vertex[from_one]]]
    alone = lost & ~from_one
    n = normals[alone]
    helper = np.where(np.abs(n[:, :1]) < 0.9, [[1.0, 0.0, 0.0]], [[0.0, 1.0, 0.0]])
    out[alone, :3], out[alone, 3] = _unit(np.cross(n, helper)), 1.0
    # Alike corners without a direction get the same one: they stay one.
    group[alone] = int(group.max(initial=0)) + 1 + vertex[alone]
    return out, group


def with_tangents(primitive: Primitive) -> Primitive:
    """A primitive with the tangents of `corner_tangents`; vertices whose corners differ are split."""
    assert primitive.uv0 is not None
    corners = primitive.triangles.ravel()
    if not len(corners):
        return replace(primitive, tangents=np.zeros((len(primitive.positions), 4), np.float32))
    built, group = corner_tangents(primitive.positions, primitive.normals, primitive.uv0, primitive.triangles)
    pair = corners.astype(np.int64) * (int(group.max()) + 1) + group
    _, first, place = np.unique(pair, return_index=True, return_inverse=True)
    source = corners[first]
    tangents = built[first].astype(np.float32)
    selected: dict[str, Any] = {
        name: None if (values := getattr(primitive, name)) is None else values[source]
        for name in ("positions", "normals", "uv0", "uv1", "colours")
    }
    faces = place.reshape(-1, 3).astype(np.uint32)
    return replace(primitive, **selected, triangles=faces, tangents=tangents)
