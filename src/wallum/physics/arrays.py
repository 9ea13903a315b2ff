"""Array types, and the one check at the edge that turns input into them."""

from typing import Any

import numpy as np
from numpy.typing import NDArray

from wallum.errors import ShapeProblem

# Any float array; the shape is said in the docstring of whoever takes it.
Floats = NDArray[Any]

__all__ = ["Floats", "as_vectors", "dots", "normalised"]


def as_vectors(value: Any, name: str) -> NDArray[np.float64]:
    """`value` as a finite (N, 3) float64 array; raises ShapeProblem naming `name`."""
    out = np.atleast_2d(np.asarray(value, dtype=np.float64))
    if out.ndim != 2 or out.shape[1] != 3:
        raise ShapeProblem(f"shape {out.shape}", name, "(N, 3)")
    if not np.isfinite(out).all():
        raise ShapeProblem("not every value is finite", name, "finite numbers")
    return out


def normalised(vectors: Floats) -> Floats:
    """(..., 3) vectors scaled to length 1; a zero vector stays zero."""
    vectors = np.asarray(vectors)
    length = np.sqrt((vectors * vectors) @ np.ones(3, vectors.dtype))[..., None]
    length[length == 0.0] = 1.0
    return np.asarray(vectors / length)


def dots(a: Floats, b: Floats) -> NDArray[np.float64]:
    """(N,) products of (N, 3) with (N, 3)."""
    # A product with ones is several times as fast as a sum over so short an axis.
    both = a * b
    return np.asarray(both @ np.ones(3, both.dtype))
