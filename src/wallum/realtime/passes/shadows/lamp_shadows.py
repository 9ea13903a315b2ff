"""Shadow maps of lamps: tiles of one atlas, kept until what they see changes."""

from dataclasses import dataclass

import moderngl
import numpy as np
from numpy.typing import NDArray

from wallum.frame.quality import HIGH, Quality
from wallum.moment.camera import frustum_planes, look_rotation, perspective
from wallum.moment.kinds import kind_of, tiles_of
from wallum.moment.kinds.kind import ShadowViews
from wallum.moment.lamps import Lamps
from wallum.realtime.gl.depth_atlas import DepthAtlas
from wallum.realtime.level.drawing import LevelOnGpu
from wallum.realtime.passes.shadows.transparent_shadows import TransparentShadowAtlas

__all__ = ["LampShadows", "Tile"]

# As many as include/lamp_shadow.glsl has room for.
MAX_TILES = 800
NEAR_M = 0.03
# Texels that a tile's picture reaches beyond its light, so that filtering stays inside.
GUARD = 4.0


@dataclass
class Tile:
    """Where a lamp's tiles begin, and what they show; matrices by face."""

    first: int
    count: int
    key: bytes
    matrices: NDArray[np.float64]  # (count, 4, 4) level to clip
    axes: NDArray[np.float64]  # (count, 3, 3) rows right, up (over the tangent), ahead
    texel: float  # width of a texel at 1 m [m]
    planes: NDArray[np.float64]  # (count, 6, 4) what a face can see, up to the lamp's range
    depth_per_m: float = 0.0  # of an orthographic view, whose depth is linear
    drawn: bool = False  # a picture that was given up may leave a tile placed but not drawn


class LampShadows:
    """The atlas. `size` of a tile follows how many are wanted at once."""

    def __init__(self, context: moderngl.Context, quality: Quality = HIGH) -> None:
        self._context, self._quality = context, quality
        self.atlas = DepthAtlas(context, (quality.lamp_atlas, quality.lamp_atlas))
        self.veils = TransparentShadowAtlas(context, share=2)
        self._tiles: dict[str, Tile] = {}
        self._size = quality.tile_sizes[0]
        self._free: list[int] = []
        self._forget()

    def _forget(self) -> None:
        self._tiles = {}
        self._free = list(range(self._capacity(self._size)))

    def level_changed(self) -> None:
        """Every tile shows what is no longer there."""
        self.veils.release()
        self._forget()

    def _capacity(self, size: int) -> int:
        return min((self._quality.lamp_atlas // size) ** 2, MAX_TILES)

    @property
    def tile_size(self) -> int:
        return self._size

    def _fit(self, wanted: int) -> None:
        """Choose the largest size at which `wanted` tiles fit.

        A larger size than now is taken only with room to spare: at the border every step of
        the camera would draw all tiles anew.
        """
        sizes = self._quality.tile_sizes
        size = next((item for item in sizes if self._capacity(item) >= wanted), sizes[-1])
        if size > self._size and self._capacity(size) < 2 * wanted:
            return
        if size != self._size:
            self._size = size
            self._forget()

    def _take(self, lamp_id: str, count: int, keep: set[str]) -> int | None:
        """First of `count` tiles in a row for a lamp; those not in the picture give theirs up."""
        current = self._tiles.get(lamp_id)
        if current is not None and current.count == count:
            return current.first
        self._drop(lamp_id)
        for _ in range(len(self._tiles) + 1):
            first = _run_of(self._free, count)
            if first is not None:
                taken = set(range(first, first + count))
                self._free = [item for item in self._free if item not in taken]
                return first
            unseen = next((tile for tile in self._tiles if tile not in keep), None)
            if unseen is None:
                return None
            self._drop(unseen)
        return None

    def _drop(self, lamp_id: str) -> None:
        tile = self._tiles.pop(lamp_id, None)
        if tile is not None:
            self._free = sorted([*self._free, *range(tile.first, tile.first + tile.count)])

    def assign(self, lamps: Lamps, far: float) -> tuple[dict[str, Tile], list[str]]:
        """Tiles of the lamps that cast shadows, and the ids whose tiles must be drawn anew.

        Lamps beyond the atlas get none; the caller shows them without shadow.
        """
        casting = np.flatnonzero(lamps.casting).tolist()
        counts = tiles_of(lamps)[casting].tolist()
        keys = lamps.only(lamps.casting).shadow_keys()
        self._fit(sum(counts))
        keep = {lamps.ids[i] for i in casting}
        inputs: dict[str, Tile] = {}
        dirty = []
        for i, count, key in zip(casting, counts, keys, strict=True):
            lamp_id = lamps.ids[i]
            first = self._take(lamp_id, count, keep)
            if first is None:
                continue
            current = self._tiles.get(lamp_id)
            if current is None or current.key != key:
                current = self._place(lamps.rows[i], first, key, far)
                self._tiles[lamp_id] = current
            if not current.drawn:
                dirty.append(lamp_id)
            inputs[lamp_id] = current
        return inputs, dirty

    def _place(self, row: np.void, first: int, key: bytes, far: float) -> Tile:
        views = kind_of(row).tiling(row)
        reach = float(row["range"]) or far
        if views.half is not None:
            return self._parallel(row, views, first, key, reach)
        tangent = views.tangent * (1.0 + GUARD / self._size)
        projection = perspective(tangent, tangent, NEAR_M, far)
        position = row["point"].astype(np.float64)
        within = perspective(tangent, tangent, NEAR_M, max(reach, 2.0 * NEAR_M))
        matrices, axes, planes = [], [], []
        for direction in views.directions:
            view = _view_from(position, look_rotation(direction))
            matrices.append(projection @ view)
            planes.append(frustum_planes(within @ view))
            axes.append(view[:3, :3] * np.array([[1 / tangent], [1 / tangent], [-1.0]]))
        texel = 2.0 * tangent / self._size
        return Tile(first, len(matrices), key, np.array(matrices), np.array(axes), texel, np.array(planes))

    def _parallel(self, row: np.void, views: ShadowViews, first: int, key: bytes, reach: float) -> Tile:
        """The tile of parallel light: an orthographic view along it, from where it begins to its range."""
        assert views.half is not None
        assert views.side is not None
        ahead, side = views.directions[0], views.side
        width, height = (half * (1.0 + GUARD / self._size) for half in views.half)
        rotation = np.stack([side, np.cross(side, ahead), -ahead])
        view = _view_from(row["position"].astype(np.float64), rotation)
        projection = np.diag([1.0 / width, 1.0 / height, -2.0 / reach, 1.0])
        projection[2, 3] = -1.0
        matrix = projection @ view
        axes = rotation * np.array([[1.0 / width], [1.0 / height], [-1.0]])
        texel = 2.0 * max(width, height) / self._size
        planes = frustum_planes(matrix)[None]
        return Tile(first, 1, key, matrix[None], axes[None], texel, planes, depth_per_m=1.0 / reach)

    def corner(self, tile: int) -> tuple[int, int]:
        """Lower left texel of a tile."""
        across = self._quality.lamp_atlas // self._size
        return tile % across * self._size, tile // across * self._size

    def draw(self, lamp_id: str, level: LevelOnGpu) -> dict[str, int]:
        """Draw a lamp's tiles; returns the work done."""
        tile = self._tiles[lamp_id]
        triangles = 0
        context = self._context
        context.depth_func = "<"
        context.polygon_offset = 2.0, 4.0
        for face, (matrix, planes) in enumerate(zip(tile.matrices, tile.planes, strict=True)):
            x, y = self.corner(tile.first + face)
            place = (x, y, self._size, self._size)
            frame = self.atlas.frame
            frame.use()
            frame.viewport = frame.scissor = place
            frame.clear(depth=1.0)
            context.enable_only(moderngl.DEPTH_TEST)
            triangles += level.draw_depth(matrix, planes)
            triangles += self.veils.fill(self.atlas.size, place, level, matrix, planes)
        self.atlas.frame.scissor = None
        context.polygon_offset = 0.0, 0.0
        tile.drawn = True
        return {"triangles": triangles, "texels": tile.count * self._size**2, "tiles": tile.count}

    def tile_rows(self, tiles: dict[str, Tile]) -> NDArray[np.float32]:
        """(T, 12) axes and place of every tile up to the last one in use, for the shader."""
        last = max((tile.first + tile.count for tile in tiles.values()), default=1)
        out, atlas = np.zeros((last, 12), np.float32), self._quality.lamp_atlas
        half = 0.5 * self._size
        for tile in tiles.values():
            rows = out[tile.first : tile.first + tile.count].reshape(-1, 3, 4)
            rows[:, :, :3] = tile.axes
            rows[:, 2, 3] = tile.depth_per_m
            for face in range(tile.count):
                x, y = self.corner(tile.first + face)
                rows[face, :2, 3] = (x + half) / atlas, (y + half) / atlas
        return out

    def uniforms(self, far: float) -> dict[str, object]:
        """Values of include/lamp_shadow.glsl."""
        scale, offset = (far + NEAR_M) / (far - NEAR_M), -2.0 * far * NEAR_M / (far - NEAR_M)
        return {
            "tile_scale": 0.5 * self._size / self._quality.lamp_atlas,
            "tile_depth": (0.5 * scale + 0.5, 0.5 * offset),
        }


def _view_from(position: NDArray[np.float64], rotation: NDArray[np.float64]) -> NDArray[np.float64]:
    """(4, 4) from the level to an eye at a position (3,), whose axes are the rows of a rotation (3, 3)."""
    view = np.eye(4)
    view[:3, :3] = rotation
    view[:3, 3] = -rotation @ position
    return view


def _run_of(free: list[int], count: int) -> int | None:
    """First of `count` neighbours in a sorted list."""
    for start in range(len(free) - count + 1):
        if free[start + count - 1] - free[start] == count - 1:
            return free[start]
    return None
