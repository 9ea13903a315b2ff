"""Lamps and their lists in the layout that the shaders read."""

import moderngl
import numpy as np
from numpy.typing import NDArray

from wallum.moment.kinds import SHADERS
from wallum.moment.lamps import Lamps
from wallum.realtime.gl.programs import LAMP_WORDS, block_lamps
from wallum.realtime.gl.sizes import non_power_of_two
from wallum.realtime.passes.lamps.clusters import CellLists
from wallum.realtime.passes.shadows.lamp_shadows import MAX_TILES, Tile

__all__ = ["LampBuffers", "LampLists", "StorageBuffer", "lamp_rows"]

NO_TILE = -1.0
# List entries in one row of their texture.
LIST_ROW = 1024


def lamp_rows(lamps: Lamps, exposure: float, tiles: dict[str, Tile]) -> NDArray[np.float32]:
    """(N, LAMP_WORDS) rows of lamps as include/lamps.glsl has them; emission times `exposure`."""
    out = np.zeros((max(len(lamps.ids), 1), LAMP_WORDS), np.float32)
    if not lamps.ids:
        return out
    rows = lamps.rows
    reach = rows["range"].astype(np.float64)
    out[:, 0:3] = rows["position"]
    out[:, 3] = np.maximum(rows["radius"] ** 2, 1e-6)
    out[:, 4:7] = rows["emission"] * exposure
    out[:, 7] = np.where(reach > 0.0, 1.0 / np.maximum(reach, 1e-6) ** 2, 0.0)
    out[:, 8:11] = rows["direction"]
    coned = rows["cos_outer"] > -1.0
    scale = 1.0 / np.maximum(rows["cos_inner"] - rows["cos_outer"], 1e-4)
    out[:, 11] = np.where(coned, -rows["cos_outer"] * scale, 1.0)
    out[:, 12] = np.where(coned, scale, 0.0)
    current = [tiles.get(i) for i in lamps.ids]
    out[:, 13] = [NO_TILE if tile is None else tile.first for tile in current]
    out[:, 14] = [tile is not None and tile.count == 1 for tile in current]
    out[:, 15] = [0.0 if tile is None else tile.texel for tile in current]
    out[:, 16:19] = rows["point"]
    out[:, 19] = np.where(rows["air_shadow"] > 0.5, rows["in_air"], -rows["in_air"])
    for column, name in enumerate(("gobo", "gobo_open", "gobo_soft"), start=20):
        out[:, column] = rows[name]
    out[:, 24:27] = rows["gobo_across"]
    out[:, 27] = rows["gobo_at"]
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


class UniformBlock:
    """A uniform buffer of a fixed size, bound at a number of its own."""

    def __init__(self, context: moderngl.Context, size: int, binding: int) -> None:
        self._buffer = context.buffer(reserve=size, dynamic=True)
        self.binding = binding

    def write(self, values: NDArray[np.float32]) -> None:
        """Replace the start of the contents and bind."""
        self._buffer.orphan()
        self._buffer.write(np.ascontiguousarray(values))
        self._buffer.bind_to_uniform_block(self.binding)


class LampLists:
    """The lamps of each cell of a view, for include/lamp_lists.glsl; `key` says of what."""

    def __init__(self, context: moderngl.Context) -> None:
        self._context = context
        self._cells: moderngl.Texture | None = None
        self._lists: moderngl.Texture | None = None
        self._grid = (1, 1, 1)
        self._slices = (1.0, 0.0)
        self.entries = 0
        self.key: object = None

    def _filled(
        self,
        texture: moderngl.Texture | None,
        size: tuple[int, int],
        components: int,
        dtype: str,
        values: NDArray[np.generic],
    ) -> moderngl.Texture:
        """A table of whole numbers in a texture, which shaders read faster than storage."""
        if texture is not None and texture.size == size:
            texture.write(np.ascontiguousarray(values))
            return texture
        if texture is not None:
            texture.release()
        built = self._context.texture(size, components, np.ascontiguousarray(values), dtype=dtype)
        built.filter = (moderngl.NEAREST, moderngl.NEAREST)
        return built

    def write(self, lists: CellLists) -> None:
        """Take over the lists of a camera."""
        columns, rows, depth = lists.grid
        cells = lists.cells
        if len(SHADERS) > 1:  # textures have one, two or four numbers
            cells = np.pad(cells, ((0, 0), (0, 3 - len(SHADERS))))
        size = non_power_of_two(columns), non_power_of_two(rows * depth)
        more = ((0, size[1] - rows * depth), (0, size[0] - columns), (0, 0))
        cells = np.pad(cells.reshape(rows * depth, columns, -1), more)
        self._cells = self._filled(self._cells, size, cells.shape[2], "u4", cells)
        padded = np.zeros((non_power_of_two(-(-len(lists.lists) // LIST_ROW)), LIST_ROW), np.uint16)
        padded.ravel()[: len(lists.lists)] = lists.lists
        self._lists = self._filled(self._lists, padded.shape[::-1], 1, "u2", padded)
        self._grid, self._slices = lists.grid, lists.slices
        self.entries = int((lists.cells[:, 1:] & 0xFFFF).sum() + (lists.cells[:, 1:] >> 16).sum())

    def uniforms(self) -> dict[str, object]:
        """Values of include/lamp_lists.glsl."""
        assert self._cells is not None
        assert self._lists is not None
        return {
            "cell_grid": self._grid,
            "cell_slices": self._slices,
            "cells": self._cells,
            "cells_size": tuple(float(item) for item in self._cells.size),
            "lists": self._lists,
            "list_rows": float(self._lists.height),
        }


class LampBuffers:
    """The buffers of lamps: rows and shadow tiles."""

    def __init__(self, context: moderngl.Context) -> None:
        self._room = block_lamps(context)
        self._rows = UniformBlock(context, self._room * LAMP_WORDS * 4, 5)
        self._many_rows = StorageBuffer(context, 0)
        self._tiles = UniformBlock(context, MAX_TILES * 48, 6)
        self.many = False

    def write_lamps(self, rows: NDArray[np.float32], tiles: NDArray[np.float32]) -> None:
        """Take over lamps and their shadow tiles."""
        self.many = len(rows) > self._room
        (self._many_rows if self.many else self._rows).write(rows)
        self._tiles.write(tiles)

    def connect(self, program: moderngl.Program) -> None:
        """Tell a program where its blocks lie."""
        for name, block in (("Lamps", self._rows), ("Tiles", self._tiles)):
            member = program.get(name, None)
            if isinstance(member, moderngl.UniformBlock):
                member.binding = block.binding
