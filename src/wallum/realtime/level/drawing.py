"""The level on the GPU: its buffers and textures, and drawing what a frustum holds of it."""

from collections.abc import Mapping
from dataclasses import dataclass

import moderngl
import numpy as np
from numpy.typing import NDArray

from wallum.moment.camera import boxes_inside
from wallum.realtime.gl.programs import Programs, bind_textures, set_uniforms
from wallum.realtime.level.bundle import VEIL, LevelBundle, PackedMaterial, TextureData
from wallum.realtime.level.coarsening import CELLS_M
from wallum.realtime.level.placed import PLACED, PlacedMeshes, Widths

__all__ = ["DetailLimit", "LevelOnGpu"]

SRGB8_ALPHA8 = 0x8C43
MIPMAPPED = {9984, 9985, 9986, 9987}
MATERIAL_BINDING = 4
# Members of a vertex in the buffer: attribute, format, bytes (see bundle.VERTEX).
LAYOUT = (
    ("in_position", "3f4", 12), ("in_normal", "4f2", 8), ("in_tangent", "4f2", 8),
    ("in_uv", "4f4", 16), ("in_colour", "4f2", 8),
)  # fmt: skip
SHADOW_FEATURES = frozenset({"MASK", "BASE_MAP", "UV_MOVED"})
VEIL_FEATURES = frozenset({"BLEND", "VERTEX_COLOUR", "BASE_MAP", "UV_MOVED"})
# Of a mesh that stands at many places one picture may draw itself and each coarser copy.
COPIES = 1 + len(CELLS_M)


def _commands(chunks: NDArray[np.int64]) -> NDArray[np.uint32]:
    """Indirect draws (D, 5) of chunks in order; neighbours become one draw."""
    if not len(chunks):
        return np.zeros((0, 5), np.uint32)
    ends = chunks[:, 0] + chunks[:, 1]
    starts = np.concatenate([[True], chunks[1:, 0] != ends[:-1]])
    group = np.cumsum(starts) - 1
    counts = np.bincount(group, weights=chunks[:, 1]).astype(np.uint32)
    out = np.zeros((len(counts), 5), np.uint32)
    out[:, 0], out[:, 1] = counts * 3, 1
    out[:, 2] = chunks[starts, 0] * 3
    return out


def _placed_commands(rows: NDArray[np.int64]) -> NDArray[np.uint32]:
    """Indirect draws (D, 5) of meshes at their places, see PlacedMeshes.gather."""
    out = np.zeros((len(rows), 5), np.uint32)
    out[:, 0], out[:, 1] = rows[:, 1] * 3, rows[:, 4]
    out[:, 2], out[:, 4] = rows[:, 0] * 3, rows[:, 3]
    return out


@dataclass(frozen=True)
class DetailLimit:
    """How coarse far surfaces may be: an eye, and the angle that it cannot tell [rad]."""

    eye: NDArray[np.float64]
    angle: float

    def widths(self, low: NDArray[np.float32], high: NDArray[np.float32]) -> NDArray[np.float64]:
        """(N,) how wide cells may be that surfaces in boxes (N, 3), (N, 3) are merged in [m]."""
        outside = np.maximum(np.maximum(low - self.eye, self.eye - high), 0.0)
        return np.asarray(np.linalg.norm(outside, axis=1) * self.angle)


def _even(cell_m: float) -> Widths:
    """The same width of cells everywhere."""
    return lambda low, _: np.full(len(low), cell_m)


class LevelOnGpu:
    """Buffers of one level. `draw_*` return the number of triangles they sent."""

    def __init__(self, context: moderngl.Context, programs: Programs, bundle: LevelBundle) -> None:
        self._context, self._programs, self._bundle = context, programs, bundle
        self._vertices = self._buffer(bundle.vertices)
        positions = np.ascontiguousarray(bundle.vertices["position"])
        self._positions = self._buffer(positions)
        self._faces = self._buffer(bundle.faces)
        commands = len(bundle.chunks) + sum(len(batch.chunks) * COPIES for batch in bundle.batches)
        self._indirect = context.buffer(reserve=max(20 * commands, 20), dynamic=True)
        self._placed = PlacedMeshes(context, bundle.batches)
        self._blocks = [context.buffer(surfacing.block) for surfacing in bundle.surfacings]
        self._textures = [self._texture(texture) for texture in bundle.textures]
        self._complete = False
        self._arrays: dict[tuple[int, bool], moderngl.VertexArray] = {}
        self._kept_programs: list[moderngl.Program] = []
        chunks = [bundle.chunks, *(batch.chunks for batch in bundle.batches)]
        self._used = [int(m) for m in np.unique(np.concatenate(chunks)[:, 2])]
        self._holed = np.array(["MASK" in s.features for s in bundle.surfacings] or [False])
        self._veils = {n for n in self._used if VEIL in bundle.surfacings[n].features}
        # What is seen through stops no light: it is drawn into atlases of its own.
        self._casts = np.array([s.casts and VEIL not in s.features for s in bundle.surfacings] or [False])

    def _buffer(self, values: NDArray[np.generic]) -> moderngl.Buffer:
        data = values.tobytes()
        return self._context.buffer(data) if data else self._context.buffer(reserve=64)

    def _texture(self, data: TextureData) -> moderngl.Texture:
        height, width = data.pixels.shape[:2]
        extra = {"internal_format": SRGB8_ALPHA8} if data.srgb else {}
        texture = self._context.texture((width, height), 4, data.pixels, **extra)
        texture.repeat_x, texture.repeat_y = data.wrap_s != 33071, data.wrap_t != 33071
        texture.filter = (moderngl.LINEAR, data.mag)
        return texture

    def complete(self) -> None:
        """Make the smaller versions of textures; only a sketch can do without."""
        if self._complete:
            return
        for texture, data in zip(self._textures, self._bundle.textures, strict=True):
            if data.min in MIPMAPPED:
                texture.build_mipmaps()
            texture.filter = (data.min, data.mag)
        self._complete = True

    @property
    def triangle_count(self) -> int:
        return int(self._bundle.chunks[:, 1].sum())

    @property
    def has_veils(self) -> bool:
        """Whether anything in it is seen through."""
        return bool(self._veils)

    @property
    def bounds(self) -> NDArray[np.float64]:
        return self._bundle.bounds

    def release(self) -> None:
        """Give every buffer and texture back."""
        for array in self._arrays.values():
            array.release()
        for item in (*self._blocks, *self._textures, self._vertices, self._positions, self._faces,
                     self._indirect, self._placed):  # fmt: skip
            item.release()

    def _array(self, program: moderngl.Program, whole: bool, placed: bool = False) -> moderngl.VertexArray:
        key = id(program), placed
        if key not in self._arrays:
            self._kept_programs.append(program)  # keeps the id from being given again
            if whole:
                selected = [(name, kind, size) for name, kind, size in LAYOUT if name in program]
                layout = " ".join(k if n in program else f"{s}x1" for n, k, s in LAYOUT)
                content = [(self._vertices, layout, *(name for name, _, _ in selected))]
            else:
                content = [(self._positions, "3f4", "in_position")]
            if placed:
                content.append(self._placed.content)
            self._arrays[key] = self._context.vertex_array(
                program, content, index_buffer=self._faces, index_element_size=4
            )
        return self._arrays[key]

    def _send(self, array: moderngl.VertexArray, chunks: NDArray[np.int64]) -> int:
        commands = _commands(chunks)
        if not len(commands):
            return 0
        if len(commands) <= 4:
            for count, _, first, _, _ in commands.tolist():
                array.render(moderngl.TRIANGLES, vertices=count, first=first)
            return int(commands[:, 0].sum()) // 3
        return self._send_indirect(array, commands)

    def _send_indirect(self, array: moderngl.VertexArray, commands: NDArray[np.uint32]) -> int:
        """Send draws (D, 5); returns the triangles in them."""
        if not len(commands):
            return 0
        self._indirect.orphan()
        self._indirect.write(commands)
        array.render_indirect(self._indirect, moderngl.TRIANGLES, count=len(commands))
        return int((commands[:, 0].astype(np.int64) * commands[:, 1]).sum()) // 3

    def _bind(self, program: moderngl.Program, surfacing: PackedMaterial, index: int) -> None:
        self._blocks[index].bind_to_uniform_block(MATERIAL_BINDING)
        block = program.get("Material", None)
        if isinstance(block, moderngl.UniformBlock):
            block.binding = MATERIAL_BINDING
        set_uniforms(program, **{name: self._textures[number] for name, number in surfacing.textures.items()})

    def _draw(
        self,
        shaders: tuple[str, str],
        features: frozenset[str],
        chunks: NDArray[np.int64],
        placed: NDArray[np.int64],
        uniforms: Mapping[str, object],
        index: int | None = None,
    ) -> int:
        """Draw chunks, and meshes at their places, each by its variant of a program; returns the triangles.

        index : the material that all have; None: nothing but where they are is asked for
        """
        sent = 0
        for at_places, there in ((False, chunks), (True, placed)):
            if not len(there):
                continue
            program = self._programs.get(*shaders, features | {PLACED} if at_places else features)
            if index is not None:
                self._bind(program, self._bundle.surfacings[index], index)
            set_uniforms(program, **uniforms)
            bind_textures(program)
            array = self._array(program, index is not None, at_places)
            if at_places:
                sent += self._send_indirect(array, _placed_commands(there))
            else:
                sent += self._send(array, there)
        return sent

    def _chunks_for(self, coarse: DetailLimit | None) -> NDArray[np.int64]:
        """Each chunk in the coarsest copy that an eye at a place cannot tell."""
        bundle = self._bundle
        if coarse is None or not bundle.coarser:
            return bundle.chunks
        allowed = coarse.widths(bundle.low, bundle.high)
        rows = bundle.chunks.copy()
        for cell_m, chunks in bundle.coarser:
            rows[allowed >= cell_m] = chunks[allowed >= cell_m]
        return rows

    def draw_surfaces(
        self,
        to_clip: NDArray[np.float64],
        planes: NDArray[np.float64],
        coarse: DetailLimit | None = None,
        more: frozenset[str] = frozenset(),
        veils: dict[str, object] | None = None,
    ) -> int:
        """Fill the bound G-buffer with what the planes hold; far parts coarser where asked.

        more  : further features of the surfaces' shader
        veils : draw what is seen through, with these uniforms, and nothing else; None: all else
        """
        bundle = self._bundle
        seen = boxes_inside(bundle.low, bundle.high, planes)
        every = self._chunks_for(coarse)
        placed = self._placed.gather(planes, coarse.widths if coarse is not None else _even(0.0))
        matrix = to_clip.T.astype("f4").tobytes()
        sent = 0
        for index in (item for item in self._used if (item in self._veils) == (veils is not None)):
            surfacing = bundle.surfacings[index]
            chunks = every[seen & (every[:, 2] == index)]
            rows = placed[placed[:, 2] == index]
            if surfacing.double_sided:
                self._context.disable(moderngl.CULL_FACE)
            else:
                self._context.enable(moderngl.CULL_FACE)
            features = surfacing.features | more
            uniforms = {"to_clip": matrix, **(veils or {})}
            sent += self._draw(("gbuffer", "gbuffer"), features, chunks, rows, uniforms, index)
        return sent

    def draw_depth(
        self,
        to_clip: NDArray[np.float64],
        planes: NDArray[np.float64],
        part: int = 0,
        parts: int = 1,
        cell_m: float = 0.0,
    ) -> int:
        """Fill the bound shadow tile with what the planes hold and what casts.

        part, parts : draw only that one of so many equal parts of the level
        cell_m      : take the coarsest copy whose cells are no wider [m]; 0 for the level itself
        """
        bundle = self._bundle
        every = bundle.chunks
        for width, chunks in bundle.coarser:
            every = chunks if width <= cell_m else every
        seen = boxes_inside(bundle.low, bundle.high, planes)
        if parts > 1:
            edges = np.linspace(0, len(seen), parts + 1).astype(int)
            seen[: edges[part]] = False
            seen[edges[part + 1] :] = False
        placed = self._placed.gather(planes, _even(cell_m), part, parts)
        matrix = to_clip.T.astype("f4").tobytes()
        self._context.disable(moderngl.CULL_FACE)
        chunks = every[seen]
        solid, shaders, uniforms = self._casts & ~self._holed, ("shadow", "shadow"), {"to_clip": matrix}
        plain, often = chunks[solid[chunks[:, 2]]], placed[solid[placed[:, 2]]]
        sent = self._draw(shaders, frozenset(), plain, often, uniforms)
        for index in (i for i in self._used if self._holed[i] and self._casts[i]):
            features = bundle.surfacings[index].features & SHADOW_FEATURES
            holed, rows = chunks[chunks[:, 2] == index], placed[placed[:, 2] == index]
            sent += self._draw(shaders, features, holed, rows, uniforms, index)
        return sent

    def draw_veils(self, to_clip: NDArray[np.float64], planes: NDArray[np.float64]) -> int:
        """Fill the bound tile with what goes through the surfaces that are seen through and cast."""
        bundle = self._bundle
        seen = boxes_inside(bundle.low, bundle.high, planes)
        placed = self._placed.gather(planes, _even(0.0), materials=self._veils)
        matrix = to_clip.T.astype("f4").tobytes()
        self._context.disable(moderngl.CULL_FACE)
        sent = 0
        for index in (veil for veil in sorted(self._veils) if bundle.surfacings[veil].casts):
            surfacing = bundle.surfacings[index]
            chunks = bundle.chunks[seen & (bundle.chunks[:, 2] == index)]
            rows = placed[placed[:, 2] == index]
            features = surfacing.features & VEIL_FEATURES
            sent += self._draw(("gbuffer", "veil_shadow"), features, chunks, rows, {"to_clip": matrix}, index)
        return sent
