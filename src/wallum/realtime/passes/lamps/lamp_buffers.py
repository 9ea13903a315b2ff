"""Lamps and their lists in the layout that the shaders read."""

import moderngl
import numpy as np
from numpy.typing import NDArray

from wallum.moment.lamps import Lamps
from wallum.realtime.gl.lamp_schema import LAMP_WORDS, pack_lamps
from wallum.realtime.gl.programs import CELL_WORDS, block_lamps, cell_pages
from wallum.realtime.gl.sizes import non_power_of_two
from wallum.realtime.passes.lamps.clusters import CellLists
from wallum.realtime.passes.shadows.lamp_shadows import MAX_TILES, Tile

__all__ = ["LampBuffers", "LampLists", "StorageBuffer", "lamp_rows"]

# List entries in one row of their texture.
LIST_ROW = 1024


def lamp_rows(lamps: Lamps, exposure: float, tiles: dict[str, Tile]) -> NDArray[np.float32]:
    """(N, LAMP_WORDS) lamps as the shaders read them.

    exposure : factor of the emission
    tiles    : shadow tiles by lamp id
    """
    return pack_lamps(lamps.rows, exposure, [tiles.get(lamp_id) for lamp_id in lamps.ids])


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
        pages = cell_pages()
        cells = np.pad(cells, ((0, 0), (0, CELL_WORDS * pages - cells.shape[1])))
        size = non_power_of_two(columns), non_power_of_two(rows * depth)
        more = ((0, size[1] - rows * depth), (0, size[0] - columns), (0, 0), (0, 0))
        cells = np.pad(cells.reshape(rows * depth, columns, pages, CELL_WORDS), more)
        # The pages of all cells lie beside each other.
        cells = np.ascontiguousarray(cells.transpose(0, 2, 1, 3))
        self._cells = self._filled(self._cells, (pages * size[0], size[1]), CELL_WORDS, "u4", cells)
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
            "cells_size": tuple(float(side) for side in self._cells.size),
            "page_columns": float(self._cells.width // cell_pages()),
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
