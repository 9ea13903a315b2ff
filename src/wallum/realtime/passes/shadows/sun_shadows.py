"""Shadow maps of the sun: each cascade (see cascades.py) has a tile of one atlas, drawn again when it has
moved or the sun has."""

from dataclasses import dataclass

import moderngl
import numpy as np
from numpy.typing import NDArray

from wallum.moment.camera import Camera, frustum_planes
from wallum.moment.scene import SUN_MAPS
from wallum.realtime.gl.depth_atlas import DepthAtlas
from wallum.realtime.gl.sizes import non_power_of_two
from wallum.realtime.gl.targets import Size
from wallum.realtime.level.drawing import LevelOnGpu
from wallum.realtime.passes.shadows.cascades import (
    CASCADES,
    MAX_TEXELS,
    TEXELS,
    Cascade,
    cascades_for,
    far_cascade,
    goes_on,
)
from wallum.realtime.passes.shadows.transparent_shadows import TransparentShadowAtlas

__all__ = ["SunShadows"]

# Pictures over which a cascade is drawn while the camera moves.
PARTS = 8
# While the sun goes on fast a cascade may lag by four degrees before it is drawn out of its turn, the
# far map by six; while it goes by minutes none of the near ones may: a minute lets the sun into a lane.
LAG_COSINE, FAR_LAG_COSINE = float(np.cos(np.radians(4.0))), float(np.cos(np.radians(6.0)))
SLOW_COSINE, SLOW_LAG_COSINE = float(np.cos(np.radians(0.4))), float(np.cos(np.radians(0.2)))
# How far it may go from the axes that its cascades share: twelve degrees.
AXES_COSINE = 0.978


# Shadows of a moving sun are cast by copies whose cells are this many texels wide at most.
COARSE_TEXELS = 4.0


# Maps in the atlas: the cascades, the far one, and one that is being drawn.
COLUMNS, ROWS = 3, 2


def _size_of(texels: int) -> Size:
    """Room for six maps, and a row to spare: see gl/sizes.py."""
    return non_power_of_two(COLUMNS * texels), non_power_of_two(ROWS * texels + 1)


@dataclass
class CascadeProgress:
    """A cascade that is being drawn into the spare tile, a part at a time."""

    index: int
    cascade: Cascade
    parts_done: int = 0


class SunShadows:
    """Tiles of one atlas, each redrawn when its cascade moved or the sun did.

    The atlas has a tile to spare: while the camera moves, a cascade is drawn there in parts, over
    several pictures, and takes its place when it is whole. The far map, where the level goes on beyond
    the cascades' reach, is one more of them, the last.
    """

    def __init__(self, context: moderngl.Context, most_texels: int = MAX_TEXELS) -> None:
        self._context, self._most = context, most_texels
        self._wanted: list[Cascade] = []
        self._direction: tuple[float, ...] = ()  # of the sun whose axes all cascades share
        self._toward: list[NDArray[np.float64]] = []  # where it stood when each was drawn, see `follow`
        self._stood = np.zeros(3)  # the sun, at the picture before
        self._last = 0  # the cascade that was drawn last
        texels = min(TEXELS, most_texels)
        self.atlas = DepthAtlas(context, _size_of(texels))
        self.veils = TransparentShadowAtlas(context, share=1)
        self._asked: object = None  # what cascades were placed for last, where they show just that
        self.dither = 0.0  # by which the seams between cascades are spread in this picture, 0 to 1
        self._size(texels, CASCADES, False)

    def _size(self, texels: int, count: int, far: bool) -> None:
        """Room for so many maps of so many texels, and a far one; what they show is forgotten."""
        context, self._texels, self._far = self._context, texels, far
        count += far
        if self.atlas.size != _size_of(texels):
            self.atlas.release()
            self.atlas = DepthAtlas(context, _size_of(texels))
        self._tiles, self._spare = list(range(count)), count
        self._shown: list[Cascade | None] = [None] * count
        self._progress: CascadeProgress | None = None

    def shows(self, direction: NDArray[np.float64]) -> bool:
        """Whether every cascade shows the shadows of a sun in this direction."""
        return self.complete and self._direction == tuple(direction)

    def level_changed(self) -> None:
        """Every cascade shows what is no longer there."""
        self.veils.release()
        self._shown = [None] * len(self._shown)
        self._asked = self._progress = None

    def assign(
        self,
        direction: NDArray[np.float64],
        camera: Camera,
        bounds: NDArray[np.float64],
        toward: NDArray[np.float64] | None = None,
        maps: tuple[float, int, int] = SUN_MAPS,
    ) -> list[int]:
        """Place the cascades for a sun in a direction; returns the numbers of those to draw anew.

        Those that are not drawn go on showing what they show. maps : see moment.scene.Sun
        """
        asked = tuple(direction), camera, bounds.tobytes(), None if toward is None else tuple(toward), maps
        if asked == self._asked:
            return []
        dirty = self._placed(direction, camera, bounds, toward, maps)
        self._asked = None if dirty else asked
        return dirty

    def _placed(
        self,
        direction: NDArray[np.float64],
        camera: Camera,
        bounds: NDArray[np.float64],
        toward: NDArray[np.float64] | None,
        maps: tuple[float, int, int],
    ) -> list[int]:
        reach, texels, count = maps
        texels = min(texels, self._most)
        far = goes_on(bounds, reach)
        if texels != self._texels or (count, far) != (len(self._shown) - self._far, self._far):
            self._size(texels, count, far)
        self._wanted = cascades_for(direction, camera, bounds, toward, self._texels, reach, count)
        if far:
            self._wanted.append(far_cascade(direction, bounds, self._texels))
        if self._direction != tuple(direction):
            # Cascades share the sun's axes: those of another sun are of no use.
            self._shown, self._progress = [None] * len(self._shown), None
            self._direction = tuple(direction)
        return [i for i, (want, has) in enumerate(zip(self._wanted, self._shown, strict=True))
                if has is None or has.key != want.key]  # fmt: skip

    def follow(
        self,
        direction: NDArray[np.float64],
        camera: Camera,
        bounds: NDArray[np.float64],
        maps: tuple[float, int, int],
    ) -> list[int]:
        """Place the cascades for a sun that is on its way; returns those to draw now.

        One at a time, in turn, where the sun went on by less than a minute's way; by more, all near ones:
        they keep its axes and lean toward where it stood. maps : see moment.scene.Sun
        """
        slow = float(self._stood @ direction) > SLOW_COSINE
        self._stood = direction
        far = goes_on(bounds, maps[0])
        count, axes = maps[2] + far, np.array(self._direction)
        near = self.complete and len(self._shown) == count and float(axes @ direction) > AXES_COSINE
        if not near or len(self._toward) != count:
            self._toward = [direction] * count
            return self.assign(direction, camera, bounds, None, maps)
        dirty = self.assign(axes, camera, bounds, direction, maps)
        near_lag = SLOW_LAG_COSINE if slow else LAG_COSINE
        lags = [FAR_LAG_COSINE if far and i == count - 1 else near_lag for i in range(count)]
        late = [i for i in dirty if float(self._toward[i] @ direction) < lags[i]]
        turn = min(
            (i for i in dirty if i < maps[2]), key=lambda i: (i - self._last - 1) % maps[2], default=None
        )
        now = late or ([] if turn is None else [turn])
        for index in now:
            self._toward[index] = direction
            self._last = index
        return now

    @property
    def complete(self) -> bool:
        """Whether every cascade shows something."""
        return all(item is not None for item in self._shown)

    @property
    def shown_keys(self) -> tuple[bytes, ...]:
        """What each cascade shows."""
        return tuple(b"" if item is None else item.key for item in self._shown)

    def draw(self, index: int, level: LevelOnGpu, coarse: bool = False) -> dict[str, int]:
        """Draw one cascade whole, from coarser copies where asked; returns the work done."""
        work = self._fill(self._tiles[index], self._wanted[index], level, 0, 1, coarse)
        self._shown[index] = self._wanted[index]
        self._progress = None
        return work

    def advance(self, dirty: list[int], level: LevelOnGpu) -> dict[str, int]:
        """Draw a part of a cascade into the spare tile; one begun is ended first."""
        if self._progress is None:
            self._progress = CascadeProgress(dirty[0], self._wanted[dirty[0]])
        progress = self._progress
        work = self._fill(self._spare, progress.cascade, level, progress.parts_done, PARTS)
        progress.parts_done += 1
        if progress.parts_done == PARTS:
            self._tiles[progress.index], self._spare = self._spare, self._tiles[progress.index]
            self._shown[progress.index] = progress.cascade
            self._progress = None
        return work

    def _fill(
        self, tile: int, cascade: Cascade, level: LevelOnGpu, part: int, parts: int, coarse: bool = False
    ) -> dict[str, int]:
        context, texels = self._context, self._texels
        context.enable_only(moderngl.DEPTH_TEST)
        context.depth_func = "<"
        context.polygon_offset = 2.0, 4.0
        place = (tile % COLUMNS * texels, tile // COLUMNS * texels, texels, texels)
        frame = self.atlas.frame
        frame.use()
        frame.viewport = frame.scissor = place
        if part == 0:
            frame.clear(depth=1.0)
        # What casts far away need be no finer than its map.
        far = cascade.end == np.inf
        cell = COARSE_TEXELS * cascade.texel if coarse else cascade.texel if far else 0.0
        planes = frustum_planes(cascade.matrix)
        triangles = level.draw_depth(cascade.matrix, planes, part, parts, cell)
        frame.scissor = None
        if part == 0:
            triangles += self.veils.fill(self.atlas.size, place, level, cascade.matrix, planes)
        context.polygon_offset = 0.0, 0.0
        return {"triangles": triangles, "texels": texels**2 // parts, "tiles": 1}

    def uniforms(self) -> dict[str, object]:
        """Values of include/sun_shadow.glsl."""
        shown = [item for item in self._shown if item is not None]
        texel = 1.0 / self._texels
        places, limits = [], []
        for tile, cascade in zip(self._tiles, shown, strict=True):
            # In tiles: the shader's coordinates go over the atlas of COLUMNS by ROWS of them.
            low = (float(tile % COLUMNS), float(tile // COLUMNS))
            scale = 0.5 / cascade.half
            # Depth 0 lies at the near end, `near` metres toward the sun; see Cascade.axes.
            near, length = cascade.axes[2, 3], 1.0 / np.linalg.norm(cascade.axes[2, :3])
            offset = [
                corner + 0.5 - scale * (middle + lean * near * length)
                for corner, middle, lean in zip(low, cascade.at, cascade.shear, strict=True)
            ]
            lean_x, lean_y = (scale * lean * length for lean in cascade.shear)
            places.append((scale, *offset, cascade.texel))
            limits.append((lean_x, lean_y, low[0] + 0.5 * texel, low[1] + 0.5 * texel))
        # The shader knows three and a far one; those that are not there are the last one again.
        near_ones = len(places) - self._far
        lacking = CASCADES - near_ones
        numbers = [*range(near_ones), *[near_ones - 1] * lacking, len(places) - 1]
        ends = [shown[number].end for number in numbers[:CASCADES]]
        return {
            "sun_axes": shown[0].axes[:3].astype("f4").tobytes(),
            "cascade_place": [places[number] for number in numbers],
            "cascade_bounds": [limits[number] for number in numbers],
            "cascade_width": 1.0 - texel,
            "sun_tile": tuple(self._texels / side for side in self.atlas.size),
            "cascade_end": (*ends, float(self._far)),
            "cascade_dither": self.dither,
        }
