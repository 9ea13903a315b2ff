"""Sampling weights of lamps: a path that follows one lamp at a time picks it by them."""

from collections.abc import Callable

import numpy as np
from numpy.typing import NDArray

from wallum.moment.kinds import by_kind
from wallum.moment.kinds.kind import Kind
from wallum.moment.lamps import LampRows
from wallum.physics.arrays import Floats

__all__ = ["lamp_weights"]

Weights = Callable[[Floats, Floats], NDArray[np.float32]]


def lamp_weights(lamps: LampRows) -> Weights:
    """The function that gives sampling weights for surfaces.

    lamps : (L,) rows; they may have all kinds
    Returns a function of places (N, 3) and normals (N, 3) that gives (L, N), see `Kind.about`. Kinds that
    share the method are weighted in one call.
    """
    groups: dict[object, tuple[Kind, list[NDArray[np.intp]]]] = {}
    for kind, numbers in by_kind(lamps):
        groups.setdefault(type(kind).about, (kind, []))[1].append(numbers)
    parts = [(kind, np.sort(np.concatenate(numbers))) for kind, numbers in groups.values()]
    if len(parts) == 1:
        only = parts[0][0]
        return lambda places, normals: only.about(lamps, places, normals)

    def weights(places: Floats, normals: Floats) -> NDArray[np.float32]:
        out = np.zeros((len(lamps), len(places)), np.float32)
        for kind, numbers in parts:
            out[numbers] = kind.about(lamps[numbers], places, normals)
        return out

    return weights
