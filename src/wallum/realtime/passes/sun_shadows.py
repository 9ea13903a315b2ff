"""Shadow maps of the sun: three cascades that stand still while the camera moves a little, and beyond
their reach one coarse map of the whole level.

Each cascade is a square about the part of the view it serves, wider than needed and moved
only in whole steps, so that it need not be drawn again for small moves and its texels stay
where they are. Source: Valient 2007, "Stable Rendering of Cascaded Shadow Maps".
"""

from dataclasses import dataclass
from itertools import pairwise

import moderngl
import numpy as np
from numpy.typing import NDArray

from wallum.moment.camera import Camera, frustum_planes, look_rotation
from wallum.moment.scene import SUN_MAPS, Sun
from wallum.realtime.level.drawing import LevelOnGpu
from wallum.realtime.passes.veil_shadows import VeilAtlas

__all__ = ["CASCADES", "Cascade", "SunShadows", "cascades_for", "far_cascade", "nearest_grain"]

CASCADES = 3
TEXELS, MOST_TEXELS = 1024, 2048
# Share of a cascade's radius by which it moves at once.
STEP = 0.5
# Weight of the logarithmic against the even division of depth: Zhang 2006.
DIVISION = 0.8
# Pictures over which a cascade is drawn while the camera moves.
PARTS = 8
# While the sun goes on fast a cascade may lag by four degrees before it is drawn out of its turn, the
# far map by six; while it goes by minutes none of the near ones may: a minute lets the sun into a lane.
LAG_COSINE, FAR_LAG_COSINE = float(np.cos(np.radians(4.0))), float(np.cos(np.radians(6.0)))
SLOW_COSINE, SLOW_LAG_COSINE = float(np.cos(np.radians(0.4))), float(np.cos(np.radians(0.2)))
# How far it may go from the axes that its cascades share: twelve degrees.
AXES_COSINE = 0.978


@dataclass(frozen=True)
class Cascade:
    """One cascade: level to clip space, how far it serves [m], texel width [m]."""

    matrix: NDArray[np.float64]
    axes: NDArray[np.float64]  # (4, 4) level to the sun's axes, depth 0..1 in z
    at: tuple[float, float]  # middle on the sun's axes, sheared [m]
    shear: tuple[float, float]  # metres aside per metre toward the sun
    half: float
    end: float
    texel: float
    key: bytes


def _ends(near: float, far: float, count: int) -> NDArray[np.float64]:
    step = np.arange(1, count + 1) / count
    logarithmic = near * (far / near) ** step
    even = near + (far - near) * step
    return DIVISION * logarithmic + (1.0 - DIVISION) * even


def _reach(camera: Camera, bounds: NDArray[np.float64], longest_m: float) -> tuple[float, float]:
    """From where to where the level stands before an eye [m], in steps of half a stop so that
    small moves leave it alone; at most `longest_m` deep."""
    eye = np.array(camera.eye)
    nearest = float(np.linalg.norm(np.maximum(np.maximum(bounds[0] - eye, eye - bounds[1]), 0.0)))
    farthest = float(np.linalg.norm(np.maximum(np.abs(bounds[0] - eye), np.abs(bounds[1] - eye))))
    first = 2.0 ** (np.floor(np.log2(nearest) * 2.0) / 2.0) if nearest > 1.0 else camera.near
    last = 2.0 ** (np.ceil(np.log2(max(farthest, 1.0)) * 2.0) / 2.0)
    return float(first), float(min(last, first + longest_m))


def _slice_sphere(camera: Camera, start: float, end: float) -> tuple[NDArray[np.float64], float]:
    """Centre and radius of the sphere about a slice of the view."""
    spread = np.hypot(*camera.tangents)
    middle = min(0.5 * (start + end) * (1.0 + spread**2), end)
    radius = max(np.hypot(end - middle, end * spread), np.hypot(start - middle, start * spread))
    direction = np.array(camera.direction)
    return np.array(camera.eye) + direction * middle, float(radius)


def _shear(rotation: NDArray[np.float64], toward: NDArray[np.float64]) -> tuple[float, float]:
    """How far aside a direction leads per metre toward the sun, on the sun's axes."""
    x, y, z = rotation @ toward
    return float(x / z), float(y / z)


def _sun_axes(
    sun_direction: NDArray[np.float64], bounds: NDArray[np.float64]
) -> tuple[NDArray[np.float64], NDArray[np.float64], float, float]:
    """Turn to the sun's axes; level to these with depth 0..1; nearest and farthest height to the sun."""
    rotation = look_rotation(-sun_direction)
    corners = np.array(np.meshgrid(*bounds.T)).reshape(3, -1).T @ rotation.T
    # Rounding the depths keeps a cascade's key from changing with the last bit.
    high, low = np.ceil(corners[:, 2].max()) + 1.0, np.floor(corners[:, 2].min()) - 1.0
    axes = np.eye(4)
    axes[:3, :3] = rotation
    axes[2] = np.array([*-rotation[2], high]) / (high - low)
    return rotation, axes, float(high), float(low)


def _cascade(
    rotation: NDArray[np.float64],
    axes: NDArray[np.float64],
    at: tuple[float, float],
    shear: tuple[float, float],
    half: float,
    end: float,
    texels: int,
    depths: tuple[float, float],
    sun_direction: NDArray[np.float64],
) -> Cascade:
    high, low = depths
    view = np.eye(4)
    view[:3, :3] = rotation - np.outer([*shear, 0.0], rotation[2])
    view[:3, 3] = (-at[0], -at[1], -high)
    projection = np.diag([1.0 / half, 1.0 / half, -2.0 / (high - low), 1.0])
    projection[2, 3] = -1.0
    key = np.array([*sun_direction, *at, *shear, half, high, low]).tobytes()
    return Cascade(projection @ view, axes, at, shear, half, end, 2.0 * half / texels, key)


def _goes_on(bounds: NDArray[np.float64], reach_m: float) -> bool:
    """Whether a level can be seen beyond the reach of the cascades: whatever the camera sees now, so
    that maps do not come and go with it."""
    return float(np.linalg.norm(bounds[1] - bounds[0])) > reach_m


def cascades_for(
    sun_direction: NDArray[np.float64],
    camera: Camera,
    bounds: NDArray[np.float64],
    toward: NDArray[np.float64] | None = None,
    texels: int = TEXELS,
    reach_m: float = SUN_MAPS[0],
    count: int = CASCADES,
) -> list[Cascade]:
    """The cascades of a camera, up to three; they change only in whole steps.

    toward : unit vector to the point of the sun's disc that casts; its middle by default
    """
    first, last = _reach(camera, bounds, reach_m)
    starts = [first, *_ends(max(first, min(1.0, last / 8.0)), last, count)]
    rotation, axes, high, low = _sun_axes(sun_direction, bounds)
    shear = (0.0, 0.0) if toward is None else _shear(rotation, toward)
    out = []
    for start, end in pairwise(starts):
        centre, radius = _slice_sphere(camera, start, end)
        radius = float(2.0 ** (np.ceil(np.log2(radius) * 8.0) / 8.0))
        step = STEP * radius
        half = radius + 0.5 * step
        x, y, z = rotation @ centre
        at = (round(x / step) * step - shear[0] * z, round(y / step) * step - shear[1] * z)
        out.append(_cascade(rotation, axes, at, shear, half, end, texels, (high, low), sun_direction))
    return out


def far_cascade(sun_direction: NDArray[np.float64], bounds: NDArray[np.float64], texels: int) -> Cascade:
    """One map of a whole level, whatever the camera sees; it stays while the sun stands still."""
    rotation, axes, high, low = _sun_axes(sun_direction, bounds)
    corners = np.array(np.meshgrid(*bounds.T)).reshape(3, -1).T @ rotation.T
    middle = 0.5 * (corners.max(axis=0) + corners.min(axis=0))
    half = 0.5 * float(np.ptp(corners[:, :2], axis=0).max()) + 1.0
    at = (float(middle[0]), float(middle[1]))
    return _cascade(rotation, axes, at, (0.0, 0.0), half, np.inf, texels, (high, low), sun_direction)


def nearest_grain(sun: Sun, camera: Camera, bounds: NDArray[np.float64]) -> float:
    """Texels per metre of the sun's shadows nearest to a camera."""
    reach, texels, count = sun.maps
    return 1.0 / cascades_for(sun.direction, camera, bounds, None, texels, reach, count)[0].texel


# Shadows of a moving sun are cast by copies whose cells are this many texels wide at most.
COARSE_TEXELS = 4.0


# Maps in the atlas: the cascades, the far one, and one that is being drawn.
COLUMNS, ROWS = 3, 2


def _atlas(context: moderngl.Context, texels: int) -> tuple[moderngl.Texture, moderngl.Framebuffer]:
    """Room for six maps."""
    atlas = context.depth_texture((COLUMNS * texels, ROWS * texels))
    atlas.compare_func = "<="
    atlas.filter = (moderngl.LINEAR, moderngl.LINEAR)
    return atlas, context.framebuffer([], atlas)


@dataclass
class Progress:
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

    def __init__(self, context: moderngl.Context, most_texels: int = MOST_TEXELS) -> None:
        self._context, self._most = context, most_texels
        self._wanted: list[Cascade] = []
        self._direction: tuple[float, ...] = ()  # of the sun whose axes all cascades share
        self._toward: list[NDArray[np.float64]] = []  # where it stood when each was drawn, see `follow`
        self._stood = np.zeros(3)  # the sun, at the picture before
        self._last = 0  # the cascade that was drawn last
        texels = min(TEXELS, most_texels)
        self.atlas, self.frame = _atlas(context, texels)
        self.veils = VeilAtlas(context, share=1)
        self.dither = 0.0  # by which the seams between cascades are spread in this picture, 0 to 1
        self._size(texels, CASCADES, False)

    def _size(self, texels: int, count: int, far: bool) -> None:
        """Room for so many maps of so many texels, and a far one; what they show is forgotten."""
        context, self._texels, self._far = self._context, texels, far
        count += far
        if self.atlas.size != (COLUMNS * texels, ROWS * texels):
            self.frame.release()
            self.atlas.release()
            self.atlas, self.frame = _atlas(context, texels)
        self._tiles, self._spare = list(range(count)), count
        self._shown: list[Cascade | None] = [None] * count
        self._progress: Progress | None = None

    def shows(self, direction: NDArray[np.float64]) -> bool:
        """Whether every cascade shows the shadows of a sun in this direction."""
        return self.complete and self._direction == tuple(direction)

    def level_changed(self) -> None:
        """Every cascade shows what is no longer there."""
        self.veils.release()
        self._shown = [None] * len(self._shown)
        self._progress = None

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
        reach, texels, count = maps
        texels = min(texels, self._most)
        far = _goes_on(bounds, reach)
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
        far = _goes_on(bounds, maps[0])
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
        return all(one is not None for one in self._shown)

    @property
    def shown_keys(self) -> tuple[bytes, ...]:
        """What each cascade shows."""
        return tuple(b"" if one is None else one.key for one in self._shown)

    def draw(self, index: int, level: LevelOnGpu, coarse: bool = False) -> dict[str, int]:
        """Draw one cascade whole, from coarser copies where asked; returns the work done."""
        work = self._fill(self._tiles[index], self._wanted[index], level, 0, 1, coarse)
        self._shown[index] = self._wanted[index]
        self._progress = None
        return work

    def advance(self, dirty: list[int], level: LevelOnGpu) -> dict[str, int]:
        """Draw a part of a cascade into the spare tile; one begun is ended first."""
        if self._progress is None:
            self._progress = Progress(dirty[0], self._wanted[dirty[0]])
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
        self.frame.use()
        self.frame.viewport = place
        self.frame.scissor = place
        if part == 0:
            self.frame.clear(depth=1.0)
        # What casts far away need be no finer than its map.
        far = cascade.end == np.inf
        cell = COARSE_TEXELS * cascade.texel if coarse else cascade.texel if far else 0.0
        planes = frustum_planes(cascade.matrix)
        triangles = level.draw_depth(cascade.matrix, planes, part, parts, cell)
        self.frame.scissor = None
        if part == 0:
            triangles += self.veils.fill(self.atlas.size, place, level, cascade.matrix, planes)
        context.polygon_offset = 0.0, 0.0
        return {"triangles": triangles, "texels": texels**2 // parts, "tiles": 1}

    def uniforms(self) -> dict[str, object]:
        """Values of include/sun_shadow.glsl."""
        shown = [one for one in self._shown if one is not None]
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
            "cascade_end": (*ends, float(self._far)),
            "cascade_dither": self.dither,
        }
