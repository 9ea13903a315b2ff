"""Shapes that the places of the works are built from: worn boxes, walls with openings, turned
solids, beams, mats, plants. Lengths in metres, texture coordinates in metres too."""

from collections.abc import Iterable, Sequence
from dataclasses import replace
from itertools import pairwise

import numpy as np
from numpy.typing import NDArray

from wallum.level.model.model import Primitive
from wallum.level.model.shading_basis import with_tangents
from wallum.level.model.solids import grid, revolve

__all__ = [
    "at",
    "beam",
    "bevelled_box",
    "blades",
    "heap",
    "joined",
    "moved",
    "pot_profile",
    "sheet",
    "tube_along",
    "turned",
    "wall",
]

Vec = tuple[float, float, float]
BEVEL_M = 0.025


def at(x: float, y: float, z: float, turn_deg: float = 0.0, scale: float = 1.0) -> NDArray[np.float64]:
    """(4, 4) place and turn about the upright, counter-clockwise seen from above."""
    out = np.eye(4)
    angle = np.radians(turn_deg)
    c, s = np.cos(angle), np.sin(angle)
    out[:3, :3] = np.array([[c, 0.0, s], [0.0, 1.0, 0.0], [-s, 0.0, c]]) * scale
    out[:3, 3] = (x, y, z)
    return out


def moved(given: Primitive, matrix: NDArray[np.float64]) -> Primitive:
    """A primitive with a rotation, even scale and shift written in."""
    linear = matrix[:3, :3]
    size = float(np.cbrt(abs(np.linalg.det(linear))))
    turn = (linear / size).T.astype(np.float32)
    lines = None
    if given.tangents is not None:
        lines = np.concatenate([given.tangents[:, :3] @ turn, given.tangents[:, 3:]], axis=1)
    positions = (given.positions @ linear.T + matrix[:3, 3]).astype(np.float32)
    return replace(given, positions=positions, normals=given.normals @ turn, tangents=lines)


def joined(parts: Iterable[Primitive]) -> tuple[Primitive, ...]:
    """Primitives of one material become one."""
    by_material: dict[int, list[Primitive]] = {}
    for part in parts:
        by_material.setdefault(part.material, []).append(part)
    return tuple(_join(group) for group in by_material.values())


def _join(group: Sequence[Primitive]) -> Primitive:
    first, faces = 0, []
    for item in group:
        faces.append(item.triangles + np.uint32(first))
        first += len(item.positions)

    def column(name: str) -> NDArray[np.float32]:
        return np.concatenate([getattr(item, name) for item in group]).astype(np.float32)

    return Primitive(
        column("positions"),
        column("normals"),
        np.concatenate(faces).astype(np.uint32),
        group[0].material,
        tangents=column("tangents"),
        uv0=column("uv0"),
    )


def _finished(
    positions: NDArray[np.float64],
    normals: NDArray[np.float64],
    faces: NDArray[np.int64],
    uv: NDArray[np.float64],
    material: int,
) -> Primitive:
    p, n, t = positions.astype(np.float32), normals.astype(np.float32), faces.astype(np.uint32)
    u = uv.astype(np.float32)
    return with_tangents(Primitive(p, n, t, material, uv0=u))


def _by_direction(points: NDArray[np.float64], normals: NDArray[np.float64]) -> NDArray[np.float64]:
    """Texture coordinates in metres, laid on along the axis that a face looks along most."""
    axis = np.abs(normals).argmax(axis=1)
    u = np.where(axis == 0, points[:, 2], points[:, 0])
    v = np.where(axis == 1, points[:, 2], -points[:, 1])
    return np.stack([u, v], axis=1)


def bevelled_box(low: Vec, high: Vec, material: int, bevel: float = BEVEL_M) -> Primitive:
    """A box whose edges are rounded off by one slanted face, so that they catch light."""
    lo, hi = np.minimum(low, high).astype(float), np.maximum(low, high).astype(float)
    b = min(bevel, 0.3 * float((hi - lo).min()))
    points: list[NDArray[np.float64]] = []
    normals: list[NDArray[np.float64]] = []
    faces: list[tuple[int, int, int]] = []

    def add(corners: Sequence[NDArray[np.float64]], smooth: Sequence[NDArray[np.float64]]) -> None:
        start = len(points)
        a, b_, c = corners[:3]
        outward = sum(smooth)
        order = list(range(len(corners)))
        if np.dot(np.cross(b_ - a, c - a), outward) < 0.0:
            order.reverse()
        for index in order:
            points.append(corners[index])
            normals.append(smooth[index] / np.linalg.norm(smooth[index]))
        for k in range(1, len(order) - 1):
            faces.append((start, start + k, start + k + 1))

    def corner(signs: tuple[int, int, int], axis: int) -> NDArray[np.float64]:
        """The corner of the face that looks along an axis, at one of the eight corners."""
        place = np.where(np.array(signs) > 0, hi - b, lo + b)
        place[axis] = hi[axis] if signs[axis] > 0 else lo[axis]
        return np.asarray(place)

    unit = np.eye(3)
    for axis in range(3):
        u, v = (axis + 1) % 3, (axis + 2) % 3
        for side in (-1, 1):
            ring = []
            for su, sv in ((-1, -1), (1, -1), (1, 1), (-1, 1)):
                signs = [0, 0, 0]
                signs[axis], signs[u], signs[v] = side, su, sv
                ring.append(corner((signs[0], signs[1], signs[2]), axis))
            add(ring, [unit[axis] * side] * 4)
            for other_side in (-1, 1):  # the edge between this face and the next axis' face
                a_signs, b_signs = [0, 0, 0], [0, 0, 0]
                for signs, end in ((a_signs, -1), (b_signs, 1)):
                    signs[axis], signs[u], signs[v] = side, other_side, end
                first = [corner((s[0], s[1], s[2]), axis) for s in (a_signs, b_signs)]
                second = [corner((s[0], s[1], s[2]), u) for s in (b_signs, a_signs)]
                add([*first, *second], [unit[axis] * side] * 2 + [unit[u] * other_side] * 2)
    for sx in (-1, 1):
        for sy in (-1, 1):
            for sz in (-1, 1):
                tip = (sx, sy, sz)
                add([corner(tip, k) for k in range(3)], [unit[k] * tip[k] for k in range(3)])
    p, n = np.array(points), np.array(normals)
    return _finished(p, n, np.array(faces), _by_direction(p, n), material)


def beam(start: Vec, end: Vec, wide: float, high: float, material: int) -> Primitive:
    """A timber from one place to another, its grain along it."""
    a, b = np.array(start, float), np.array(end, float)
    long = float(np.linalg.norm(b - a))
    ahead = (b - a) / long
    helper = np.array([0.0, 1.0, 0.0]) if abs(ahead[1]) < 0.95 else np.array([1.0, 0.0, 0.0])
    side = np.cross(helper, ahead)
    side /= np.linalg.norm(side)
    up = np.cross(ahead, side)
    box = bevelled_box((-wide / 2, -high / 2, 0.0), (wide / 2, high / 2, long), material, 0.012)
    matrix = np.eye(4)
    matrix[:3, :3] = np.stack([side, up, ahead], axis=1)
    matrix[:3, 3] = a
    uv = np.stack([box.positions[:, 0] + box.positions[:, 1], box.positions[:, 2]], axis=1)
    return moved(replace(box, uv0=uv.astype(np.float32)), matrix)


def wall(
    start: tuple[float, float],
    end: tuple[float, float],
    low: float,
    high: float,
    thick: float,
    material: int,
    openings: Sequence[tuple[float, float, float, float]] = (),
) -> list[Primitive]:
    """An upright wall on a line (x, z) to (x, z), with openings left in it.

    openings : (from, to, sill, head): metres along the wall, and heights above `low`
    """
    a, b = np.array(start, float), np.array(end, float)
    long = float(np.linalg.norm(b - a))
    cuts = sorted({0.0, long, *(edge for opening in openings for edge in opening[:2])})
    matrix = at(start[0], 0.0, start[1])
    turn = np.arctan2(b[1] - a[1], b[0] - a[0])
    c, s = np.cos(turn), np.sin(turn)
    matrix[:3, :3] = np.array([[c, 0.0, -s], [0.0, 1.0, 0.0], [s, 0.0, c]])
    out = []
    for left, right in pairwise(cuts):
        middle = 0.5 * (left + right)
        here = [opening for opening in openings if opening[0] <= middle <= opening[1]]
        spans = [(low, high)]
        if here:
            _, _, sill, head = here[0]
            spans = [(low, low + sill), (low + head, high)]
        for bottom, top in spans:
            if top - bottom > 0.02:
                out.append(_block((left, bottom), (right, top), thick, material, matrix))
    return out


def _block(
    low: tuple[float, float],
    high: tuple[float, float],
    thick: float,
    material: int,
    matrix: NDArray[np.float64],
) -> Primitive:
    box = bevelled_box((low[0], low[1], -thick / 2), (high[0], high[1], thick / 2), material, 0.015)
    uv = _by_direction(box.positions.astype(np.float64), box.normals.astype(np.float64))
    return moved(replace(box, uv0=uv.astype(np.float32)), matrix)


def turned(
    profile: Sequence[tuple[float, float]], segments: int, material: int, smooth: int = 3
) -> Primitive:
    """A turned solid from (radius, height), top first; coordinates in metres around and down."""
    line = np.array(profile, float)
    if smooth > 1:
        steps = np.linspace(0.0, len(line) - 1.0, (len(line) - 1) * smooth + 1)
        line = np.stack([np.interp(steps, np.arange(len(line)), line[:, k]) for k in (0, 1)], axis=1)
    solid = revolve(line, segments, material, 1.0)
    assert solid.uv0 is not None
    run = np.concatenate([[0.0], np.cumsum(np.linalg.norm(np.diff(line, axis=0), axis=1))])
    around = round(2.0 * np.pi * float(line[:, 0].max()))
    u = solid.uv0[:, 0] * max(around, 1)
    v = np.repeat(run, segments + 1)
    uv = np.stack([u, v], axis=1).astype(np.float32)
    return with_tangents(replace(solid, uv0=uv))


def sheet(points: NDArray[np.float64], material: int, metres: tuple[float, float] | None = None) -> Primitive:
    """A smooth sheet through a net (R, C, 3); coordinates over x and z in metres, or as given."""
    built = grid(points, material, metres or (1.0, 1.0))
    if metres is not None:
        return built
    uv = built.positions[:, [0, 2]].astype(np.float32)
    return with_tangents(replace(built, uv0=uv))


def tube_along(points: NDArray[np.float64], radius: float, sides: int, material: int) -> Primitive:
    """A round cord or pipe along a line (K, 3)."""
    line = np.asarray(points, dtype=float)
    ahead = np.gradient(line, axis=0)
    ahead /= np.linalg.norm(ahead, axis=1, keepdims=True)
    helper = np.array([0.0, 1.0, 0.0]) if abs(ahead[0, 1]) < 0.9 else np.array([1.0, 0.0, 0.0])
    side = np.cross(ahead, helper)
    side /= np.linalg.norm(side, axis=1, keepdims=True)
    up = np.cross(side, ahead)
    angle = np.linspace(0.0, 2.0 * np.pi, sides + 1)
    ring = np.cos(angle)[None, :, None] * side[:, None] - np.sin(angle)[None, :, None] * up[:, None]
    return grid(line[:, None] + ring * radius, material, (1.0, float(len(line))))


def pot_profile(
    belly: float, neck: float, height: float, foot: float, rows: int = 11
) -> list[tuple[float, float]]:
    """Outline of a thrown pot, from inside its neck over the lip down to its foot."""
    t = np.linspace(0.0, 1.0, rows)
    shape = np.interp(
        t, [0.0, 0.06, 0.16, 0.42, 0.74, 1.0], [neck * 1.22, neck, neck * 1.12, belly, belly * 0.84, foot]
    )
    inside = [(0.012, height * 0.45), (neck * 0.82, height * 0.78), (neck * 1.06, height * 0.995)]
    return inside + [(float(r), float(height * (1.0 - k))) for r, k in zip(shape, t, strict=True)]


def blades(
    rng: np.random.Generator,
    count: int,
    length: float,
    spread: float,
    material: int,
    droop: float = 0.35,
    rows: int = 4,
) -> Primitive:
    """A tuft of blades about the origin: each a narrow bent strip, seen from both sides."""
    nets = []
    for _ in range(count):
        turn, lean = rng.random() * 2.0 * np.pi, spread * (0.35 + 0.65 * rng.random())
        long = length * (0.6 + 0.4 * rng.random())
        wide = 0.035 * length * (0.7 + 0.6 * rng.random())
        t = np.linspace(0.0, 1.0, rows)[:, None]
        out = np.array([np.cos(turn), 0.0, np.sin(turn)])
        line = out * (np.sin(lean) * t * long * (0.4 + 0.6 * t)) + np.array([0.0, 1.0, 0.0]) * long * (
            t * np.cos(lean * 0.6) - droop * lean * t**3
        )
        across = np.array([-np.sin(turn), 0.0, np.cos(turn)]) * wide * (1.0 - t) ** 0.6
        nets.append(grid(np.stack([line - across, line + across], axis=1), material))
    return _join(nets)


def heap(
    rng: np.random.Generator, radius: float, height: float, material: int, detail: int = 24
) -> Primitive:
    """A low irregular heap of earth or clay."""
    angle, reach = np.linspace(0.0, 2.0 * np.pi, detail + 1), np.linspace(0.0, 1.0, detail // 3 + 1)
    wobble = 1.0 + 0.16 * np.sin(angle * 3 + rng.random() * 6) + 0.1 * np.sin(angle * 5 + rng.random() * 6)
    r = reach[:, None] * radius * wobble
    y = height * np.cos(reach[:, None] * np.pi / 2) ** 1.4 * (1.0 + 0.12 * np.sin(angle * 4 + 1.0))
    points = np.stack([r * np.cos(angle), y - 0.03, r * np.sin(angle)], axis=-1)
    return sheet(points, material)
