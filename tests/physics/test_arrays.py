"""Vectors by the column: what the plain formulas give."""

import struct

import numpy as np
import pytest

from wallum.physics.arrays import as_half, cofactors, crossed, dots, normalised, scaled

KINDS = [np.float32, np.float64]


@pytest.fixture(params=KINDS)
def pair(request, rng):
    return rng.normal(size=(2, 500, 3)).astype(request.param)


def test_products_are_numpys(pair):
    a, b = pair
    loose = {"rtol": 1e-4, "atol": 1e-5}
    assert np.allclose(dots(a, b), (a * b).sum(axis=1), **loose)
    assert np.allclose(crossed(a, b), np.cross(a, b), **loose)
    assert np.allclose(scaled(a, b[:, 0]), a * b[:, :1], **loose)


def test_a_cross_product_is_square_to_both(pair):
    a, b = pair
    across = crossed(a, b)
    size = np.linalg.norm(a, axis=1) * np.linalg.norm(b, axis=1)
    for item in (a, b):
        assert np.abs(dots(across, item) / size).max() < 1e-4


def test_normalised_keeps_directions_and_leaves_nothing_as_it_is(pair):
    a, _ = pair
    a[7] = 0.0
    unit = normalised(a)
    lengths = np.linalg.norm(unit, axis=1)
    assert lengths[np.arange(500) != 7] == pytest.approx(np.ones(499), abs=1e-5)
    assert (unit[7] == 0.0).all()
    assert (dots(unit, a)[np.arange(500) != 7] > 0.0).all()


def test_precision_is_that_of_what_comes_in(pair):
    a, b = pair
    for item in (dots(a, b), crossed(a, b), scaled(a, b[:, 0]), normalised(a)):
        assert item.dtype == a.dtype


def test_one_vector_and_a_field_of_them_are_taken_too(rng):
    field = rng.normal(size=(4, 5, 3))
    assert normalised(field) == pytest.approx(field / np.linalg.norm(field, axis=-1, keepdims=True))
    assert normalised(field[0, 0]) == pytest.approx(field[0, 0] / np.linalg.norm(field[0, 0]))
    assert dots(field, field[0, 0]) == pytest.approx(field @ field[0, 0])


def test_cofactors_are_the_determinant_times_the_transposed_inverse(rng):
    for matrix in rng.normal(size=(20, 3, 3)):
        assert np.allclose(cofactors(matrix), np.linalg.det(matrix) * np.linalg.inv(matrix).T)


def test_cofactors_turn_normals_square_to_what_the_matrix_made_of_a_face(rng):
    for matrix in (rng.normal(size=(3, 3)), np.diag([1.0, -2.0, 3.0]), np.diag([2.0, 3.0, 0.0])):
        a, b = rng.normal(size=(2, 3))
        turned = cofactors(matrix) @ np.cross(a, b)
        assert np.allclose(turned, np.cross(matrix @ a, matrix @ b))


def test_half_floats_are_those_that_the_standard_has():
    """Against Python's own codec of IEEE 754 binary16, at every magnitude and about where rounding turns."""
    rng = np.random.default_rng(5)
    many = 10.0 ** rng.uniform(-12.0, 4.7, 20_000) * rng.choice([-1.0, 1.0], 20_000)
    steps = np.arange(0.0, 1100.0, 0.25) * 2.0**-24  # halves and quarters between the smallest
    values = np.concatenate([many, steps, -steps, [0.0, -0.0, 65_504.0]]).astype(np.float32)
    wanted = np.frombuffer(struct.pack(f"<{len(values)}e", *values.tolist()), np.uint16)
    assert np.array_equal(as_half(values).view(np.uint16), wanted)
