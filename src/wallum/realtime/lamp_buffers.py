"""Lamps and their lists in the layout that the shaders read."""

import moderngl
import numpy as np
from numpy.typing import NDArray

from wallum.moment.scene import Lamps
from wallum.realtime.clusters import CellLists
from wallum.realtime.lamp_shadows import Tile

__all__ = ["LampBuffers", "StorageBuffer", "lamp_rows"]

NO_TILE = -1.0


def lamp_rows(lamps: Lamps, exposure: float, tiles: dict[str, Tile]) -> NDArray[np.float32]:
    """(N, 16) rows of `struct Lamp` (include/punctual.glsl); intensity times `exposure`."""
    out = np.zeros((max(len(lamps.ids), 1), 16), np.float32)
    if not lamps.ids:
        return out
    reach = lamps.column("range").astype(np.float64)
    out[:, 0:3] = lamps.column("position")
    out[:, 3] = np.maximum(lamps.column("radius") ** 2, 1e-6)
    out[:, 4:7] = lamps.column("intensity") * exposure
    out[:, 7] = np.where(reach > 0.0, 1.0 / np.maximum(reach, 1e-6) ** 2, 0.0)
    out[:, 8:11] = lamps.column("direction")
    spot = lamps.column("is_spot") > 0.5
    outer, inner = lamps.column("cos_outer"), lamps.column("cos_inner")
    scale = 1.0 / np.maximum(inner - outer, 1e-4)
    out[:, 11] = np.where(spot, -outer * scale, 1.0)
    out[:, 12] = np.where(spot, scale, 0.0)
    out[:, 13] = [tiles[i].first if i in tiles else NO_TILE for i in lamps.ids]
    out[:, 14] = spot
    out[:, 15] = [tiles[i].texel if i in tiles else 0.0 for i in lamps.ids]
    return out


class StorageBuffer:
    """A shader storage buffer that grows to what is written."""

    def __init__(self, context: moderngl.Context, binding: int) -> None:
        self._context, self._binding = context, binding
        self._buffer = context.buffer(reserve=4096, dynamic=True)

    def write(self, values: NDArray[np.generic]) -> None:
        """Replace the contents and bind."""
        data = np.ascontiguousarray(values)
        if data.nbytes > self._buffer.size:
            self._buffer.release()
            self._buffer = self._context.buffer(reserve=2 * data.nbytes, dynamic=True)
        self._buffer.orphan()
        self._buffer.write(data)
        self._buffer.bind_to_storage_buffer(self._binding)

    def bind(self) -> None:
        self._buffer.bind_to_storage_buffer(self._binding)


class LampBuffers:
    """The four buffers of lamps: rows, cells, lists, shadow tiles."""

    def __init__(self, context: moderngl.Context) -> None:
        self.rows = StorageBuffer(context, 0)
        self.cells = StorageBuffer(context, 1)
        self.lists = StorageBuffer(context, 2)
        self.tiles = StorageBuffer(context, 3)
        self.grid = (1, 1, 1)
        self.slices = (1.0, 0.0)
        self.entries = 0

    def write_lists(self, lists: CellLists) -> None:
        """Take over the lists of a camera."""
        self.cells.write(lists.cells)
        self.lists.write(lists.lists)
        self.grid, self.slices = lists.grid, lists.slices
        self.entries = int((lists.cells[:, 1] & 0xFFFF).sum() + (lists.cells[:, 1] >> 16).sum())
