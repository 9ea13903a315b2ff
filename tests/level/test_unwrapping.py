"""Triangles laid flat: as large as they are, apart from each other, by their own coordinates where they have any."""

import numpy as np
import pytest
from level_shapes import grey_level, plain_ground

from wallum.errors import LevelProblem
from wallum.level.model.flatten import flatten
from wallum.level.model.model import Level, Mesh, Part, Primitive
from wallum.level.model.solids import box
from wallum.level.model.unwrapping import PADDING, unwrap_apart


def shapes():
    return grey_level(
        box((0, 0, 0), (2, 1, 3), 0), box((3, 0, 0), (3.5, 2, 0.5), 0), box((0, 4, 0), (6, 4.2, 1), 0)
    )


def laid_flat(level, texels_m, own=None):
    flat = flatten(level)
    own = np.zeros(len(level.parts), bool) if own is None else own
    return flat, unwrap_apart(flat, np.arange(len(flat.faces)), own, texels_m)


def areas_of(uv):
    a, b, c = uv[:, 0], uv[:, 1], uv[:, 2]
    return 0.5 * np.abs((b - a)[:, 0] * (c - a)[:, 1] - (b - a)[:, 1] * (c - a)[:, 0])


def test_each_triangle_has_its_texels_a_square_metre():
    """Sides of whole texels stay as long as they are; others are widened to the next."""
    for texels_m, whole in ((10.0, True), (11.0, False)):
        flat, laid = laid_flat(shapes(), texels_m)
        assert sorted(laid.triangles) == list(range(len(flat.faces)))
        areas, wanted = areas_of(laid.uv[laid.faces]), flat.areas[laid.triangles] * texels_m**2
        assert (areas > 0.99 * wanted).all()
        assert (areas < np.square(np.sqrt(wanted) + 1.5)).all()
        if whole:
            assert areas == pytest.approx(wanted, rel=1e-3)
        assert (flat.positions[laid.vertices[laid.faces]] == flat.positions[flat.faces[laid.triangles]]).all()


def test_no_two_triangles_share_a_place_and_charts_keep_their_distance():
    """Texels whose middle lies inside a triangle belong to it alone; of other charts none lies nearer than
    the padding."""
    _, laid = laid_flat(shapes(), 6.0)
    width, height = laid.size
    charts = charts_of(laid.faces, len(laid.vertices))
    owner = np.full((height, width), -1)
    for triangle, corners in enumerate(laid.uv[laid.faces]):
        for line, column in inside(corners):
            assert owner[line, column] in (-1, charts[triangle]), "two charts at one place"
            owner[line, column] = charts[triangle]
    for step in range(1, PADDING):
        across = (owner[:, :-step] >= 0) & (owner[:, step:] >= 0)
        assert (owner[:, :-step] == owner[:, step:])[across].all()
        along = (owner[:-step] >= 0) & (owner[step:] >= 0)
        assert (owner[:-step] == owner[step:])[along].all()


def charts_of(faces, count):
    """(T,) which triangles hang together by their corners."""
    parent = list(range(count))

    def top(item):
        while parent[item] != item:
            parent[item] = parent[parent[item]]
            item = parent[item]
        return item

    for a, b, c in faces.tolist():
        parent[top(a)] = parent[top(b)] = top(c)
    return [top(a) for a, _, _ in faces.tolist()]


def turned(item, other):
    return item[..., 0] * other[..., 1] - item[..., 1] * other[..., 0]


def inside(corners):
    """Texels whose middles lie inside a triangle, well away from its sides."""
    low, high = np.floor(corners.min(axis=0)).astype(int), np.ceil(corners.max(axis=0)).astype(int)
    column, line = np.meshgrid(np.arange(low[0], high[0]), np.arange(low[1], high[1]))
    at = np.stack([column.ravel() + 0.5, line.ravel() + 0.5], axis=1)
    a, b, c = corners
    whole = turned(b - a, c - a)
    if abs(whole) < 1e-9:
        return []
    shares = [turned(q - p, at - p) / whole for p, q in ((a, b), (b, c), (c, a))]
    there = np.min(shares, axis=0) > 1e-3
    return list(zip(line.ravel()[there], column.ravel()[there], strict=True))


def test_a_parts_own_coordinates_are_its_charts():
    """One chart for a strip of two squares that stand at an angle: its own coordinates lay it in one piece."""
    corners = np.array([[0, 0, 0], [0, 0, 2], [1, 0, 2], [1, 0, 0], [1, 1, 2], [1, 1, 0]], np.float32)
    faces = np.array([[0, 1, 2], [0, 2, 3], [3, 2, 4], [3, 4, 5]], np.uint32)
    uv = np.array([[0, 0], [0, 1], [0.5, 1], [0.5, 0], [1, 1], [1, 0]], np.float32)
    up = np.tile(np.array([0, 1, 0], np.float32), (6, 1))
    strip = Primitive(corners, up, faces, 0, uv0=uv, uv1=uv)
    level = Level("strip", (Mesh("strip", (strip,)),), (Part("strip", "strip", 0, np.eye(4)),))
    _, own = laid_flat(level, 8.0, np.array([True]))
    assert len(own.vertices) == 6, "no corner is there twice"
    _, other = laid_flat(level, 8.0)
    assert len(other.vertices) > 6
    assert areas_of(own.uv[own.faces]).sum() == pytest.approx(4.0 * 64.0, rel=0.05)


def test_what_is_not_wanted_any_more_is_left_at_once():
    flat = flatten(plain_ground())
    chosen = np.arange(len(flat.faces))
    assert unwrap_apart(flat, chosen, np.zeros(1, bool), 4.0, lambda: False) is None


def test_what_cannot_be_laid_flat_is_said_in_one_sentence(monkeypatch):
    monkeypatch.setattr("wallum.level.model.unwrapping.sys.executable", "/bin/false")
    flat = flatten(plain_ground())
    with pytest.raises(LevelProblem, match="could not be laid flat"):
        unwrap_apart(flat, np.arange(len(flat.faces)), np.zeros(1, bool), 4.0)
