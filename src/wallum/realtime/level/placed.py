"""Meshes that stand at many places, on the GPU: one copy of each, drawn at those places that a
frustum holds, each in the coarsest copy that will do."""

from collections.abc import Callable

import moderngl
import numpy as np
from numpy.typing import NDArray

from wallum.moment.camera import boxes_inside
from wallum.realtime.level.bundle import Batch

__all__ = ["PLACED", "PlacedMeshes", "Widths"]

PLACED = "PLACED"
PLACE_BYTES = 48
# (low, high) (I, 3) to the widths (I,) of cells that surfaces there may be merged in [m]
Widths = Callable[[NDArray[np.float32], NDArray[np.float32]], NDArray[np.float64]]


class PlacedMeshes:
    """The batches of a level. `gather` writes the places that are drawn, `content` is what a vertex
    array reads them by."""

    def __init__(self, context: moderngl.Context, batches: tuple[Batch, ...]) -> None:
        self._batches = batches
        count = sum(len(batch.places) for batch in batches)
        self._places = context.buffer(reserve=max(PLACE_BYTES * count, PLACE_BYTES), dynamic=True)

    def __bool__(self) -> bool:
        return bool(self._batches)

    @property
    def content(self) -> tuple[object, ...]:
        return (self._places, "4f4 4f4 4f4/i", "in_place_x", "in_place_y", "in_place_z")

    def release(self) -> None:
        self._places.release()

    def gather(
        self,
        planes: NDArray[np.float64],
        widths: Widths,
        part: int = 0,
        parts: int = 1,
        materials: set[int] | None = None,
    ) -> NDArray[np.int64]:
        """Write the places that planes hold; returns rows (D, 5) of what is to be drawn at them: first
        triangle, number of triangles, material, first place, number of places.

        part, parts : only that one of so many equal parts of all places
        materials   : only meshes that have any of these; None: all
        """
        written: list[NDArray[np.float32]] = []
        rows: list[NDArray[np.int64]] = []
        first = 0
        for batch in self._batches:
            if materials is not None and materials.isdisjoint(batch.chunks[:, 2].tolist()):
                continue
            seen = boxes_inside(batch.low, batch.high, planes)
            edges = np.linspace(0, len(seen), parts + 1).astype(int)
            seen[: edges[part]] = False
            seen[edges[part + 1] :] = False
            here = np.flatnonzero(seen)
            levels = _levels(batch, here, widths)
            for number in np.unique(levels).tolist():
                chosen = here[levels == number]
                chunks = batch.chunks if number == 0 else batch.coarser[number - 1][1]
                of_places = np.tile([first, len(chosen)], (len(chunks), 1))
                rows.append(np.concatenate([chunks, of_places], axis=1)[chunks[:, 1] > 0])
                written.append(batch.places[chosen])
                first += len(chosen)
        if not rows:
            return np.zeros((0, 5), np.int64)
        if first:
            self._places.orphan()
            self._places.write(np.ascontiguousarray(np.concatenate(written)))
        return np.concatenate(rows)


def _levels(batch: Batch, here: NDArray[np.int64], widths: Widths) -> NDArray[np.int64]:
    """Which copy of its mesh each of some places is drawn with: 0 the mesh itself."""
    out = np.zeros(len(here), np.int64)
    allowed = widths(batch.low[here], batch.high[here]) / np.maximum(batch.scale[here], 1e-9)
    for number, (cell, _) in enumerate(batch.coarser, start=1):
        out[allowed >= cell] = number
    return out
