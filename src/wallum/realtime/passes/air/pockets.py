"""Pockets of other air as shaders read them, and which of them reach which part of the volume."""

from typing import Final

import moderngl
import numpy as np
from numpy.typing import NDArray

from wallum.moment.camera import Camera
from wallum.physics.pocket import HARDEST, MAX_POCKETS, NOISE_CELLS, Pocket, pocket_noise
from wallum.realtime.gl.sizes import non_power_of_two
from wallum.realtime.passes.lamps.lamp_buffers import UniformBlock

__all__ = ["Pockets", "noise_texture", "reached_cells"]

# Numbers of a pocket, see include/pocket.glsl.
WORDS: Final = 28
# Columns, rows and slices of the volume that share one list.
CELL: Final = 4
BINDING: Final = 7


def pocket_rows(pockets: tuple[Pocket, ...], exposure: float) -> NDArray[np.float32]:
    """(N, WORDS) rows of pockets as include/pocket.glsl has them; light times `exposure`."""
    out = np.zeros((MAX_POCKETS, WORDS), np.float32)
    for row, pocket in zip(out, pockets, strict=False):
        row[:12].reshape(3, 4)[:, :3] = pocket.rows
        row[:12].reshape(3, 4)[:, 3] = -(pocket.rows @ np.array(pocket.centre))
        row[12:16] = pocket.extinction, 1.0 / max(pocket.edge, HARDEST), pocket.contrast, pocket.box
        row[16:19] = pocket.albedo
        row[20:23] = np.array(pocket.own) * exposure
        across = NOISE_CELLS / 8.0 / pocket.grain_m
        # Noise repeats: what it has moved by is kept small, for single precision.
        period = NOISE_CELLS / across * 100.0
        row[24:27] = np.mod(pocket.drifted, period)
        row[27] = across
    return out


def reached_cells(
    pockets: tuple[Pocket, ...], camera: Camera, places: tuple[int, int, int], reach: float
) -> NDArray[np.uint32]:
    """(slices / 4 * rows / 4, columns / 4, 2) which pockets reach each part of the volume, a bit each."""
    columns, rows, slices = (-(-n // CELL) for n in places)
    edge = np.minimum(np.arange(slices + 1) * CELL, places[2]) / (places[2] - 1)
    depth = reach * edge**2
    tangents = camera.tangents
    across = (np.minimum(np.arange(columns + 1) * CELL, places[0]) / places[0] * 2.0 - 1.0) * tangents[0]
    along = (np.minimum(np.arange(rows + 1) * CELL, places[1]) / places[1] * 2.0 - 1.0) * tangents[1]
    rotation = camera.rotation() * np.array([[1.0], [1.0], [-1.0]])
    selected = pockets[:MAX_POCKETS]
    x, y, z = ((np.array([item.centre for item in selected]) - np.array(camera.eye)) @ rotation.T).T
    # A column more on every side: the volume moves by half a one while a picture settles.
    near_z = np.maximum(np.maximum(depth[:-1] - z[:, None], z[:, None] - depth[1:]), 0.0)
    gap_x = _gap(across, depth, x, 2.0 * tangents[0] / places[0])
    gap_y = _gap(along, depth, y, 2.0 * tangents[1] / places[1])
    squared = near_z[:, :, None, None] ** 2 + gap_y[:, :, :, None] ** 2 + gap_x[:, :, None, :] ** 2
    radius = np.array([item.radius for item in selected])
    reached = squared <= radius[:, None, None, None] ** 2
    out = np.zeros((slices, rows, columns, 2), np.uint32)
    for number, cells in enumerate(reached):
        out[..., number // 32] |= cells.astype(np.uint32) << np.uint32(number % 32)
    return out.reshape(slices * rows, columns, 2)


def _gap(
    edges: NDArray[np.float64], depth: NDArray[np.float64], at: NDArray[np.float64], room: float
) -> NDArray[np.float64]:
    """(pockets, slices, cells) how far places (pockets,) lie beside the cells of each slice; `room` more
    belongs to each."""
    low = np.minimum((edges[:-1] - room) * depth[:-1, None], (edges[:-1] - room) * depth[1:, None])
    high = np.maximum((edges[1:] + room) * depth[:-1, None], (edges[1:] + room) * depth[1:, None])
    place = at[:, None, None]
    return np.asarray(np.maximum(np.maximum(low - place, place - high), 0.0))


def noise_texture(context: moderngl.Context) -> moderngl.Texture3D:
    """The noise of pockets and veils, which repeats."""
    noise = np.ascontiguousarray(pocket_noise().transpose(2, 1, 0))
    texture = context.texture3d((NOISE_CELLS,) * 3, 1, noise.astype("f2").tobytes(), dtype="f2")
    texture.filter = (moderngl.LINEAR, moderngl.LINEAR)
    texture.repeat_x = texture.repeat_y = texture.repeat_z = True
    return texture


class Pockets:
    """Buffers and textures of the pockets of a picture."""

    def __init__(self, context: moderngl.Context) -> None:
        self._context = context
        self._block = UniformBlock(context, MAX_POCKETS * WORDS * 4, BINDING)
        self._noise = noise_texture(context)
        self._cells: moderngl.Texture | None = None
        self._cells_of: object = None
        self._written: object = None

    def write(
        self,
        pockets: tuple[Pocket, ...],
        camera: Camera,
        places: tuple[int, int, int],
        reach: float,
        exposure: float,
    ) -> None:
        """Take over the pockets of a picture."""
        if (pockets, exposure) != self._written:
            self._block.write(pocket_rows(pockets, exposure))
            self._written = pockets, exposure
        lie = tuple((pocket.centre, pocket.radius) for pocket in pockets), camera, places, reach
        if lie == self._cells_of:
            return
        self._cells_of = lie
        cells = reached_cells(pockets, camera, places, reach)
        size = non_power_of_two(cells.shape[1]), non_power_of_two(cells.shape[0])
        cells = np.pad(cells, ((0, size[1] - cells.shape[0]), (0, size[0] - cells.shape[1]), (0, 0)))
        if self._cells is None or self._cells.size != size:
            if self._cells is not None:
                self._cells.release()
            self._cells = self._context.texture(size, 2, dtype="u4")
            self._cells.filter = (moderngl.NEAREST, moderngl.NEAREST)
        self._cells.write(np.ascontiguousarray(cells))

    def connect(self, program: moderngl.Program) -> None:
        """Tell a program where the pockets lie."""
        member = program.get("Pockets", None)
        if isinstance(member, moderngl.UniformBlock):
            member.binding = self._block.binding

    def uniforms(self, pockets: tuple[Pocket, ...]) -> dict[str, object]:
        """Values of include/pocket.glsl, and the phase function that all share: by how thick each is."""
        weight = np.array([pocket.extinction for pocket in pockets])
        g = float(np.average([pocket.forwardness for pocket in pockets], weights=weight))
        return {
            "pocket_noise": self._noise,
            "pocket_cells": self._cells,
            "pocket_lobe": (1.0 + g * g, 2.0 * g, (1.0 - g * g) / (4.0 * np.pi)),
            "pocket_forward": g,
        }
