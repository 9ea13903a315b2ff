"""Array types, and the one check at the edge that turns input into them."""

from typing import Any

import numpy as np
from numpy.typing import NDArray

from wallum.errors import ShapeProblem

# Any float array; the shape is said in the docstring of whoever takes it.
Floats = NDArray[Any]

__all__ = ["Floats", "as_half", "as_vectors", "cofactors", "crossed", "dots", "normalised", "scaled"]


def as_vectors(value: Any, name: str) -> NDArray[np.float64]:
    """`value` as a finite (N, 3) float64 array; raises ShapeProblem naming `name`."""
    out = np.atleast_2d(np.asarray(value, dtype=np.float64))
    if out.ndim != 2 or out.shape[1] != 3:
        raise ShapeProblem(f"shape {out.shape}", name, "(N, 3)")
    if not np.isfinite(out).all():
        raise ShapeProblem("not every value is finite", name, "finite numbers")
    return out


def as_half(values: NDArray[np.float32]) -> NDArray[np.float16]:
    """Floats as half floats (IEEE 754 binary16), rounded to the nearest; much faster than `astype` where many
    are below 2^-14, which halves have as whole numbers of 2^-24."""
    small = np.abs(values) < np.float32(2.0**-14)
    out = np.where(small, np.float32(0.0), values).astype(np.float16)
    steps = np.rint(np.where(small, np.abs(values), np.float32(0.0)) * np.float32(2.0**24))
    bits = out.view(np.uint16)
    bits |= steps.astype(np.uint16)
    bits |= (small & np.signbit(values)).astype(np.uint16) << np.uint16(15)
    return out


# Of (N, 3) arrays, a column at a time is several times as fast as an axis of three at a time.


def normalised(vectors: Floats) -> Floats:
    """(..., 3) vectors scaled to length 1; a zero vector stays zero."""
    vectors = np.asarray(vectors)
    length = np.sqrt(dots(vectors, vectors))
    return scaled(vectors, 1.0 / np.where(length == 0.0, length.dtype.type(1.0), length))


def scaled(vectors: Floats, factors: Floats) -> Floats:
    """(..., 3) vectors, each times its factor (...,)."""
    vectors = np.asarray(vectors)
    out = np.empty(vectors.shape, np.result_type(vectors, factors))
    for k in range(3):
        np.multiply(vectors[..., k], factors, out=out[..., k])
    return out


def crossed(a: Floats, b: Floats) -> Floats:
    """(N, 3) cross products of (N, 3) with (N, 3)."""
    out = np.empty(a.shape, np.result_type(a, b))
    for k, m, n in ((0, 1, 2), (1, 2, 0), (2, 0, 1)):
        np.subtract(a[:, m] * b[:, n], a[:, n] * b[:, m], out=out[:, k])
    return out


def cofactors(linear: Floats) -> NDArray[np.float64]:
    """(3, 3) what turns normals where a (3, 3) turns places: its determinant times its inverse,
    transposed; right for one that presses all flat, too, which has no inverse."""
    # Each row is the cross product of the two others.
    return np.cross(linear[[1, 2, 0]], linear[[2, 0, 1]])


def dots(a: Floats, b: Floats) -> Floats:
    """(...,) products of (..., 3) with (..., 3)."""
    return np.asarray(a[..., 0] * b[..., 0] + a[..., 1] * b[..., 1] + a[..., 2] * b[..., 2])
